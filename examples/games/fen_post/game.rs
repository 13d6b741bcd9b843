//! The game: which screen is shown, what a key does, and what happens on the water.

use std::path::PathBuf;
use std::time::Duration;

use keblin::progress::LevelCard;
use keblin::store::Ruin;
use keblin::{Checkpoint, Difficulty, Phase, Refused};
use ratatui::crossterm::event::KeyCode;

use crate::fen_post::{self, Game, Notice, difficulties, fields, levels};
use crate::kept::{Kept, Start};
use crate::route::{Cell, Route};
use crate::things::id_of;

/// How long the player is under water.
const UNDER: Duration = Duration::from_millis(800);

/// How many messages are shown.
const MESSAGES: usize = 3;

/// What a turn of the crank opens of a gate, in percent.
const TURN: f64 = 25.0;

/// The oil of a lamp on the water, and what cutting reeds burns.
const LAMP: i64 = 15;
const CUT: i64 = 3;

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
    under: Duration,
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
                let resumed = self.kept.game.resume().map(drop);
                self.said(resumed);
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

    fn said(&mut self, result: Result<(), Refused>) {
        if let Err(refused) = result {
            self.say(refused.to_string());
        }
    }

    fn say(&mut self, message: impl Into<String>) {
        self.messages.push(message.into());
        let extra = self.messages.len().saturating_sub(MESSAGES);
        self.messages.drain(..extra);
    }

    fn on_the_water(&mut self, key: KeyCode) {
        let Screen::Route(route) = &mut self.screen else { return };
        if self.kept.game.phase() != Phase::Playing {
            return;
        }
        let (column, row) = route.punt;
        let to = match key {
            KeyCode::Left => (column - 1, row),
            KeyCode::Right => (column + 1, row),
            KeyCode::Up => (column, row - 1),
            KeyCode::Down => (column, row + 1),
            KeyCode::Char(' ') => return self.work(),
            KeyCode::Esc => {
                let left = self.kept.game.leave().map(drop);
                self.said(left);
                self.screen = Screen::Map(0);
                return;
            }
            _ => return,
        };
        self.row(to);
    }

    /// Returns whether reeds or a gate are in a column of the route.
    pub(crate) fn barrier(&self, route: &Route, column: i32) -> Option<String> {
        let number = route.barriers.iter().position(|barrier| *barrier == column)?;
        let id = id_of(route.number, u32::try_from(number).ok()?);
        let things = self.kept.things.values().next()?;
        let has_reeds = things.beds.iter().any(|bed| bed.id == id);
        let gate = things.gates.iter().find(|gate| gate.id == id && gate.opened < 100.0);
        let gate = gate.map(|gate| format!("a gate, {} % open", gate.opened));
        gate.or(has_reeds.then(|| "reeds".to_string()))
    }

    /// Returns whether the route's lamp still floats.
    pub(crate) fn has_lamp(&self, route: &Route) -> bool {
        let lamp = id_of(route.number, 0);
        self.kept.things.values().any(|things| things.lamps.iter().any(|held| held.id == lamp))
    }

    /// Returns whether a letter still lies where it was.
    pub(crate) fn has_letter(&self, route: &Route, number: usize) -> bool {
        let name = name_of(route, number);
        !self.kept.game.get(fields::SATCHEL).iter().any(|held| held == name)
    }

    /// Cuts reeds, or turns the crank of a gate, next to the punt.
    fn work(&mut self) {
        let Screen::Route(route) = &self.screen else { return };
        let ahead = route.punt.0 + 1;
        let Some(number) = route.barriers.iter().position(|barrier| *barrier == ahead) else { return };
        let id = id_of(route.number, u32::try_from(number).unwrap_or(0));
        for things in self.kept.things.values_mut() {
            let beds = things.beds.len();
            things.beds.retain(|bed| bed.id != id);
            if things.beds.len() < beds {
                self.kept.game.add(fields::OIL, -CUT);
            }
            let gates = things.gates.iter_mut().filter(|gate| gate.id == id);
            gates.for_each(|gate| gate.opened = (gate.opened + TURN).min(100.0));
        }
    }

    fn row(&mut self, to: Cell) {
        let Screen::Route(route) = &self.screen else { return };
        if !route.is_water(to) {
            return;
        }
        if let Some(barrier) = self.barrier(route, to.0) {
            self.say(format!("{barrier}: the space bar helps"));
            return;
        }
        let floats = self.has_lamp(route);
        let Screen::Route(route) = &mut self.screen else { return };
        let burns = route.row_to(to);
        let (letter, mooring) = (route.letter_here(), route.mooring_here());
        let (takes_lamp, is_there) = (floats && route.lamp == to, route.is_at_the_quay());
        let route = route.clone();
        if burns {
            self.kept.game.add(fields::OIL, -1);
        }
        if let Some(letter) = letter.filter(|letter| self.has_letter(&route, *letter)) {
            self.kept.game.push(fields::SATCHEL, name_of(&route, letter));
        }
        if takes_lamp {
            let lamp = id_of(route.number, 0);
            self.kept.things.values_mut().for_each(|things| things.lamps.retain(|held| held.id != lamp));
            self.kept.game.add(fields::OIL, LAMP);
        }
        if let Some(mooring) = mooring {
            self.moor(mooring);
        }
        if is_there {
            self.arrive_at_the_quay(&route);
        }
    }

    fn moor(&mut self, mooring: usize) {
        let level = self.kept.game.level();
        let checkpoint = level.and_then(|level| level.checkpoints().nth(mooring));
        let Some(checkpoint): Option<Checkpoint<Game>> = checkpoint else { return };
        // The mooring copies the things as they are.
        if let Err(error) = self.kept.record() {
            self.say(error.to_string());
        }
        let moored = self.kept.game.reach(checkpoint).map(drop);
        self.said(moored);
    }

    fn arrive_at_the_quay(&mut self, route: &Route) {
        let all = (0..route.letters.len()).all(|letter| !self.has_letter(route, letter));
        let stars = 1 + i64::from(all) + i64::from(!route.fell);
        let delivered = self.kept.deliver(stars);
        self.said(delivered);
        let at = route.number + 1;
        self.screen = Screen::Map(at.min(levels::ALL.len() - 1));
    }

    /// Lets time pass: whirlpools drift, and a player who fell in comes up again.
    pub(crate) fn frame(&mut self, elapsed: Duration) {
        let millis = self.kept.game.get(fields::ROUTE_CLOCK).as_nanos() / 1_000_000;
        if let Screen::Route(route) = &mut self.screen {
            let is_playing = self.kept.game.phase() == Phase::Playing;
            if is_playing && route.whirls(millis).any(|whirl| whirl == route.punt) {
                route.fell = true;
                self.kept.game.die();
                self.under = Duration::ZERO;
            }
        }
        if self.kept.game.phase() == Phase::Down {
            self.under += elapsed;
            if self.under >= UNDER {
                let up = self.kept.game.respawn().map(drop);
                self.said(up);
                let mooring = self.kept.game.checkpoint().map(|mooring| mooring.index());
                if let Screen::Route(route) = &mut self.screen {
                    route.put(mooring);
                }
            }
        }
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

/// The name of a letter in the satchel.
fn name_of(route: &Route, number: usize) -> String {
    let id = levels::ALL.get(route.number).map_or("", |level| level.id());
    format!("{}{number}", id.get(..4).unwrap_or(id))
}
