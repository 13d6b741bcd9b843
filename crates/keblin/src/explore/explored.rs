//! What an exploration has found: breaches, how far it got, and what was reached.

use std::collections::BTreeMap;

use keblin_model::Model;
use keblin_model::model::CheckpointLasts;
use keblin_model::survival::Row;

use super::breach::Breach;
use super::found::Found;
use super::question::Question;
use super::reached::{Best, Goal, goals};
use super::tell::Projection;

/// The result of an exploration.
#[derive(Clone, Debug, Default)]
#[non_exhaustive]
pub struct Explored {
    /// The promises that are not kept, each once.
    pub breaches: Vec<Breach>,
    /// The questions, and how far each was followed.
    pub questions: Vec<Asked>,
    /// What was reached, and what was not.
    pub coverage: Coverage,
    /// Fields that no question depends on: nothing reads them.
    pub left_out: Vec<String>,
    /// How many breaches did not fail when they were played exactly. They are left out.
    pub unconfirmed: usize,
}

/// A question, and how far it was followed.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Asked {
    /// What is asked.
    pub name: String,
    /// What its states are told apart by.
    pub told_apart: Vec<String>,
    /// How many states were told apart.
    pub states: usize,
    /// How many moves were played.
    pub moves: usize,
    /// The most steps of a way.
    pub depth: usize,
    /// Whether all states were reached that can be told apart.
    pub exhausted: bool,
}

/// What was reached, by what it is: `entered reedgate`, `unlocked fog_lamp`; of rules both sides, `open mill` and `not open
/// mill`.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Coverage {
    /// What was reached.
    pub reached: Vec<String>,
    /// What was not, with whether that is proven: all states of its question were reached.
    pub never: Vec<(String, bool)>,
    /// How many cells of the survival table happened to a value that was not its default, and how many there are for the
    /// fields of the questions.
    pub survival: (usize, usize),
}

/// How far an exploration is.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct Pace<'p> {
    /// The question.
    pub question: &'p str,
    /// Its place among the questions, from 1, and how many there are.
    pub place: (usize, usize),
    /// How many of its states were told apart.
    pub states: usize,
    /// The steps of the ways that are tried now.
    pub depth: usize,
    /// How many moves were played in all.
    pub moves: usize,
}

impl Explored {
    /// Returns whether all states of all questions were reached.
    #[must_use]
    pub fn is_exhausted(&self) -> bool {
        self.questions.iter().all(|question| question.exhausted)
    }

    /// Ends a test if a promise is not kept.
    ///
    /// # Panics
    /// With each promise that is not kept, and the rehearsal that shows it.
    #[track_caller]
    pub fn must_find_nothing(&self) {
        let all: Vec<String> = self.breaches.iter().map(ToString::to_string).collect();
        assert!(all.is_empty(), "{}", all.join("\n"));
    }

    /// Returns how many states were told apart.
    #[must_use]
    pub fn states(&self) -> usize {
        self.questions.iter().map(|question| question.states).sum()
    }
}

/// Collects what was reached by all questions.
#[derive(Default)]
pub(super) struct Covering {
    /// By name: whether it was reached, and if not, whether that is proven.
    items: BTreeMap<(usize, String), (bool, bool)>,
    /// How many cells of the survival table happened to a value of a question, and how many there are.
    cells: (usize, usize),
}

impl Covering {
    pub(super) fn note(
        &mut self,
        model: &Model,
        projection: &Projection,
        question: &Question,
        found: &Found,
    ) {
        let proven = found.is_exhausted();
        let cone = &question.cone;
        for (place, goal) in goals(projection).enumerate() {
            let (order, name) = match goal {
                Goal::Level(level) => {
                    (0, model.levels.get(level).map(|level| format!("open {}", level.name)))
                }
                Goal::Unlock(unlock) => {
                    (4, model.unlocks.get(unlock).map(|unlock| format!("unlocked {}", unlock.name)))
                }
            };
            let name = name.unwrap_or_default();
            self.item(order, Some(name.clone()), found.first_with(place, None).is_some(), proven);
            // Both sides of the rule, if there is one.
            let has_rule = match goal {
                Goal::Level(level) => model.levels.get(level).is_some_and(|level| level.lock.is_some()),
                Goal::Unlock(_) => true,
            };
            if has_rule {
                self.item(order, Some(format!("not {name}")), found.was_without(place), proven);
            }
        }
        for index in &cone.fields {
            let happened = |row: &&Row| found.reached.cells.contains(&(*index, **row));
            self.cells.0 += Row::ALL.iter().filter(happened).count();
            // Nothing is erased as a whole, and a death leads to another level only with save points.
            let left_out = 1 + usize::from(model.checkpoint_lasts != CheckpointLasts::Run);
            self.cells.1 += Row::ALL.len() - left_out;
        }
        for index in &cone.levels {
            let Some(level) = model.levels.get(*index) else { continue };
            let Best { entered, finished, stars } =
                found.reached.levels.get(*index).copied().unwrap_or_default();
            self.item(1, Some(format!("entered {}", level.name)), entered, proven);
            self.item(2, Some(format!("finished {}", level.name)), finished, proven);
            let is_asked = cone.facts.contains(&(*index, "stars"));
            if level.stars > 0 && is_asked {
                let name = format!("all {} stars of {}", level.stars, level.name);
                self.item(3, Some(name), stars >= level.stars, proven);
            }
        }
        for index in &cone.moments {
            let name = model.moments.get(*index).map(|moment| format!("reported {}", moment.name));
            self.item(5, name, found.reached.moments.contains(index), proven);
        }
    }

    fn item(&mut self, order: usize, name: Option<String>, reached: bool, proven: bool) {
        let Some(name) = name else { return };
        let held = self.items.entry((order, name)).or_default();
        *held = (held.0 || reached, held.1 || proven);
    }

    pub(super) fn coverage(self) -> Coverage {
        let mut coverage = Coverage { survival: self.cells, ..Coverage::default() };
        for ((_, name), (reached, proven)) in self.items {
            match reached {
                true => coverage.reached.push(name),
                false => coverage.never.push((name, proven)),
            }
        }
        coverage
    }
}
