//! Rules that can be explained. A lock is a condition that is also split at its `&&`, so that the missing parts can
//! be reported: which level to finish, how many stars are needed and how many the player has.

use crate::program::{Comparison, Fact, On, Program, Read, Type};

/// A condition with its parts.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Rule {
    /// The whole condition.
    pub program: Program,
    /// Its parts; all of them must be true.
    pub parts: Vec<RulePart>,
}

impl Rule {
    /// Returns the levels that it names, as positions in [`Model::levels`](crate::Model::levels).
    pub fn levels(&self) -> impl Iterator<Item = usize> {
        self.program
            .reads()
            .iter()
            .filter_map(|read| if let Read::Fact { level, .. } = read { *level } else { None })
    }

    /// Returns the unlocks that it names, as positions in [`Model::unlocks`](crate::Model::unlocks).
    pub fn unlocks(&self) -> impl Iterator<Item = usize> {
        self.program
            .reads()
            .iter()
            .filter_map(|read| if let Read::Unlocked(unlock) = read { Some(*unlock) } else { None })
    }
}

/// A part of a rule.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct RulePart {
    /// What it asks for.
    pub asks: RuleAsks,
    /// The part as a condition on its own.
    pub program: Program,
}

/// What a part of a rule asks for.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum RuleAsks {
    /// A level must be finished.
    Finished {
        /// The level, as a position in [`Model::levels`](crate::Model::levels).
        level: usize,
        /// The difficulty.
        on: On,
    },
    /// An unlock must be unlocked, as a position in [`Model::unlocks`](crate::Model::unlocks).
    Unlocked(usize),
    /// A number must reach a threshold or stay below it.
    Number(Box<Threshold>),
    /// Anything else.
    Other,
}

/// A number that is compared with a threshold.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Threshold {
    /// The player's number.
    pub held: Program,
    /// How it is compared.
    pub comparison: Comparison,
    /// The threshold.
    pub needed: Program,
    /// Whether it is a number of stars.
    pub is_stars: bool,
    /// The fact and the chapter, if it is a number of a chapter.
    pub of_chapter: Option<(Fact, usize)>,
    /// Their type: whole numbers, fractions, or times in nanoseconds.
    pub kind: Type,
}
