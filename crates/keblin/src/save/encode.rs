//! Writes a snapshot to the bodies of its sections: the templates of the plan, with the values in their holes. `reading`
//! is the reverse.

use keblin_model::{Model, Name, Value};
use minicbor::Encoder;

use super::facts;
use super::originals::Originals;
use super::values;
use crate::broken::Broken;
use crate::grammar::Failure;
use crate::grammar::listed::{Branch, FactOf, Leaf};
use crate::grammar::plan::{NO_SHAPE, Plan};
use crate::grammar::template::{Hole, Template};
use crate::snapshot::{Carried, Snapshot, State, Stay, Visit};

type Out<'o> = Encoder<&'o mut Vec<u8>>;

/// Where the values for the holes come from.
#[derive(Clone, Copy)]
pub(super) struct Filling<'s> {
    model: &'s Model,
    plan: &'s Plan,
    state: &'s State,
    carried: &'s Carried,
    visit: Option<&'s Visit>,
    /// Whether the visit is that of the save point.
    in_save_point: bool,
    /// The values of the fields: those of the state, or a copy.
    cells: &'s [Value],
}

impl<'s> Filling<'s> {
    pub(super) fn of(snapshot: &'s Snapshot, plan: &'s Plan) -> Filling<'s> {
        let Snapshot { schema, state, carried, .. } = snapshot;
        let visit = state.run.as_ref().and_then(|run| run.visit.as_ref());
        Filling { model: schema, plan, state, carried, visit, in_save_point: false, cells: &state.cells }
    }

    /// Writes a template and fills its holes.
    pub(super) fn write(&self, out: &mut Out<'_>, template: &Template) -> Result<(), Failure> {
        for (before, hole) in template.holes() {
            out.writer_mut().extend_from_slice(before);
            match hole {
                Hole::Leaf(leaf) => self.leaf(out, *leaf)?,
                Hole::Facts(index, inside) => {
                    let facts = self.state.facts_to_save(self.model, *index);
                    if !facts.is_some_and(|facts| facts::write_small(out.writer_mut(), &facts)) {
                        self.write(out, inside)?;
                    }
                }
                Hole::Branch(branch, inside) => match (self.as_it_was(*branch), self.inside(*branch)) {
                    (Some(bytes), _) => out.writer_mut().extend_from_slice(bytes),
                    (None, Some(filling)) => filling.write(out, inside)?,
                    (None, None) => out.null().map(drop)?,
                },
            }
        }
        out.writer_mut().extend_from_slice(template.rest());
        Ok(())
    }

    /// Returns the values of a branch; `None` if there is no such branch.
    fn inside(&self, branch: Branch) -> Option<Filling<'s>> {
        let cells = match branch {
            Branch::Run => return self.state.run.as_ref().map(|_| *self),
            Branch::Visit => return self.visit.map(|_| *self),
            Branch::SavePoint => {
                let visit = self.state.run.as_ref()?.save_point.as_ref()?;
                return Some(Filling { visit: Some(visit), in_save_point: true, ..*self });
            }
            Branch::Entry => Some(self.visit?.entry.as_ref()),
            Branch::AtCheckpoint => self.visit?.at_checkpoint.as_deref(),
        };
        // A finished visit does not have a copy.
        cells.filter(|cells| cells.len() == self.model.copied_cells).map(|cells| Filling { cells, ..*self })
    }

    /// Returns a part of the run as another build wrote it, if this one does not know all of it and has not changed it.
    fn as_it_was(&self, branch: Branch) -> Option<&'s [u8]> {
        let part = (self.in_save_point || branch == Branch::SavePoint, branch);
        let before = self.carried.visits.get(&part).filter(|_| !Broken::VisitForgotten.is())?;
        let read = before.read.as_ref();
        let is_same = match branch {
            Branch::Run => false,
            Branch::Visit => read == self.visit,
            Branch::SavePoint => read == self.state.run.as_ref()?.save_point.as_ref(),
            Branch::Entry => read?.entry == self.visit?.entry,
            Branch::AtCheckpoint => read?.at_checkpoint == self.visit?.at_checkpoint,
        };
        is_same.then_some(&*before.bytes)
    }

    fn leaf(&self, out: &mut Out<'_>, leaf: Leaf) -> Result<(), Failure> {
        let Filling { model, state, carried, visit, .. } = *self;
        match leaf {
            Leaf::Cell(cell) => self.value(out, cell),
            Leaf::Table { first, places } => self.table(out, first, places),
            Leaf::Fact(fact, index) => self.fact(out, fact, index),
            Leaf::Star { facts, star } => bool(out, state.has_collected(facts, star)),
            Leaf::Latched(index) => bool(out, state.latched.get(index) == Some(&true)),
            Leaf::Opened(index) => bool(out, state.opened.get(index) == Some(&true)),
            Leaf::Told(index) => bool(out, state.told.get(index) == Some(&true)),
            Leaf::Furthest => id(out, carried.furthest.as_deref().or(level(model, state.furthest))),
            Leaf::Difficulty => {
                id(out, carried.difficulty.as_deref().or(difficulty(model, state.difficulty)))
            }
            Leaf::Played => out.i64(state.played.as_nanos()).map(drop),
            Leaf::RunDifficulty => {
                let declared = difficulty(model, state.run.as_ref().and_then(|run| run.difficulty));
                id(out, carried.run_difficulty.as_deref().or(declared))
            }
            Leaf::Made => count(out, if Broken::IdsGivenAgain.is() { 0 } else { state.made }),
            Leaf::EntryAt => out.i64(state.entry_at.as_nanos()).map(drop),
            Leaf::CheckpointAt => out.i64(state.checkpoint_at.as_nanos()).map(drop),
            Leaf::Level => id(out, level(model, visit.and_then(|visit| visit.level))),
            Leaf::Checkpoint => id(out, visit.and_then(|visit| checkpoint(model, visit))),
            Leaf::Stay => out.str(visit.map_or(Stay::Playing, |visit| visit.stay).as_str()).map(drop),
        }
    }

    fn fact(&self, out: &mut Out<'_>, fact: FactOf, index: usize) -> Result<(), Failure> {
        let Some(facts) = self.state.facts_to_save(self.model, index) else { return out.null().map(drop) };
        match fact {
            FactOf::Finished => bool(out, facts.finished),
            FactOf::Stars => count(out, facts.stars.into()),
            FactOf::Collected => count(out, facts.collected),
            FactOf::Attempts => count(out, facts.attempts),
            FactOf::Deaths => count(out, facts.deaths),
        }
    }

    fn value(&self, out: &mut Out<'_>, cell: usize) -> Result<(), Failure> {
        if let Some((originals, now)) = self.originals(cell, 1) {
            out.writer_mut().extend(originals.of_value(now.first().unwrap_or(&Value::Unset)));
            return Ok(());
        }
        match self.cells.get(cell) {
            Some(Value::Bool(yes)) => bool(out, *yes),
            Some(Value::Int(number @ 0..)) => count(out, number.unsigned_abs()),
            Some(value) => {
                let order = self.model.field_at(cell).map(|field| self.plan.order(field));
                values::write_ordered(out, value, order.unwrap_or(&NO_SHAPE))
            }
            None => out.null().map(drop),
        }
    }

    /// Returns what another build wrote for some cells, with their values now, if this one does not know all of it.
    fn originals(&self, first: usize, places: usize) -> Option<(Originals<'s>, &'s [Value])> {
        let before = self.carried.values.get(&first).filter(|_| !Broken::PartsForgotten.is())?;
        let (now, field) = (self.cells.get(first..first + places)?, self.model.field_at(first)?);
        Some((Originals { model: self.model, field, order: self.plan.order(field), before }, now))
    }

    fn table(&self, out: &mut Out<'_>, first: usize, places: usize) -> Result<(), Failure> {
        if let Some((originals, now)) = self.originals(first, places) {
            out.writer_mut().extend(originals.of_table(now));
            return Ok(());
        }
        let held = self.cells.get(first..first + places).unwrap_or_default();
        let taken = held.iter().take_while(|value| **value != Value::Unset).count();
        out.array(taken as u64)?;
        (first..first + taken).try_for_each(|cell| self.value(out, cell))
    }
}

/// RFC 8949, section 3.3: the simple values 20 and 21.
fn bool(out: &mut Out<'_>, yes: bool) -> Result<(), Failure> {
    out.writer_mut().push(0xf4 | u8::from(yes));
    Ok(())
}

/// RFC 8949, section 3.1: a number below 24 is its own head. Most numbers are.
fn count(out: &mut Out<'_>, count: u64) -> Result<(), Failure> {
    match u8::try_from(count) {
        Ok(small @ 0..24) => out.writer_mut().push(small),
        _ => out.u64(count).map(drop)?,
    }
    Ok(())
}

fn id(out: &mut Out<'_>, id: Option<&str>) -> Result<(), Failure> {
    match id {
        Some(id) => out.str(id).map(drop),
        None => out.null().map(drop),
    }
}

fn level(model: &Model, index: Option<usize>) -> Option<&str> {
    index.and_then(|index| model.levels.get(index)).map(|level| level.name.as_str())
}

fn difficulty(model: &Model, index: Option<usize>) -> Option<&str> {
    index.and_then(|index| model.difficulties.get(index)).map(Name::as_str)
}

fn checkpoint<'s>(model: &'s Model, visit: &Visit) -> Option<&'s str> {
    model.levels.get(visit.level?)?.checkpoints.get(visit.checkpoint?).map(Name::as_str)
}
