//! Which rules to evaluate again: for everything that can change, the rules that name it. Built once per model, so
//! that a change costs one look-up, and nothing for rules that do not name it.

use crate::program::{Fact, Program, Read, Word};

/// A watched rule, by the position of what it belongs to. The variants are in the order of evaluation: bounds before
/// locks and unlocks, these before moments, and invariants last.
#[doc(hidden)]
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum RuleId {
    /// The bounds of a field.
    Bounds(u32),
    /// The lock of a level.
    Lock(u32),
    /// An unlock.
    Unlock(u32),
    /// A moment.
    Moment(u32),
    /// An invariant.
    Invariant(u32),
}

/// For everything that can change, the rules that name it.
#[doc(hidden)]
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Watch {
    pub(crate) cells: Vec<Vec<RuleId>>,
    /// By level, then fact.
    pub(crate) facts: Vec<Vec<RuleId>>,
    /// By fact: the rules that name it for all levels together.
    pub(crate) all_levels: Vec<Vec<RuleId>>,
    pub(crate) words: Vec<(Word, RuleId)>,
    pub(crate) played: Vec<RuleId>,
    pub(crate) unlocks: Vec<(usize, RuleId)>,
}

impl Watch {
    /// Returns what names what, for rules in the order of evaluation.
    pub fn new<'p>(
        cells: usize,
        levels: usize,
        rules: impl IntoIterator<Item = (RuleId, &'p Program)>,
    ) -> Watch {
        let mut watch = Watch {
            cells: vec![Vec::new(); cells],
            facts: vec![Vec::new(); levels * Fact::ALL.len()],
            all_levels: vec![Vec::new(); Fact::ALL.len()],
            ..Watch::default()
        };
        for (rule, program) in rules {
            for read in program.reads() {
                watch.add(rule, read);
            }
        }
        watch
    }

    fn add(&mut self, rule: RuleId, read: &Read) {
        // Rules are added one after the other.
        let note = |rules: &mut Vec<RuleId>| {
            if rules.last() != Some(&rule) {
                rules.push(rule);
            }
        };
        match read {
            Read::Cells(range) => self.cells.get_mut(range.clone()).into_iter().flatten().for_each(note),
            Read::Fact { fact, level } => {
                let rules = match level {
                    Some(level) => self.facts.get_mut(fact_index(*level, *fact)),
                    None => self.all_levels.get_mut(fact_index(0, *fact)),
                };
                rules.into_iter().for_each(note);
            }
            Read::Word(word) => self.words.push((*word, rule)),
            Read::Unlocked(unlock) => self.unlocks.push((*unlock, rule)),
            Read::Played => note(&mut self.played),
        }
    }

    /// Returns the rules that name a cell.
    #[doc(hidden)]
    #[must_use]
    #[inline]
    pub fn of_cell(&self, cell: usize) -> &[RuleId] {
        self.cells.get(cell).map_or(&[], Vec::as_slice)
    }

    /// Returns the rules that name a level's fact, on any difficulty.
    #[doc(hidden)]
    pub fn of_fact(&self, level: usize, fact: Fact) -> impl Iterator<Item = RuleId> {
        let (of_level, of_all) =
            (self.facts.get(fact_index(level, fact)), self.all_levels.get(fact_index(0, fact)));
        of_level.into_iter().chain(of_all).flatten().copied()
    }

    /// Returns the rules that name an id the engine keeps.
    #[doc(hidden)]
    pub fn of_words(&self) -> impl Iterator<Item = (Word, RuleId)> {
        self.words.iter().copied()
    }

    /// Returns the rules that name an unlock.
    #[doc(hidden)]
    pub fn of_unlock(&self, unlock: usize) -> impl Iterator<Item = RuleId> {
        self.unlocks.iter().filter(move |(named, _)| *named == unlock).map(|(_, rule)| *rule)
    }

    /// Returns the rules that name the time in play.
    #[doc(hidden)]
    #[must_use]
    pub fn of_played(&self) -> &[RuleId] {
        &self.played
    }
}

fn fact_index(level: usize, fact: Fact) -> usize {
    level * Fact::ALL.len() + Fact::ALL.iter().position(|known| *known == fact).unwrap_or(0)
}
