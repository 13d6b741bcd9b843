//! The facts that are kept for every level, and on which difficulty one is meant.

use crate::value::kind::Kind;

crate::words! {
    /// A fact that is kept for every level without being declared.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum Fact {
        /// Whether the level was ever finished.
        Finished = "finished",
        /// The best rating; 0 before any.
        Stars = "stars",
        /// How often the level was entered or tried again.
        Attempts = "attempts",
        /// How many deaths it cost.
        Deaths = "deaths",
    }
}

impl Fact {
    /// The kind of it.
    #[must_use]
    pub fn kind(self) -> Kind {
        if self == Fact::Finished { Kind::Bool } else { Kind::Int }
    }
}

/// Which difficulty is meant, where something is kept apart for each.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum On {
    /// The one in question: that of the run, the one last chosen, or the one asked about.
    InQuestion,
    /// This one, as a position in [`Model::difficulties`](crate::Model::difficulties).
    One(usize),
    /// Any of them: finished on one, the best rating, the sum of all for totals.
    Any,
}

impl On {
    /// The difficulty, where the name says one.
    #[must_use]
    pub fn one(self) -> Option<usize> {
        if let On::One(difficulty) = self { Some(difficulty) } else { None }
    }
}
