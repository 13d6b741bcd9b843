//! The facts of levels, and the difficulty that a name means.

use crate::value::kind::Kind;

crate::words! {
    /// A fact that is kept for every level without a declaration.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum Fact {
        /// Whether the level was ever finished.
        Finished = "finished",
        /// The best rating; 0 before any.
        Stars = "stars",
        /// How often the level was entered or restarted.
        Attempts = "attempts",
        /// How many deaths it cost.
        Deaths = "deaths",
    }
}

impl Fact {
    /// Returns its type.
    #[must_use]
    pub fn kind(self) -> Kind {
        if self == Fact::Finished { Kind::Bool } else { Kind::Int }
    }
}

/// The difficulty that a name means, for what is kept per difficulty.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum On {
    /// The current one: that of the run, the one last chosen, or the one a call asks about.
    InQuestion,
    /// This one, as a position in [`Model::difficulties`](crate::Model::difficulties).
    One(usize),
    /// Any of them: finished on one, the best rating.
    Any,
    /// All of them together, for totals.
    All,
}

impl On {
    /// Returns the difficulty, if the name gives one.
    #[must_use]
    pub fn one(self) -> Option<usize> {
        if let On::One(difficulty) = self { Some(difficulty) } else { None }
    }
}
