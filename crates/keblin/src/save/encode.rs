//! A snapshot to the bodies of its sections: the tapes of the plan, with the values in their gaps. The mirror is `follow`,
//! and for what another schema wrote `decode`.

use keblin_schema::model::Schema;
use keblin_schema::{Name, Value};
use minicbor::Encoder;

use super::map::Failure;
use super::plan::Plan;
use super::tape::{FactOf, Part, Tape};
use super::values;
use crate::snapshot::{Snapshot, State, Stay, Visit};

type Out<'o> = Encoder<&'o mut Vec<u8>>;

/// What the gaps are filled from.
pub(super) struct Filling<'s> {
    schema: &'s Schema,
    plan: &'s Plan,
    state: &'s State,
    /// The values of the fields: those of the state, or a copy.
    cells: &'s [Value],
}

impl<'s> Filling<'s> {
    pub(super) fn of(snapshot: &'s Snapshot, plan: &'s Plan) -> Filling<'s> {
        let Snapshot { schema, state, .. } = snapshot;
        Filling { schema, plan, state, cells: &state.cells }
    }

    /// Writes a tape with its gaps filled.
    pub(super) fn write(&self, out: &mut Out<'_>, tape: &Tape) -> Result<(), Failure> {
        for (part, bytes) in tape.parts() {
            match part {
                Part::Bytes(_) => out.writer_mut().extend_from_slice(bytes),
                part => self.fill(out, part)?,
            }
        }
        Ok(())
    }

    fn fill(&self, out: &mut Out<'_>, part: Part) -> Result<(), Failure> {
        let Filling { schema, plan, state, .. } = self;
        let run = state.run.as_ref();
        let visit = run.and_then(|run| run.visit.as_ref());
        match part {
            Part::Bytes(_) => Ok(()),
            Part::Cell(cell) => self.value(out, cell),
            Part::Table { first, places } => self.table(out, first, places),
            Part::Fact(fact, index) => {
                let facts = state.facts.get(index).copied().unwrap_or_default();
                let count = match fact {
                    FactOf::Finished => return out.bool(facts.finished).map(drop),
                    FactOf::Stars => u64::from(facts.stars),
                    FactOf::Collected => facts.collected,
                    FactOf::Attempts => facts.attempts,
                    FactOf::Deaths => facts.deaths,
                };
                out.u64(count).map(drop)
            }
            Part::Latched(index) => out.bool(state.latched.get(index) == Some(&true)).map(drop),
            Part::Told(index) => out.bool(state.told.get(index) == Some(&true)).map(drop),
            Part::Furthest => id(out, level(schema, state.furthest)),
            Part::Difficulty => id(out, difficulty(schema, state.difficulty)),
            Part::Played => out.i64(state.played.as_nanos()).map(drop),
            Part::Run => match run {
                Some(_) => self.write(out, &plan.inside_run),
                None => out.null().map(drop),
            },
            Part::RunDifficulty => id(out, difficulty(schema, run.and_then(|run| run.difficulty))),
            Part::Visit => match visit {
                Some(_) => self.write(out, &plan.visit),
                None => out.null().map(drop),
            },
            Part::Level => id(out, level(schema, visit.and_then(|visit| visit.level))),
            Part::Checkpoint => id(out, visit.and_then(|visit| checkpoint(schema, visit))),
            Part::Stay => out.str(visit.map_or(Stay::Playing, |visit| visit.stay).as_str()).map(drop),
            Part::Entry => self.copy(out, visit.map(|visit| visit.entry.as_ref())),
            Part::AtCheckpoint => self.copy(out, visit.and_then(|visit| visit.at_checkpoint.as_deref())),
        }
    }

    /// A copy of the values of level and run scope; null where there is none.
    fn copy(&self, out: &mut Out<'_>, cells: Option<&[Value]>) -> Result<(), Failure> {
        match cells.filter(|cells| cells.len() == self.schema.copied_cells) {
            Some(cells) => Filling { cells, ..*self }.write(out, &self.plan.copy),
            None => out.null().map(drop),
        }
    }

    fn value(&self, out: &mut Out<'_>, cell: usize) -> Result<(), Failure> {
        match self.cells.get(cell) {
            // What most values are needs no look at the field.
            Some(Value::Int(number)) => out.i64(*number).map(drop),
            Some(value) => {
                let order = self.schema.field_at(cell).map(|field| self.plan.order(field));
                values::write_ordered(out, value, order.unwrap_or(&super::plan::NO_SHAPE))
            }
            None => out.null().map(drop),
        }
    }

    fn table(&self, out: &mut Out<'_>, first: usize, places: usize) -> Result<(), Failure> {
        let held = self.cells.get(first..first + places).unwrap_or_default();
        let taken = held.iter().take_while(|value| **value != Value::Unset).count();
        out.array(taken as u64)?;
        (first..first + taken).try_for_each(|cell| self.value(out, cell))
    }
}

fn id(out: &mut Out<'_>, id: Option<&str>) -> Result<(), Failure> {
    match id {
        Some(id) => out.str(id).map(drop),
        None => out.null().map(drop),
    }
}

fn level(schema: &Schema, index: Option<usize>) -> Option<&str> {
    index.and_then(|index| schema.levels.get(index)).map(|level| level.name.as_str())
}

fn difficulty(schema: &Schema, index: Option<usize>) -> Option<&str> {
    index.and_then(|index| schema.difficulties.get(index)).map(Name::as_str)
}

fn checkpoint<'s>(schema: &'s Schema, visit: &Visit) -> Option<&'s str> {
    schema.levels.get(visit.level?)?.checkpoints.get(visit.checkpoint?).map(Name::as_str)
}
