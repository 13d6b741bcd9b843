//! A player who takes keys and sees screens, and finds the way on the water.

use std::collections::{BTreeMap, VecDeque};
use std::time::Duration;

use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::KeyCode;

use crate::fen_post::fields;
use crate::game::{FenPost, Playing, Screen};
use crate::route::{Cell, Route};
use crate::screen;

pub(super) const FRAME: Duration = Duration::from_millis(33);

/// A game in a folder of its own.
pub(super) struct Player {
    pub(super) game: FenPost,
    pub(super) folder: tempfile::TempDir,
}

impl Player {
    pub(super) fn new() -> Player {
        let folder = tempfile::tempdir().unwrap();
        Player { game: FenPost::new(folder.path().to_path_buf()), folder }
    }

    /// The program is killed, and started again.
    pub(super) fn killed(self) -> Player {
        let Player { game, folder } = self;
        let Ok(playing) = game.state else { panic!("not played") };
        playing.kept.game.discard().unwrap();
        Player { game: FenPost::new(folder.path().to_path_buf()), folder }
    }

    pub(super) fn keys(&mut self, keys: &[KeyCode]) {
        for key in keys {
            self.game.key(*key);
            self.game.frame(FRAME);
        }
    }

    #[track_caller]
    pub(super) fn playing(&self) -> &Playing {
        self.game.state.as_ref().unwrap_or_else(|_| panic!("not played"))
    }

    /// The screen of a terminal of 80 by 24.
    pub(super) fn screen(&self) -> String {
        drawn(&self.game, 80, 24)
    }

    #[track_caller]
    pub(super) fn sees(&self, texts: &[&str]) {
        let screen = self.screen();
        for text in texts {
            assert!(screen.contains(text), "{text}:\n{screen}");
        }
    }

    pub(super) fn route(&self) -> Route {
        match &self.playing().screen {
            Screen::Route(route) => (**route).clone(),
            other => panic!("{other:?}"),
        }
    }

    /// Begins a run and sets out on the first route.
    pub(super) fn sets_out(&mut self) {
        self.keys(&[KeyCode::Enter, KeyCode::Enter]);
        self.game.frame(FRAME);
        self.route();
    }

    /// Rows to a cell, around whirlpools and through what is in the way; stops when the route is left.
    pub(super) fn rows_to(&mut self, target: impl Fn(Cell) -> bool) {
        for _ in 0..600 {
            let Screen::Route(route) = &self.playing().screen else { return };
            if target(route.punt) {
                return;
            }
            let Some(next) = step(route, self.playing(), &target) else {
                panic!("no way:\n{}", self.screen())
            };
            let (column, row) = route.punt;
            let key = match (next.0 - column, next.1 - row) {
                (1, _) if self.playing().barrier(route, next.0).is_some() => KeyCode::Char(' '),
                (1, _) => KeyCode::Right,
                (-1, _) => KeyCode::Left,
                (_, 1) => KeyCode::Down,
                _ => KeyCode::Up,
            };
            self.keys(&[key]);
        }
        panic!("too far:\n{}", self.screen());
    }

    /// Waits until what is due is on the disk.
    pub(super) fn waits_for_the_save(&mut self) {
        while self.playing().kept.game.is_saving() {
            self.game.frame(Duration::ZERO);
            std::thread::yield_now();
        }
    }

    /// Takes all letters, and rows to the quay.
    pub(super) fn plays_the_route(&mut self) {
        for letter in self.route().letters {
            self.rows_to(|cell| cell == letter);
        }
        self.rows_to(|_| false);
    }
}

/// The first step of the shortest way.
fn step(route: &Route, playing: &Playing, target: &impl Fn(Cell) -> bool) -> Option<Cell> {
    let clock = playing.kept.game.get(fields::ROUTE_CLOCK).as_nanos() / 1_000_000;
    let whirls: Vec<Cell> =
        [0, 500, 1000, 1500].into_iter().flat_map(|later| route.whirls(clock + later)).collect();
    let mut from = BTreeMap::from([(route.punt, route.punt)]);
    let mut waiting = VecDeque::from([route.punt]);
    let is_end = |cell: Cell| target(cell) || cell.0 == crate::route::WIDTH - 1;
    while let Some(at) = waiting.pop_front() {
        if is_end(at) && at != route.punt {
            let mut back = at;
            while from[&back] != route.punt {
                back = from[&back];
            }
            return Some(back);
        }
        let (column, row) = at;
        for next in [(column + 1, row), (column, row - 1), (column, row + 1), (column - 1, row)] {
            // Letters before the quay: the last column ends the route.
            let ends = next.0 == crate::route::WIDTH - 1
                && !target(next)
                && route.letters.iter().any(|cell| target(*cell));
            if route.is_water(next) && !whirls.contains(&next) && !ends && !from.contains_key(&next) {
                from.insert(next, at);
                waiting.push_back(next);
            }
        }
    }
    None
}

pub(super) fn drawn(game: &FenPost, width: u16, height: u16) -> String {
    let mut terminal = Terminal::new(TestBackend::new(width, height)).unwrap();
    terminal.draw(|frame| screen::draw(frame, game)).unwrap();
    let buffer = terminal.backend().buffer();
    let row = |row: u16| (0..width).map(|column| buffer[(column, row)].symbol()).collect::<String>();
    (0..height).map(|at| row(at).trim_end().to_string() + "\n").collect()
}
