//! The run that can be resumed: its difficulty, its place, and the copies for a death and a retry.

use std::sync::Arc;

use keblin_model::Value;
use keblin_model::model::OnDeath;

use super::apply::Applying;
use super::places::{Places, now_of};
use super::{Became, StepFault};
use crate::snapshot::{Run, Schema, State, Visit};

impl Applying<'_> {
    /// Converts the run, with its place and its copies.
    pub(super) fn run(&mut self, state: &mut State) -> Result<(), StepFault> {
        let before = self.before;
        let Some(run) = &before.state.run else { return Ok(()) };
        let difficulty = self.difficulty(run.difficulty, "run.difficulty");
        let visit = match &run.visit {
            Some(visit) => self.visit(visit, Some(&mut state.cells))?,
            None => None,
        };
        let save_point = match &run.save_point {
            Some(visit) => self.visit(visit, None)?,
            None => None,
        };
        state.run = Some(Run { difficulty, visit, save_point });
        Ok(())
    }

    /// Converts a visit; `cells` are the values of the state, `None` for the save point of the run.
    fn visit(&mut self, visit: &Visit, cells: Option<&mut [Value]>) -> Result<Option<Visit>, StepFault> {
        let Places { step, old, now } = self.places;
        let place = |of_visit: &str| if cells.is_some() { of_visit } else { "run.save_point" }.to_string();
        let (at_level, at_checkpoint_id) = (place("run.visit"), place("run.checkpoint"));
        let level = visit.level.map(|level| (level, now_of(&step.levels, level)));
        if let Some((gone, None)) = level {
            let id = old.levels.get(gone).map_or("", |level| level.name.as_str());
            self.tell(at_level, None, Became::Dropped { before: Value::text(id) });
            return Ok(None);
        }
        let level = level.and_then(|(_, level)| level);
        let froms = level.and_then(|level| step.checkpoints.get(level)).map_or(&[][..], Vec::as_slice);
        let checkpoint = visit.checkpoint.and_then(|checkpoint| now_of(froms, checkpoint));
        let mut copy = |copy: &Arc<[Value]>| -> Result<Arc<[Value]>, StepFault> {
            if copy.is_empty() {
                return Ok(Arc::default());
            }
            let mut cells = self.cells(copy, false)?;
            cells.truncate(now.copied_cells);
            Ok(cells.into())
        };
        let entry = copy(&visit.entry)?;
        let mut at_checkpoint = visit.at_checkpoint.as_ref().map(&mut copy).transpose()?;
        if let (Some(gone), None) = (visit.checkpoint, checkpoint) {
            let of = visit.level.and_then(|level| old.levels.get(level));
            let id = of.and_then(|level| level.checkpoints.get(gone)).map_or("", |id| id.as_str());
            let fate = Became::Dropped { before: Value::text(id) };
            self.tell(at_checkpoint_id, None, fate);
            // A save point is a checkpoint, so it goes with it.
            let Some(cells) = cells else { return Ok(None) };
            at_checkpoint = None;
            to_level_start(now, &entry, cells);
        }
        Ok(Some(Visit { level, stay: visit.stay, checkpoint, entry, at_checkpoint }))
    }
}

/// If the checkpoint was removed, puts the player at the start of the level, with the values that a death would
/// restore there.
fn to_level_start(schema: &Schema, entry: &[Value], cells: &mut [Value]) {
    for field in schema.fields.iter().filter(|field| field.scope.is_of_run()) {
        for cell in field.cells.clone() {
            let value = match field.survival.on_death {
                OnDeath::Stays => continue,
                OnDeath::Default => Some(&field.default),
                OnDeath::Checkpoint | OnDeath::Entry => entry.get(cell),
            };
            if let (Some(value), Some(held)) = (value, cells.get_mut(cell)) {
                held.clone_from(value);
            }
        }
    }
}
