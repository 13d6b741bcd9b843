//! The one place where values and facts change. No other module of `progress` writes them, so the journal, the rules
//! and the revision see every change.

use std::sync::Arc;

use keblin_model::Value;
use keblin_model::model::{At, FieldDef, OnDeath, OnReset};
use keblin_model::program::Fact;

use super::Engine;
use super::journal::{Cause, Journal, Target};
use crate::snapshot::{LevelFacts, State};

/// The copy that an event resets a value to.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Origin {
    Live,
    Checkpoint,
    Entry,
    Default,
}

impl From<OnDeath> for Origin {
    fn from(word: OnDeath) -> Origin {
        match word {
            OnDeath::Stays => Origin::Live,
            OnDeath::Checkpoint => Origin::Checkpoint,
            OnDeath::Entry => Origin::Entry,
            OnDeath::Default => Origin::Default,
        }
    }
}

impl From<OnReset> for Origin {
    fn from(word: OnReset) -> Origin {
        match word {
            OnReset::Stays => Origin::Live,
            OnReset::Default => Origin::Default,
        }
    }
}

impl Engine {
    /// Changes a value.
    pub(super) fn put(&mut self, cell: usize, value: Value, cause: &Cause) {
        if let Some(held) = self.state.cells.get_mut(cell)
            && *held != value
        {
            let before = std::mem::replace(held, value.clone());
            self.journal.note(Target::Cell(cell), before, value, cause.clone());
            self.cell_changed(cell, cause);
        }
    }

    /// Makes a record unset.
    pub(super) fn unset(&mut self, cell: usize) {
        self.put(cell, Value::Unset, &Cause::Load);
    }

    /// Adds to a whole number.
    #[inline]
    pub(super) fn put_sum(&mut self, cell: usize, [held, after]: [i64; 2], by: i64) {
        if let Some(Value::Int(number)) = self.state.cells.get_mut(cell) {
            *number = after;
            self.journal.note_added(cell, [held, after], by);
            self.cell_changed(cell, &Cause::Add(Value::Int(by)));
        }
    }

    /// Advances a clock. It does not count as a change of the revision: a clock is read in every frame that shows it.
    pub(super) fn put_time(&mut self, cell: usize, time: Value) {
        if let Some(held) = self.state.cells.get_mut(cell)
            && *held != time
        {
            let before = std::mem::replace(held, time.clone());
            self.journal.note(Target::Cell(cell), before, time, Cause::Tick);
            self.rules.cell_changed(&self.schema, cell);
        }
    }

    #[inline]
    fn cell_changed(&mut self, cell: usize, cause: &Cause) {
        self.rules.cell_changed(&self.schema, cell);
        self.changed_meanwhile(cell, cause);
        self.changed();
    }

    /// Sets the values of device scope, as stored next to the slots.
    pub(crate) fn put_device(&mut self, values: Vec<Value>) {
        let first = self.schema.saved_cells;
        for (cell, value) in (first..).zip(values) {
            self.put(cell, value, &Cause::Load);
        }
        self.clamp_all();
        self.journal = Journal::default();
        self.note_rules();
    }

    /// Resets the values of level and run scope, each by one of its survival words.
    pub(super) fn put_back(&mut self, origin: impl Fn(&FieldDef) -> Origin, cause: &Cause) {
        let schema = Arc::clone(&self.schema);
        let copies = self.visit().map(|visit| {
            let entry = Arc::clone(&visit.entry);
            let checkpoint = visit.at_checkpoint.as_ref().map_or_else(|| Arc::clone(&entry), Arc::clone);
            (entry, checkpoint)
        });
        for field in schema.fields.iter().filter(|field| field.scope.is_of_run()) {
            for cell in field.cells.clone() {
                let copied = |copy: &Arc<[Value]>| copy.get(cell).cloned();
                let value = match (origin(field), &copies) {
                    (Origin::Live, _) => continue,
                    (Origin::Checkpoint, Some((_, checkpoint))) => copied(checkpoint),
                    (Origin::Entry, Some((entry, _))) => copied(entry),
                    (Origin::Default | Origin::Checkpoint | Origin::Entry, _) => None,
                };
                self.put(cell, value.unwrap_or_else(|| field.default.clone()), cause);
            }
        }
        // After all of them are reset: one may be the bound of another.
        self.hold_bounds();
    }

    /// Changes a fact of a level.
    pub(super) fn put_fact(&mut self, at: At, fact: Fact, value: Value, cause: &Cause) {
        let Some(level) = at.level else { return };
        let before = self.fact_value(at, fact);
        let index = self.schema.fact_index(level, at.difficulty.unwrap_or(0));
        let Some(facts) = self.state.facts.get_mut(index).filter(|_| before != value) else { return };
        let count = value.number().and_then(|number| u64::try_from(number).ok()).unwrap_or(0);
        match fact {
            Fact::Finished => facts.finished = value == Value::Bool(true),
            Fact::Stars => {
                facts.stars = u8::try_from(count).unwrap_or(u8::MAX);
                // Erased stars are no longer collected.
                facts.collected = if facts.stars == 0 { 0 } else { facts.collected };
            }
            Fact::Attempts => facts.attempts = count,
            _ => facts.deaths = count,
        }
        let difficulty = at.difficulty.filter(|_| self.schema.level_facts_per_difficulty);
        let target = Target::Fact { at: At::level(at.level, difficulty), fact };
        self.journal.note(target, before, value, cause.clone());
        self.changed();
        self.rules.fact_changed(&self.schema, level, fact);
    }

    /// Changes which stars of a level are collected, if they are collected separately.
    pub(super) fn put_collected(&mut self, at: At, collected: u64) {
        let index = at.level.map(|level| self.schema.fact_index(level, at.difficulty.unwrap_or(0)));
        let held = index.and_then(|index| self.state.facts.get_mut(index));
        if let Some(held) = held.filter(|held| held.collected != collected) {
            held.collected = collected;
            self.changed();
        }
    }

    /// Resets everything except values and facts to the first launch.
    pub(super) fn forget_all_but_values(&mut self) {
        let (cells, facts) = (std::mem::take(&mut self.state.cells), std::mem::take(&mut self.state.facts));
        self.state = State { cells, facts, ..State::first(&self.schema) };
    }

    /// Combines the facts of all levels with those of another save, by a rule.
    pub(super) fn put_facts(
        &mut self,
        others: &[LevelFacts],
        mut rule: impl FnMut(LevelFacts, LevelFacts) -> LevelFacts,
    ) {
        let schema = Arc::clone(&self.schema);
        for (index, other) in others.iter().enumerate() {
            let at = schema.fact_place(index);
            let held = self.facts_at(at.level.unwrap_or(0), at.difficulty);
            let now = rule(held, *other);
            self.put_collected(at, now.collected);
            self.put_fact(at, Fact::Finished, Value::Bool(now.finished), &Cause::Load);
            self.put_fact(at, Fact::Stars, Value::Int(now.stars.into()), &Cause::Load);
            self.put_fact(at, Fact::Attempts, count(now.attempts), &Cause::Load);
            self.put_fact(at, Fact::Deaths, count(now.deaths), &Cause::Load);
        }
    }
}

pub(super) fn count(number: u64) -> Value {
    Value::Int(i64::try_from(number).unwrap_or(i64::MAX))
}
