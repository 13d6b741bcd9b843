//! What a player can ever reach: which levels and unlocks can open at all, and so which values a rule can ever see.

use std::collections::HashMap;

use crate::condition::Read;
use crate::condition::range::{Ranges, possible};
use crate::model::{Bound, Model};
use crate::program::Fact;
use crate::value::Value;
use crate::value::kind::Kind;

/// What can be read if only some levels can be entered and some unlocks are unlocked.
pub(crate) struct Reachable<'s> {
    pub(super) model: &'s Model,
    pub(super) levels: Vec<bool>,
    pub(super) unlocks: Vec<bool>,
}

/// The most attempts at a level that any player can have.
const MAX_TRIES: i64 = 1 << 40;

impl Reachable<'_> {
    /// Everything, even what no player can reach now, because an earlier save may contain it.
    pub(crate) fn everything(model: &Model) -> Reachable<'_> {
        Reachable { model, levels: vec![true; model.levels.len()], unlocks: vec![true; model.unlocks.len()] }
    }

    /// Starts with levels without a lock, then adds what these can open, until nothing more opens. This finds
    /// circles, also through stars, totals and unlocks. What was reached stays reached, even if a rule asks for
    /// something to be absent.
    pub(super) fn of(model: &Model) -> Reachable<'_> {
        let (levels, unlocks) = (vec![false; model.levels.len()], vec![false; model.unlocks.len()]);
        let mut reachable = Reachable { model, levels, unlocks };
        let asks = Asks::of(model);
        let mut due: Vec<Opens> = asks.all.clone();
        while !due.is_empty() {
            let mut opened_any = false;
            while let Some(what) = due.pop() {
                if reachable.opens(what) {
                    opened_any = true;
                    due.extend(asks.of_it.get(&what).into_iter().flatten());
                }
            }
            // Rules that name all levels together are evaluated once for everything that has opened.
            if opened_any {
                due.extend(asks.of_all.iter().copied());
            }
        }
        reachable
    }

    /// Returns whether something opens that was not reached before.
    fn opens(&mut self, what: Opens) -> bool {
        let (reached, rule) = match what {
            Opens::Level(at) => (self.levels.get(at), self.model.levels.get(at).map(|level| &level.lock)),
            Opens::Unlock(at) => {
                (self.unlocks.get(at), self.model.unlocks.get(at).map(|unlock| &unlock.when))
            }
        };
        let opens =
            rule.is_some_and(|rule| rule.as_ref().is_none_or(|rule| possible(&rule.program, self).yes));
        if reached != Some(&false) || !opens {
            return false;
        }
        let reached = match what {
            Opens::Level(at) => self.levels.get_mut(at),
            Opens::Unlock(at) => self.unlocks.get_mut(at),
        };
        reached.into_iter().for_each(|reached| *reached = true);
        true
    }
}

/// Something that a rule opens, by its position.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
enum Opens {
    Level(usize),
    Unlock(usize),
}

/// What to evaluate again when something has opened.
#[derive(Default)]
struct Asks {
    /// Everything; the first one is evaluated last.
    all: Vec<Opens>,
    of_it: HashMap<Opens, Vec<Opens>>,
    /// Rules that name all levels together.
    of_all: Vec<Opens>,
}

impl Asks {
    fn of(model: &Model) -> Asks {
        let levels = model.levels.iter().enumerate().map(|(at, level)| (Opens::Level(at), &level.lock));
        let unlocks = model.unlocks.iter().enumerate().map(|(at, unlock)| (Opens::Unlock(at), &unlock.when));
        let mut asks = Asks::default();
        for (what, rule) in levels.chain(unlocks) {
            asks.all.push(what);
            for read in rule.iter().flat_map(|rule| rule.program.reads()) {
                match read {
                    Read::Fact { level: Some(level), .. } => {
                        asks.of_it.entry(Opens::Level(*level)).or_default().push(what);
                    }
                    Read::Unlocked(unlock) => {
                        asks.of_it.entry(Opens::Unlock(*unlock)).or_default().push(what);
                    }
                    Read::Fact { level: None, .. } => asks.of_all.push(what),
                    _ => {}
                }
            }
        }
        asks.all.reverse();
        asks
    }
}

impl Ranges for Reachable<'_> {
    fn cell(&self, cell: usize) -> Option<(i64, i64)> {
        let (field, _) = self.model.cell_owner(cell)?;
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
            Fact::Stars => (0, self.model.levels.get(level).map_or(0, |level| level.stars.into())),
            Fact::Attempts | Fact::Deaths => (0, MAX_TRIES),
        }
    }

    fn unlocked(&self, unlock: usize) -> bool {
        self.unlocks.get(unlock) == Some(&true)
    }

    fn difficulties(&self) -> usize {
        if self.model.level_facts_per_difficulty { self.model.difficulties.len() } else { 1 }
    }
}
