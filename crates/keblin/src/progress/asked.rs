//! Values by name, for conditions and tools: a resolved name gives a value, and what last changed it.

use keblin_model::model::{At, LevelDef};
use keblin_model::names::Asked;
use keblin_model::program::{Fact, On};
use keblin_model::program::{Facts, Word};
use keblin_model::{Name, Value};

use super::journal::Target;
use super::{Engine, Holder, Play};
use crate::snapshot::{Stay, Visit};

/// What rules are evaluated on.
/// Conditions read progress through this.
impl<G, P: Holder> Facts for Play<G, P> {
    #[inline]
    fn cell(&self, cell: usize) -> &Value {
        self.engine().cell(cell)
    }

    #[inline]
    fn fact(&self, index: usize, fact: Fact) -> i64 {
        self.engine().fact(index, fact)
    }

    fn word(&self, word: Word) -> Option<&str> {
        self.engine().word(word)
    }

    fn unlocked(&self, unlock: usize) -> bool {
        self.engine().unlocked(unlock)
    }

    fn played_nanos(&self) -> i64 {
        self.engine().played_nanos()
    }
}

impl Facts for Engine {
    #[inline]
    fn cell(&self, cell: usize) -> &Value {
        self.value_at(cell)
    }

    #[inline]
    fn fact(&self, index: usize, fact: Fact) -> i64 {
        let Some(facts) = self.state.facts.get(index) else { return 0 };
        let count = |count: u64| i64::try_from(count).unwrap_or(i64::MAX);
        match fact {
            Fact::Finished => i64::from(facts.finished),
            Fact::Stars => i64::from(facts.stars),
            Fact::Attempts => count(facts.attempts),
            _ => count(facts.deaths),
        }
    }

    fn word(&self, word: Word) -> Option<&str> {
        let id = match word {
            Word::Phase => return Some(self.phase().as_str()),
            Word::Level => self.visited().map(|(_, level)| &level.name),
            Word::Checkpoint => {
                self.visited().and_then(|(visit, level)| level.checkpoints.get(visit.checkpoint?))
            }
            Word::Furthest => {
                self.state.furthest.and_then(|index| Some(&self.schema.levels.get(index)?.name))
            }
            Word::Difficulty => self.here().difficulty.and_then(|index| self.schema.difficulties.get(index)),
        };
        id.map(Name::as_str)
    }

    #[inline]
    fn unlocked(&self, unlock: usize) -> bool {
        self.rules.is_given(unlock)
    }

    #[inline]
    fn played_nanos(&self) -> i64 {
        self.state.played.as_nanos()
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Returns the value of a resolved name; ids are text, and an absent value is unset.
    #[must_use]
    pub fn answer(&self, asked: &Asked) -> Value {
        self.engine().answer(asked)
    }

    /// Returns the one value or fact that a name means, on the current difficulty if the name gives none; `None` for what
    /// is derived, or kept by the engine.
    #[must_use]
    pub fn target(&self, asked: &Asked) -> Option<Target> {
        self.engine().target(asked)
    }
}

impl Engine {
    pub(crate) fn answer(&self, asked: &Asked) -> Value {
        let word = |word| self.word(word).map_or(Value::Unset, Value::text);
        match asked {
            Asked::Phase => word(Word::Phase),
            Asked::Level => word(Word::Level),
            Asked::Checkpoint => word(Word::Checkpoint),
            Asked::Furthest => word(Word::Furthest),
            Asked::Difficulty => word(Word::Difficulty),
            Asked::Played => Value::Time(self.state.played),
            Asked::Unlocked(unlock) => Value::Bool(self.rules.is_given(*unlock)),
            _ => match self.target(asked) {
                Some(Target::Cell(cell)) => self.value_at(cell).clone(),
                Some(Target::Fact { at, fact }) => self.fact_value(at, fact),
                None => Value::Unset,
            },
        }
    }

    /// Returns the current or half-way visit, and its level.
    fn visited(&self) -> Option<(&Visit, &LevelDef)> {
        let visit = self.visit().filter(|visit| visit.stay != Stay::Finished)?;
        Some((visit, self.schema.levels.get(visit.level?)?))
    }

    pub(crate) fn target(&self, asked: &Asked) -> Option<Target> {
        let in_question = self.here().difficulty;
        match asked {
            Asked::Field { field, at } => {
                let at = at.on(at.difficulty.or(in_question));
                Some(Target::Cell(self.schema.cell(self.schema.fields.get(*field)?, at)?))
            }
            Asked::Fact { level, on: on @ (On::InQuestion | On::One(_)), fact } => {
                let apart = self.schema.level_facts_per_difficulty;
                let difficulty = on.one().or(in_question).filter(|_| apart);
                Some(Target::Fact { at: At::level(Some(*level), difficulty), fact: *fact })
            }
            _ => None,
        }
    }
}
