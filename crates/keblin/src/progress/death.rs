//! Checkpoints and deaths. A death has one outcome: a life lost and a place to respawn, the level restarted, or the
//! run over.

use std::sync::Arc;

use keblin_model::model::{AtZero, CheckpointOrder, SaveAt};
use keblin_model::program::Fact;
use keblin_model::{AnyGame, Checkpoint, OfGame, Value};

use super::journal::Cause;
use super::notice::Notice;
use super::phase::{Answer, EventName};
use super::place::{Place, RunEnd};
use super::refusal::{Refused, Why};
use super::run::RunOver;
use super::{Engine, Holder, Play};
use crate::broken::Broken;
use crate::snapshot::{AT_CHECKPOINT, Stay};

/// What reaching a checkpoint did.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Reached {
    /// The values were copied, and a death comes back here.
    Now,
    /// Nothing: it is the current checkpoint, an earlier one under `"furthest"`, or no level is being played.
    Ignored,
}

/// What a death did.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Death<G = AnyGame> {
    /// A life was lost and there is another.
    LifeLost {
        /// Lives left; `None` if lives are not counted.
        left: Option<i64>,
        /// Where the player respawns.
        place: Place<G>,
    },
    /// The last life was lost; the lives are refilled and the level restarts.
    LevelRestarted {
        /// Lives left.
        left: i64,
        /// The start of the level.
        place: Place<G>,
    },
    /// The last life was lost, and the run is over.
    RunOver(RunOver<G>),
}

impl<G, P: Holder> Play<G, P> {
    /// Reaches a checkpoint: copies the values of the visit and the run, for `on_death = "checkpoint"`.
    ///
    /// # Errors
    /// [`Why::OtherLevel`] while another level is being played.
    ///
    /// # Panics
    /// If the checkpoint was looked up in a schema with more levels.
    pub fn reach(&mut self, checkpoint: Checkpoint<G>) -> Result<Reached, Refused> {
        self.engine_mut().reach(checkpoint.of_any())
    }

    /// Counts a death and takes one life. With a life left, each value follows its `on_death`, and the player
    /// is down until [`Play::respawn`]. With none left, no value is reset and the run ends, or with `at_zero =
    /// "restart_level"` the level restarts. Returns `None` if no level is being played.
    pub fn die(&mut self) -> Option<Death<G>> {
        self.engine_mut().die().of_game()
    }

    /// Respawns after a death and returns the place: the last checkpoint, else the start of the level. With
    /// `checkpoint_lasts = "run"` it may be in another level than the one of the death. No value changes. While playing it does nothing and returns the place that a death would lead to.
    ///
    /// # Errors
    /// [`Why::Phase`] if no level is being played.
    pub fn respawn(&mut self) -> Result<Place<G>, Refused> {
        self.engine_mut().respawn().map(OfGame::of_game)
    }

    /// Returns the last checkpoint reached in this visit; `None` before the first one.
    #[must_use]
    pub fn checkpoint(&self) -> Option<Checkpoint<G>> {
        self.engine().checkpoint().of_game()
    }
}

impl Engine {
    pub(crate) fn reach(&mut self, checkpoint: Checkpoint) -> Result<Reached, Refused> {
        if self.ask(EventName::Reach)? == Answer::Ignored {
            return Ok(Reached::Ignored);
        }
        let of = self.known(checkpoint.level());
        let visit = self.visit();
        if visit.and_then(|visit| visit.level) != Some(of) {
            return Err(self.refusal(EventName::Reach, self.in_other_level(checkpoint)));
        }
        let before = visit.and_then(|visit| visit.checkpoint);
        let order = self.schema.levels.get(of).map(|level| level.checkpoint_order);
        let earlier = before.is_some_and(|before| match order {
            Some(CheckpointOrder::Latest) => before == checkpoint.index(),
            _ => before >= checkpoint.index(),
        });
        if earlier {
            return Ok(Reached::Ignored);
        }
        let copy = self.state.copy(&self.schema);
        if let Some(visit) = self.visit_mut() {
            visit.checkpoint = Some(checkpoint.index());
            visit.at_checkpoint = Some(copy);
        }
        self.forget_copies_of_world(&[AT_CHECKPOINT]);
        self.state.run.iter_mut().for_each(|run| run.save_point = None);
        self.tell(Notice::CheckpointReached(checkpoint));
        self.moved();
        self.save_at(SaveAt::Checkpoint);
        Ok(Reached::Now)
    }

    fn in_other_level(&self, checkpoint: Checkpoint) -> Why {
        let of = self.level_name(checkpoint.level().index());
        let level = self.schema.levels.get(checkpoint.level().index());
        let name = level.and_then(|level| level.checkpoints.get(checkpoint.index()));
        Why::OtherLevel { checkpoint: name.unwrap_or(&of).clone(), of }
    }

    pub(crate) fn die(&mut self) -> Option<Death> {
        if EventName::Die.answer(self.phase()) == Answer::Ignored {
            return None;
        }
        let place = self.place();
        let cause = Cause::Death(place);
        self.rules.quiet = true;
        self.count_fact(Fact::Deaths, &cause);
        let lives = self.schema.lives.clone();
        let left = lives.as_ref().and_then(|lives| self.take_life(lives.field, &cause));
        let death = match (left, lives.map(|lives| lives.at_zero)) {
            (Some(..=0), Some(AtZero::EndRun)) => Death::RunOver(self.end(RunEnd::LastLife)),
            (Some(..=0), Some(AtZero::RestartLevel)) => self.restart_level(),
            _ => {
                self.put_back_after_death(&cause);
                if let Some(visit) = self.visit_mut() {
                    visit.stay = Stay::Down;
                }
                self.tell(Notice::LifeLost { left, place });
                Death::LifeLost { left, place }
            }
        };
        self.moved();
        self.rules.quiet = false;
        self.save_at(SaveAt::Death);
        Some(death)
    }

    /// Takes one life and returns the lives left.
    fn take_life(&mut self, field: usize, cause: &Cause) -> Option<i64> {
        let cell = self.schema.fields.get(field)?.cells.start;
        let taken = if Broken::DeathTwice.is() { 2 } else { 1 };
        let left = self.state.cells.get(cell)?.number()?.saturating_sub(taken).max(0);
        self.put(cell, Value::Int(left), cause);
        Some(left)
    }

    fn restart_level(&mut self) -> Death {
        let schema = Arc::clone(&self.schema);
        self.back_to_start(Stay::Down, &Cause::LevelRestart);
        let lives = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
        if let Some(lives) = lives {
            self.put(lives.cells.start, lives.default.clone(), &Cause::LevelRestart);
        }
        let left = lives.and_then(|lives| lives.default.number()).unwrap_or(0);
        let place = self.current_place();
        self.tell(Notice::LifeLost { left: Some(left), place });
        Death::LevelRestarted { left, place }
    }

    pub(crate) fn respawn(&mut self) -> Result<Place, Refused> {
        let answer = self.ask(EventName::Respawn)?;
        if let Some(visit) = self.visit_mut() {
            visit.stay = Stay::Playing;
        }
        self.moved();
        // While playing it is the place that a death would lead to; after a death the player is there.
        Ok(if answer == Answer::Ignored { self.place() } else { self.current_place() })
    }

    pub(crate) fn checkpoint(&self) -> Option<Checkpoint> {
        self.schema.checkpoint_at(self.level()?, self.visit()?.checkpoint?)
    }
}
