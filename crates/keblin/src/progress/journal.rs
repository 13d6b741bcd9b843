//! The journal: which event last changed each value, and why. It is not part of the state: a cloned progress starts
//! with an empty journal, and it is neither compared nor saved.

use keblin_model::Value;
use keblin_model::model::{At, FieldDef};
use keblin_model::program::Fact;

use super::place::{FACT_AXES, Place, RunEnd};
use crate::snapshot::Schema;

/// How many changes the journal keeps; older ones are forgotten.
pub const JOURNAL_ENTRIES: usize = 256;

/// What changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Target {
    /// A value, by its cell in the layout.
    Cell(usize),
    /// A level's fact.
    Fact {
        /// The level and, if facts are kept per difficulty, the difficulty.
        at: At,
        /// The fact.
        fact: Fact,
    },
}

/// Why it changed.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Cause {
    /// The game set it.
    Set,
    /// The game added to it.
    Add(Value),
    /// The game spent some of it.
    Spend(Value),
    /// The game submitted it as a record.
    Submit,
    /// Time passed.
    Tick,
    /// A run began.
    Begin,
    /// A level was entered.
    Enter,
    /// A death took or restored a value.
    Death(Place),
    /// The last life was lost and the level restarted.
    LevelRestart,
    /// The level was restarted.
    Retry,
    /// The level was finished.
    Finish,
    /// The run ended.
    RunEnd(RunEnd),
    /// The game put an item into it.
    Put(Value),
    /// The game took an item out of it.
    Take(Value),
    /// A bound that it follows moved.
    Bound,
    /// A save was loaded.
    Load,
    /// It was erased.
    Erase,
    /// A test or a tool set it.
    Suppose,
}

/// One change of a value or fact.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Entry {
    /// The number of the change since the progress was made, from 1.
    pub number: u64,
    /// What changed.
    pub target: Target,
    /// The old value.
    pub before: Value,
    /// The new value.
    pub after: Value,
    /// Why.
    pub cause: Cause,
}

impl Entry {
    /// Returns the change as people read it: `oil: 30 -> 20 (add -10)`.
    #[must_use]
    pub fn text(&self, schema: &Schema) -> String {
        let name = self.target.text(schema);
        format!("{name}: {} -> {} ({})", self.before, self.after, self.cause.text(schema))
    }
}

impl Target {
    /// Returns the target as people read it: `oil`, `best_crossing at reedgate, neap`, `stars at reedgate, neap`.
    #[must_use]
    pub fn text(&self, schema: &Schema) -> String {
        let (name, place) = match self {
            Target::Cell(cell) => match schema.cell_owner(*cell) {
                Some((field, at)) => (field.name.as_str(), table_place(schema, field, at, *cell)),
                None => ("?", String::new()),
            },
            Target::Fact { at, fact } => (fact.as_str(), schema.place_text(&FACT_AXES, *at)),
        };
        match place {
            place if place.is_empty() => name.to_string(),
            place => format!("{name} at {place}"),
        }
    }
}

/// Returns a place on a field's axes and, in a table of best values, the position.
fn table_place(schema: &Schema, field: &FieldDef, at: At, cell: usize) -> String {
    let place = schema.place_text(&field.per, at);
    match (schema.place_in_table(cell), place.is_empty()) {
        (1, _) => place,
        (number, true) => format!("place {number}"),
        (number, false) => format!("{place}, place {number}"),
    }
}

impl Cause {
    /// Returns the cause as people read it: `add -10`, `death, from birch`.
    #[must_use]
    pub fn text(&self, schema: &Schema) -> String {
        match self {
            Cause::Set => "set".into(),
            Cause::Add(amount) => format!("add {amount}"),
            Cause::Spend(amount) => format!("spend {amount}"),
            Cause::Submit => "submit".into(),
            Cause::Tick => "tick".into(),
            Cause::Begin => "begin".into(),
            Cause::Enter => "enter".into(),
            Cause::Death(place) => format!("death, from {}", place.text(schema)),
            Cause::LevelRestart => "last life, level restarts".into(),
            Cause::Retry => "retry".into(),
            Cause::Finish => "finish".into(),
            Cause::RunEnd(end) => format!("run end, {}", end.as_str()),
            Cause::Put(item) => format!("put {item}"),
            Cause::Take(item) => format!("take {item}"),
            Cause::Bound => "its bound moved".into(),
            Cause::Load => "load".into(),
            Cause::Erase => "erase".into(),
            Cause::Suppose => "suppose".into(),
        }
    }
}

impl<G: Copy> Place<G> {
    /// Returns the place as people read it: the checkpoint's id, or `the start of reedgate`.
    #[must_use]
    pub fn text(&self, schema: &Schema) -> String {
        let level = self.level.and_then(|level| schema.levels.get(level.index()));
        let checkpoint = self.checkpoint.and_then(|point| level?.checkpoints.get(point.index()));
        match (checkpoint, level) {
            (Some(checkpoint), _) => checkpoint.to_string(),
            (None, Some(level)) => format!("the start of {}", level.name),
            (None, None) => "the start".to_string(),
        }
    }
}

/// The last [`JOURNAL_ENTRIES`] changes, in a ring: a change only fills in one entry.
#[derive(Debug, Default)]
pub(super) struct Journal {
    ring: Vec<Entry>,
    /// The position of the oldest entry, once the ring is full.
    oldest: usize,
    count: u64,
}

impl Journal {
    /// Returns a copy of the journal, which `Clone` does not.
    pub(super) fn duplicate(&self) -> Journal {
        Journal { ring: self.ring.clone(), oldest: self.oldest, count: self.count }
    }
}

impl Clone for Journal {
    fn clone(&self) -> Journal {
        Journal::default()
    }
}

impl Journal {
    #[inline]
    pub(super) fn note(&mut self, target: Target, before: Value, after: Value, cause: Cause) {
        if matches!(cause, Cause::Tick) && self.stretch(target, &after) {
            return;
        }
        self.count += 1;
        let next = Entry { number: self.count, target, before, after, cause };
        if self.ring.len() < JOURNAL_ENTRIES {
            self.ring.push(next);
        } else if let Some(entry) = self.ring.get_mut(self.oldest) {
            *entry = next;
            self.oldest = (self.oldest + 1) % JOURNAL_ENTRIES;
        }
    }

    /// Notes an addition to a whole number, the most frequent change. If it replaces an older entry of the same kind,
    /// only numbers are written.
    #[inline]
    pub(super) fn note_added(&mut self, cell: usize, numbers: [i64; 2], by: i64) {
        let [from, to] = numbers;
        let full = self.ring.len() == JOURNAL_ENTRIES;
        if let Some(Entry {
            number,
            target: target @ Target::Cell(_),
            before: Value::Int(before),
            after: Value::Int(after),
            cause: Cause::Add(Value::Int(added)),
        }) = self.ring.get_mut(self.oldest).filter(|_| full)
        {
            self.count += 1;
            *number = self.count;
            *target = Target::Cell(cell);
            (*before, *after, *added) = (from, to, by);
            self.oldest = (self.oldest + 1) % JOURNAL_ENTRIES;
            return;
        }
        self.note(Target::Cell(cell), Value::Int(from), Value::Int(to), Cause::Add(Value::Int(by)));
    }

    /// Clocks change every frame. A row of ticks is one entry per clock, or it would push out everything else.
    fn stretch(&mut self, target: Target, after: &Value) -> bool {
        let (later, earlier) = self.ring.split_at_mut(self.oldest);
        let newest_first = later.iter_mut().rev().chain(earlier.iter_mut().rev());
        let newest_ticks = newest_first.take_while(|entry| matches!(entry.cause, Cause::Tick));
        match newest_ticks.into_iter().find(|entry| entry.target == target) {
            Some(entry) => {
                entry.after = after.clone();
                true
            }
            None => false,
        }
    }

    pub(super) fn entries(&self) -> impl DoubleEndedIterator<Item = &Entry> {
        let (later, earlier) = self.ring.split_at(self.oldest);
        earlier.iter().chain(later)
    }
}
