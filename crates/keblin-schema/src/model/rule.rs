//! Rules with reasons. A lock is a condition that is also taken apart at its `&&`, so that what is missing can be told
//! part by part: which level to finish, how many stars are needed and how many are held.

use crate::program::{Comparison, On, Program, Type};

/// A condition with the parts it is made of.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Rule {
    /// The whole condition.
    pub program: Program,
    /// Its parts: all of them must hold.
    pub parts: Vec<RulePart>,
}

/// A part of a rule.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct RulePart {
    /// What it asks for.
    pub asks: RuleAsks,
    /// The part as a condition of its own.
    pub program: Program,
}

/// What a part of a rule asks for.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum RuleAsks {
    /// A level to be finished.
    Finished {
        /// The level, as a position in [`Model::levels`](crate::Model::levels).
        level: usize,
        /// On which difficulty.
        on: On,
    },
    /// An unlock to be given, as a position in [`Model::unlocks`](crate::Model::unlocks).
    Unlocked(usize),
    /// A number to be reached or kept below.
    Number(Box<Threshold>),
    /// Anything else.
    Other,
}

/// A number that is held against another.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Threshold {
    /// What is held.
    pub held: Program,
    /// How it is compared.
    pub comparison: Comparison,
    /// What is needed.
    pub needed: Program,
    /// Whether what is held is a number of stars.
    pub is_stars: bool,
    /// What both are: whole numbers, numbers with a fraction, or times in nanoseconds.
    pub kind: Type,
}
