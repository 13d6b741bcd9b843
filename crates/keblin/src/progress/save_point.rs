//! Save points: with `checkpoint_lasts = "run"` a death leads to the last checkpoint reached in the run, also from another
//! level. While its visit is the current one, the visit has it; when that visit ends or restarts, the run keeps it.

use std::sync::Arc;

use keblin_model::Value;
use keblin_model::model::{Again, CheckpointLasts, Scope};

use super::journal::Cause;
use super::place::Place;
use super::{Engine, Origin};
use crate::snapshot::Visit;

impl Engine {
    /// Keeps the checkpoint of a visit that ends or restarts.
    pub(super) fn keep_save_point(&mut self) {
        if self.schema.checkpoint_lasts == CheckpointLasts::Run
            && let Some(run) = &mut self.state.run
            && let Some(visit) = run.visit.as_ref().filter(|visit| visit.at_checkpoint.is_some())
        {
            run.save_point = Some(visit.clone());
        }
    }

    /// Returns the save point that a death leads to; `None` if the visit has a checkpoint of its own, or there is none.
    fn save_point(&self) -> Option<&Visit> {
        let run = self.run()?;
        let has_own = run.visit.as_ref().is_some_and(|visit| visit.at_checkpoint.is_some());
        run.save_point.as_ref().filter(|_| !has_own)
    }

    pub(super) fn place_of_save_point(&self) -> Option<Place> {
        let visit = self.save_point()?;
        let level = self.schema.level_at(visit.level?)?;
        Some(Place { level: Some(level), checkpoint: self.schema.checkpoint_at(level, visit.checkpoint?) })
    }

    /// Returns the copy of values that a death restores.
    pub(super) fn at_checkpoint(&self) -> Option<&Arc<[Value]>> {
        self.save_point().or_else(|| self.visit())?.at_checkpoint.as_ref()
    }

    /// Resets values as their `on_death` says. If a save point in an earlier visit is the place, that visit goes on,
    /// with its values of level scope as they were there.
    pub(super) fn put_back_after_death(&mut self, cause: &Cause) {
        self.put_world_back(|kind| kind.on_death.into());
        let Some(earlier) = self.save_point().cloned() else {
            return self.put_back(|field| field.survival.on_death.into(), cause);
        };
        if let Some(run) = &mut self.state.run {
            let stay = run.visit.as_ref().map_or(earlier.stay, |visit| visit.stay);
            run.visit = Some(Visit { stay, ..earlier });
            run.save_point = None;
        }
        self.forget_told(Again::Level);
        self.put_back(
            |field| match field.scope {
                Scope::Level => Origin::Checkpoint,
                _ => field.survival.on_death.into(),
            },
            cause,
        );
    }
}
