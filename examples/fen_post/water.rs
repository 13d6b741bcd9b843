//! On the water: rowing, letters, reeds, gates, lamps, moorings, whirlpools, and the quay.

use std::time::Duration;

use keblin::{Checkpoint, Phase};
use ratatui::crossterm::event::KeyCode;

use crate::fen_post::{Game, fields, levels};
use crate::game::{Playing, Screen};
use crate::route::{Cell, Route};
use crate::things::id_of;

/// How long the player is under water.
const UNDER: Duration = Duration::from_millis(800);

/// What a turn of the crank opens of a gate, in percent.
const TURN: f64 = 25.0;

/// The oil of a lamp on the water, and what cutting reeds burns.
const LAMP: i64 = 15;
const CUT: i64 = 3;

impl Playing {
    /// Takes a key on a route.
    pub(crate) fn on_the_water(&mut self, key: KeyCode) {
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

    /// Lets whirlpools drift and pull, and a player who fell in come up again.
    pub(crate) fn drift(&mut self, elapsed: Duration) {
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
    }
}

/// The name of a letter in the satchel.
fn name_of(route: &Route, number: usize) -> String {
    let id = levels::ALL.get(route.number).map_or("", |level| level.id());
    format!("{}{number}", id.get(..4).unwrap_or(id))
}
