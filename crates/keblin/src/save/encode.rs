//! A snapshot to the bodies of its sections: the tapes of the plan, with the values in their gaps. The mirror is `follow`,
//! and for what another schema wrote `keyed`.

use keblin_schema::{Name, Schema, Value};
use minicbor::Encoder;

use super::map::Failure;
use super::plan::Plan;
use super::tape::{FactOf, Part, Tape};
use super::values;
use crate::snapshot::{Carried, Snapshot, State, Stay, Visit};

type Out<'o> = Encoder<&'o mut Vec<u8>>;

/// What the gaps are filled from.
pub(super) struct Filling<'s> {
    schema: &'s Schema,
    plan: &'s Plan,
    state: &'s State,
    carried: &'s Carried,
    /// The values of the fields: those of the state, or a copy.
    cells: &'s [Value],
}

impl<'s> Filling<'s> {
    pub(super) fn of(snapshot: &'s Snapshot, plan: &'s Plan) -> Filling<'s> {
        let Snapshot { schema, state, carried, .. } = snapshot;
        Filling { schema, plan, state, carried, cells: &state.cells }
    }

    /// Writes a tape with its gaps filled.
    pub(super) fn write(&self, out: &mut Out<'_>, tape: &Tape) -> Result<(), Failure> {
        // First what fits into the gaps as they are, which is nearly everything; what does not is put between after.
        let (bytes, wide) = tape.filled(&self.state.facts, |part| self.one_byte(part));
        let mut from = 0;
        for gap in wide {
            out.writer_mut().extend_from_slice(bytes.get(from..gap.at).unwrap_or_default());
            self.fill(out, gap.part)?;
            from = gap.at + 1;
        }
        out.writer_mut().extend_from_slice(bytes.get(from..).unwrap_or_default());
        Ok(())
    }

    /// The encoding of what stands in a gap, if it is one byte.
    fn one_byte(&self, part: Part) -> Option<u8> {
        match part {
            Part::Fact(fact, index) => {
                let facts = self.state.facts.get(index)?;
                match fact {
                    FactOf::Finished => Some(bool(facts.finished)),
                    FactOf::Stars => small(facts.stars.into()),
                    FactOf::Collected => small(facts.collected),
                    FactOf::Attempts => small(facts.attempts),
                    FactOf::Deaths => small(facts.deaths),
                }
            }
            Part::Cell(cell) => match self.cells.get(cell)? {
                Value::Unset => Some(0xf6),
                Value::Bool(yes) => Some(bool(*yes)),
                Value::Int(number) => small(u64::try_from(*number).ok()?),
                _ => None,
            },
            Part::Latched(index) => self.state.latched.get(index).map(|yes| bool(*yes)),
            Part::Told(index) => self.state.told.get(index).map(|yes| bool(*yes)),
            _ => None,
        }
    }

    fn fact(&self, out: &mut Out<'_>, fact: FactOf, index: usize) -> Result<(), Failure> {
        let Some(facts) = self.state.facts.get(index) else { return out.null().map(drop) };
        match fact {
            FactOf::Finished => out.bool(facts.finished).map(drop),
            FactOf::Stars => out.u8(facts.stars).map(drop),
            FactOf::Collected => out.u64(facts.collected).map(drop),
            FactOf::Attempts => out.u64(facts.attempts).map(drop),
            FactOf::Deaths => out.u64(facts.deaths).map(drop),
        }
    }

    fn fill(&self, out: &mut Out<'_>, part: Part) -> Result<(), Failure> {
        let Filling { schema, plan, state, carried, .. } = self;
        let run = state.run.as_ref();
        let visit = run.and_then(|run| run.visit.as_ref());
        match part {
            Part::Cell(cell) => self.value(out, cell),
            Part::Fact(fact, index) => self.fact(out, fact, index),
            Part::Table { first, places } => self.table(out, first, places),
            Part::Latched(index) => out.bool(state.latched.get(index) == Some(&true)).map(drop),
            Part::Told(index) => out.bool(state.told.get(index) == Some(&true)).map(drop),
            Part::Furthest => id(out, carried.furthest.as_deref().or(level(schema, state.furthest))),
            Part::Difficulty => {
                id(out, carried.difficulty.as_deref().or(difficulty(schema, state.difficulty)))
            }
            Part::Played => out.i64(state.played.as_nanos()).map(drop),
            Part::Run => match run {
                Some(_) => self.write(out, &plan.inside_run),
                None => out.null().map(drop),
            },
            Part::RunDifficulty => {
                let declared = difficulty(schema, run.and_then(|run| run.difficulty));
                id(out, carried.run_difficulty.as_deref().or(declared))
            }
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
            Some(value) => {
                let order = self.schema.field_at(cell).map(|field| self.plan.order(field));
                values::write_ordered(out, value, order.unwrap_or(&values::NO_SHAPE))
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

/// RFC 8949, section 3.3: the simple values 20 and 21.
fn bool(yes: bool) -> u8 {
    0xf4 | u8::from(yes)
}

/// RFC 8949, section 3.1: numbers below 24 are their own head.
fn small(count: u64) -> Option<u8> {
    u8::try_from(count).ok().filter(|count| *count < 24)
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
