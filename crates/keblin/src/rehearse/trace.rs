//! Which line changed which value. Values are compared before and after each step, and the journal says why. So a
//! failed expectation can name the cause even if the game was closed in between.

use std::collections::BTreeMap;

use keblin_model::Value;
use keblin_model::model::At;
use keblin_model::names::{Asked, ENGINE};
use keblin_model::program::Fact;

use crate::progress::Engine;
use crate::progress::journal::Target;

/// A change that a step made.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Traced {
    /// The line of the step, from 1.
    pub line: usize,
    /// The step as written.
    pub step: String,
    /// The name of the value, as people read it: `oil`, `stars at reedgate, neap`.
    pub name: String,
    /// The old value.
    pub before: Value,
    /// The new value.
    pub after: Value,
    /// Why, in the journal's words.
    pub cause: String,
}

/// The last change of each name.
#[derive(Default)]
pub(super) struct Trace {
    last: BTreeMap<String, Traced>,
}

/// The names and values of everything that conditions can read.
pub(super) struct Seen(Vec<(String, Option<Target>, Value)>);

impl Seen {
    pub(super) fn of(progress: &Engine) -> Seen {
        let schema = progress.schema();
        let cells = (0..schema.cell_count).map(|cell| (Target::Cell(cell), progress.value_at(cell).clone()));
        let difficulties = if schema.level_facts_per_difficulty { schema.difficulties.len() } else { 1 };
        let places = (0..schema.levels.len()).flat_map(|level| {
            let apart = schema.level_facts_per_difficulty;
            (0..difficulties).map(move |index| At::level(Some(level), apart.then_some(index)))
        });
        let facts = places.flat_map(|at| {
            Fact::ALL
                .iter()
                .map(move |fact| (Target::Fact { at, fact: *fact }, progress.fact_value(at, *fact)))
        });
        let stored = cells.chain(facts).map(|(target, value)| (target.text(schema), Some(target), value));
        let derived = ENGINE.iter().map(|(name, asked)| (name.to_string(), None, progress.answer(asked)));
        let unlocked = schema.unlocks.iter().enumerate().map(|(index, unlock)| {
            (format!("unlocked.{}", unlock.name), None, progress.answer(&Asked::Unlocked(index)))
        });
        Seen(stored.chain(derived).chain(unlocked).collect())
    }
}

impl Trace {
    /// Notes what a step changed; `instead` is the cause if the journal does not know one.
    pub(super) fn note(
        &mut self,
        (line, step): (usize, &str),
        (before, after): (&Seen, &Seen),
        progress: &Engine,
        instead: &str,
    ) -> Vec<Traced> {
        let mut changes = Vec::new();
        for ((name, target, before), (_, _, after)) in before.0.iter().zip(&after.0) {
            if before == after {
                continue;
            }
            let entry =
                target.and_then(|target| progress.journal().rev().find(|entry| entry.target == target));
            let cause = entry.map_or(instead.to_string(), |entry| entry.cause.text(progress.schema()));
            let (before, after) = (before.clone(), after.clone());
            let traced = Traced { line, step: step.to_string(), name: name.clone(), before, after, cause };
            self.last.insert(name.clone(), traced.clone());
            changes.push(traced);
        }
        changes
    }

    /// Returns the latest change of some names.
    pub(super) fn last(&self, names: &[String]) -> Option<&Traced> {
        names.iter().filter_map(|name| self.last.get(name)).max_by_key(|change| change.line)
    }
}
