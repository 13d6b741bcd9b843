//! What outlives runs, piece by piece: copied from one state to another, and counted.

use std::ops::Range;

use keblin_model::model::{FieldDef, Scope};
use keblin_model::{Model, Value};

use crate::grammar::listed::{FactOf, Leaf};
use crate::snapshot::{LevelFacts, State};

/// Returns the fields whose values outlive runs and are saved, with the first cell of each value or table.
pub(crate) fn profile_fields(model: &Model) -> impl Iterator<Item = &FieldDef> {
    model.fields.iter().filter(|field| field.scope == Scope::Profile && field.durable)
}

impl Leaf {
    /// Returns the cells of a value or a table; none of anything else.
    pub(crate) fn cells(&self) -> Range<usize> {
        match *self {
            Leaf::Cell(first) => first..first + 1,
            Leaf::Table { first, places } => first..first + places,
            _ => 0..0,
        }
    }

    /// Returns a state in which it is the only one that is not as in another state.
    pub(crate) fn only(&self, of: &State, first: &State) -> State {
        let mut state = first.clone();
        self.copy(of, &mut state);
        state
    }

    /// Copies its value from one state to another. Only of what outlives runs.
    pub(crate) fn copy(&self, from: &State, to: &mut State) {
        fn flag(from: &[bool], to: &mut [bool], at: usize) {
            if let (Some(from), Some(to)) = (from.get(at), to.get_mut(at)) {
                *to = *from;
            }
        }
        match *self {
            Leaf::Cell(first) => copy_cells(from, to, first..first + 1),
            Leaf::Table { first, places } => copy_cells(from, to, first..first + places),
            Leaf::Fact(fact, index) => {
                let (Some(from), Some(to)) = (from.facts.get(index), to.facts.get_mut(index)) else { return };
                match fact {
                    FactOf::Finished => to.finished = from.finished,
                    FactOf::Stars => to.stars = from.stars,
                    FactOf::Collected => to.collected = from.collected,
                    FactOf::Attempts => to.attempts = from.attempts,
                    FactOf::Deaths => to.deaths = from.deaths,
                }
            }
            Leaf::Latched(index) => flag(&from.latched, &mut to.latched, index),
            Leaf::Opened(index) => flag(&from.opened, &mut to.opened, index),
            Leaf::Told(index) => flag(&from.told, &mut to.told, index),
            Leaf::Furthest => to.furthest = from.furthest,
            Leaf::Played => to.played = from.played,
            // A star by its id is one of those that are collected; the rest is of the run, or only grows.
            Leaf::Star { .. }
            | Leaf::Difficulty
            | Leaf::RunDifficulty
            | Leaf::Level
            | Leaf::Checkpoint
            | Leaf::Stay
            | Leaf::Made
            | Leaf::EntryAt
            | Leaf::CheckpointAt => {}
        }
    }
}

fn copy_cells(from: &State, to: &mut State, cells: Range<usize>) {
    if let (Some(from), Some(to)) = (from.cells.get(cells.clone()), to.cells.get_mut(cells)) {
        to.clone_from_slice(from);
    }
}

impl FactOf {
    /// Returns a count of a level.
    pub(crate) fn count(self, facts: &LevelFacts) -> Value {
        let count = if self == FactOf::Deaths { facts.deaths } else { facts.attempts };
        Value::Int(i64::try_from(count).unwrap_or(i64::MAX))
    }

    /// Puts a count of a level.
    pub(crate) fn put_count(self, facts: &mut LevelFacts, count: &Value) {
        let count = count.number().and_then(|count| u64::try_from(count).ok()).unwrap_or_default();
        let place = if self == FactOf::Deaths { &mut facts.deaths } else { &mut facts.attempts };
        *place = count;
    }
}
