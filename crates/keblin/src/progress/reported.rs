//! Refused value calls: their answer may be ignored, so the game's logger gets them, once for each place in the code.

use std::panic::Location;

use super::fields::Change;
use super::notice::Notice;
use super::phase::Phase;
use super::refusal::Refused;
use super::{Engine, Holder, Play};

/// What the game's logger has already got.
#[derive(Clone, Debug, Default)]
pub(super) struct Reported {
    /// Where refused calls are in the code; a game has few of them.
    places: Vec<&'static Location<'static>>,
    /// That time passed before anything began.
    too_early: bool,
}

impl<G, P: Holder> Play<G, P> {
    /// Returns a change, and reports it if it was refused.
    #[track_caller]
    #[inline]
    pub(super) fn reported(&mut self, change: Change) -> Change {
        if let Some(refused) = &change.refused {
            self.engine_mut().report(refused, Location::caller());
        }
        change
    }
}

impl Engine {
    fn report(&mut self, refused: &Refused, at: &'static Location<'static>) {
        if !self.reported.places.contains(&at) {
            self.reported.places.push(at);
            let (game, file, line) = (&self.schema.game, at.file(), at.line());
            log::warn!("{game}: {file}:{line}: nothing was written: {refused}");
            if cfg!(debug_assertions) {
                self.tell(Notice::Refused {
                    message: format!("{file}:{line}: nothing was written: {refused}"),
                });
            }
        }
    }

    /// Reports that time passes although no run has begun: perhaps somebody forgot `begin`. Once, because a game may
    /// also tick on its title screen.
    pub(super) fn report_too_early(&mut self) {
        if self.phase() == Phase::Title && !self.reported.too_early {
            self.reported.too_early = true;
            let game = &self.schema.game;
            log::debug!("{game}: a tick at the title counts nothing; a run starts with `begin` or `resume`");
        }
    }
}
