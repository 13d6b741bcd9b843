//! The game: which screen is shown, and what a key does.

use std::path::PathBuf;
use std::time::Duration;

use keblin::progress::LevelCard;
use keblin::store::Ruin;
use keblin::{Difficulty, Phase, Refused};
use ratatui::crossterm::event::KeyCode;

use crate::fen_post::{self, Game, Notice, difficulties, fields, levels};
use crate::kept::{Kept, Start};
use crate::route::Route;

/// How many messages are shown.
const MESSAGES: usize = 3;

/// A line of the title.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Choice {
    Continue,
    New(Difficulty<Game>),
    Settings,
    Erase,
    Quit,
}

/// What the player is asked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Question {
    Replace(Difficulty<Game>),
    Erase,
}

/// What is shown.
#[derive(Debug)]
pub(crate) enum Screen {
    Title(usize),
    Ask(Question),
    Settings,
    /// The level select, with the line that is marked.
    Map(usize),
    Route(Box<Route>),
}

/// Why nobody can play yet.
pub(crate) enum Block {
    InUse,
    Damaged(Box<Ruin>),
    Failed(String),
}

/// A game that is played, or cannot be played yet.
pub(crate) struct FenPost {
    folder: PathBuf,
    pub(crate) state: Result<Box<Playing>, Block>,
    pub(crate) is_over: bool,
}

/// A game that is played.
pub(crate) struct Playing {
    pub(crate) kept: Kept,
    pub(crate) screen: Screen,
    pub(crate) messages: Vec<String>,
    pub(crate) shows_overlay: bool,
    /// Whether another program plays, so that this one only looks.
    pub(crate) is_looking: bool,
    /// How long the player has been under water.
    pub(crate) under: Duration,
}

impl FenPost {
    pub(crate) fn new(folder: PathBuf) -> FenPost {
        let start = Start::of(&folder, fen_post::Keeper::open);
        let state = FenPost::started(start);
        FenPost { folder, state, is_over: false }
    }

    fn started(start: Start) -> Result<Box<Playing>, Block> {
        match start {
            Start::Play(kept) => Ok(Box::new(Playing::new(*kept))),
            Start::InUse => Err(Block::InUse),
            Start::Damaged(ruin) => Err(Block::Damaged(ruin)),
            Start::Failed(why) => Err(Block::Failed(why)),
        }
    }

    /// Takes a key.
    pub(crate) fn key(&mut self, key: KeyCode) {
        match &mut self.state {
            Ok(playing) => self.is_over = playing.key(key),
            Err(_) if matches!(key, KeyCode::Esc | KeyCode::Char('q')) => self.is_over = true,
            Err(Block::InUse) => match key {
                KeyCode::Char('l') => {
                    self.state = FenPost::started(Start::of(&self.folder, fen_post::Keeper::view));
                    self.state.iter_mut().for_each(|playing| playing.is_looking = true);
                }
                KeyCode::Enter => self.state = FenPost::new(self.folder.clone()).state,
                _ => {}
            },
            Err(Block::Damaged(_)) if matches!(key, KeyCode::Char('e' | 'n')) => {
                let taken = std::mem::replace(&mut self.state, Err(Block::InUse));
                if let Err(Block::Damaged(ruin)) = taken {
                    let start = Start::after(&self.folder, *ruin, key == KeyCode::Char('e'));
                    self.state = FenPost::started(start);
                }
            }
            Err(_) => {}
        }
    }

    /// Lets time pass.
    pub(crate) fn frame(&mut self, elapsed: Duration) {
        if let Ok(playing) = &mut self.state {
            playing.frame(elapsed);
        }
    }
}

impl Playing {
    fn new(mut kept: Kept) -> Playing {
        kept.game.show_overlay();
        Playing {
            kept,
            screen: Screen::Title(0),
            messages: Vec::new(),
            shows_overlay: false,
            is_looking: false,
            under: Duration::ZERO,
        }
    }

    /// Returns the lines of the title.
    pub(crate) fn choices(&self) -> Vec<Choice> {
        let waits = self.kept.game.resume_point().is_some();
        let new = difficulties::ALL.iter().copied().map(Choice::New);
        let always = [Choice::Settings, Choice::Erase, Choice::Quit];
        waits.then_some(Choice::Continue).into_iter().chain(new).chain(always).collect()
    }

    pub(crate) fn cards(&self) -> Vec<LevelCard<Game>> {
        self.kept.game.level_cards(None)
    }

    /// Takes a key; returns whether the game is to end.
    fn key(&mut self, key: KeyCode) -> bool {
        if key == KeyCode::Char('d') {
            self.shows_overlay = !self.shows_overlay;
            return false;
        }
        match &mut self.screen {
            Screen::Title(at) => {
                let at = *at;
                let choices = self.choices();
                match key {
                    KeyCode::Up => self.screen = Screen::Title(at.saturating_sub(1)),
                    KeyCode::Down => self.screen = Screen::Title((at + 1).min(choices.len() - 1)),
                    KeyCode::Enter => return choices.get(at).is_some_and(|choice| self.chosen(*choice)),
                    KeyCode::Esc | KeyCode::Char('q') => return true,
                    _ => {}
                }
            }
            Screen::Ask(question) => {
                let question = *question;
                match key {
                    KeyCode::Char('y') => self.agreed(question),
                    KeyCode::Char('n') | KeyCode::Esc => self.screen = Screen::Title(0),
                    _ => {}
                }
            }
            Screen::Settings => match key {
                KeyCode::Left => _ = self.kept.game.add(fields::HORN_VOLUME, -1),
                KeyCode::Right => _ = self.kept.game.add(fields::HORN_VOLUME, 1),
                KeyCode::Esc | KeyCode::Enter => self.screen = Screen::Title(0),
                _ => {}
            },
            Screen::Map(at) => {
                let at = *at;
                match key {
                    KeyCode::Up => self.screen = Screen::Map(at.saturating_sub(1)),
                    KeyCode::Down => self.screen = Screen::Map((at + 1).min(levels::ALL.len() - 1)),
                    KeyCode::Enter => self.enter(at),
                    KeyCode::Esc => self.screen = Screen::Title(0),
                    _ => {}
                }
            }
            Screen::Route(_) => self.on_the_water(key),
        }
        false
    }

    fn chosen(&mut self, choice: Choice) -> bool {
        match choice {
            Choice::Continue => {
                // From the map the player was only looking at the title.
                if self.kept.game.phase() == Phase::Title {
                    let resumed = self.kept.game.resume().map(drop);
                    self.said(resumed);
                }
                self.arrive();
            }
            Choice::New(tide) if self.kept.game.resume_point().is_some() => {
                self.screen = Screen::Ask(Question::Replace(tide));
            }
            Choice::New(tide) => self.agreed(Question::Replace(tide)),
            Choice::Settings => self.screen = Screen::Settings,
            Choice::Erase => self.screen = Screen::Ask(Question::Erase),
            Choice::Quit => return true,
        }
        false
    }

    fn agreed(&mut self, question: Question) {
        match question {
            Question::Replace(tide) => {
                self.kept.game.begin_replacing(Some(tide));
                self.screen = Screen::Map(0);
            }
            Question::Erase => {
                let erased = self.kept.erase();
                self.said(erased);
                self.screen = Screen::Title(0);
            }
        }
    }

    fn enter(&mut self, at: usize) {
        let Some(card) = self.cards().into_iter().nth(at) else { return };
        // Half-way in this route: the player goes on there.
        let entered = match card.current {
            true => self.kept.game.resume().map(drop),
            false => self.kept.game.enter(card.level).map(drop),
        };
        self.said(entered);
        self.arrive();
    }

    /// Shows the route that is played, or the map.
    fn arrive(&mut self) {
        let game = &self.kept.game;
        self.screen = match game.level().filter(|_| game.phase() == Phase::Playing) {
            Some(level) => {
                let moorings = level.checkpoints().count();
                let mut route =
                    Route::new(level.index(), moorings, game.difficulty() == Some(difficulties::SPRING));
                route.put(game.checkpoint().map(|mooring| mooring.index()));
                Screen::Route(Box::new(route))
            }
            None => Screen::Map(0),
        };
    }

    pub(crate) fn said(&mut self, result: Result<(), Refused>) {
        if let Err(refused) = result {
            self.say(refused.to_string());
        }
    }

    pub(crate) fn say(&mut self, message: impl Into<String>) {
        self.messages.push(message.into());
        let extra = self.messages.len().saturating_sub(MESSAGES);
        self.messages.drain(..extra);
    }

    /// Lets time pass.
    pub(crate) fn frame(&mut self, elapsed: Duration) {
        self.drift(elapsed);
        match self.kept.frame(elapsed) {
            Ok(notices) => notices.iter().for_each(|notice| self.noticed(notice)),
            Err(error) => self.say(error.to_string()),
        }
    }

    fn noticed(&mut self, notice: &Notice) {
        match notice {
            Notice::RunOver(_) => {
                self.say("The run is over.");
                self.screen = Screen::Title(0);
            }
            Notice::LifeLost { left, .. } => self.say(format!("Splash! {} boats left.", left.unwrap_or(0))),
            Notice::FirstRun | Notice::Entered { .. } | Notice::Ready | Notice::Restored => {}
            notice => self.say(notice.text(fen_post::schema())),
        }
    }
}
