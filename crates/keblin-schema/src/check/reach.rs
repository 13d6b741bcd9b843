//! What a player can ever reach: which levels and unlocks can open at all, and so which values a rule can ever see.

use crate::condition::Ranges;
use crate::condition::names::Fact;
use crate::kind::Kind;
use crate::model::Bound;
use crate::model::Schema;
use crate::rule::Rule;
use crate::value::Value;

/// What can be read when only some levels can be entered and some unlocks given.
pub(super) struct Reachable<'s> {
    schema: &'s Schema,
    pub(super) levels: Vec<bool>,
    pub(super) unlocks: Vec<bool>,
}

impl Reachable<'_> {
    /// Levels without a lock first, then what can hold with what those give, until nothing more opens. So circles are
    /// found, also those through stars, totals and unlocks.
    pub(super) fn of(schema: &Schema) -> Reachable<'_> {
        let levels = schema.levels.iter().map(|level| level.unlock.is_none()).collect();
        let mut reachable = Reachable { schema, levels, unlocks: vec![false; schema.unlocks.len()] };
        loop {
            let opens =
                |rule: &Option<Rule>| rule.as_ref().is_none_or(|rule| rule.program.possible(&reachable).yes);
            let levels: Vec<bool> = schema.levels.iter().map(|level| opens(&level.unlock)).collect();
            let unlocks: Vec<bool> = schema.unlocks.iter().map(|unlock| opens(&unlock.when)).collect();
            // What is reached stays reached, also where a rule asks for something not to be there.
            let grown = |before: &[bool], now: Vec<bool>| -> Vec<bool> {
                before.iter().zip(now).map(|(before, now)| *before || now).collect()
            };
            let (levels, unlocks) = (grown(&reachable.levels, levels), grown(&reachable.unlocks, unlocks));
            if levels == reachable.levels && unlocks == reachable.unlocks {
                return reachable;
            }
            (reachable.levels, reachable.unlocks) = (levels, unlocks);
        }
    }
}

impl Ranges for Reachable<'_> {
    fn cell(&self, cell: usize) -> Option<(i64, i64)> {
        let (field, _) = self.schema.cell_owner(cell)?;
        let number = |bound: &Option<Bound>, otherwise| {
            bound.as_ref().and_then(Bound::fixed).and_then(Value::number).unwrap_or(otherwise)
        };
        match field.kind {
            Kind::Bool => Some((0, 1)),
            Kind::Int | Kind::Time => Some((number(&field.min, i64::MIN), number(&field.max, i64::MAX))),
            _ => None,
        }
    }

    fn fact(&self, level: usize, fact: Fact) -> (i64, i64) {
        if self.levels.get(level) != Some(&true) {
            return (0, 0);
        }
        match fact {
            Fact::Finished => (0, 1),
            Fact::Stars => (0, self.schema.levels.get(level).map_or(0, |level| level.stars.into())),
            Fact::Attempts | Fact::Deaths => (0, i64::MAX),
        }
    }

    fn unlocked(&self, unlock: usize) -> bool {
        self.unlocks.get(unlock) == Some(&true)
    }

    fn difficulties(&self) -> usize {
        if self.schema.level_facts_per_difficulty { self.schema.difficulties.len() } else { 1 }
    }

    fn levels(&self) -> usize {
        self.schema.levels.len()
    }
}
