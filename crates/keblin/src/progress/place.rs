//! Where events lead: back to a place, to the end of a run.

use keblin_schema::model::Axis;
use keblin_schema::{AnyGame, Checkpoint, Level};

/// What facts are kept for, as far as they are kept apart.
pub(crate) const FACT_AXES: [Axis; 2] = [Axis::Level, Axis::Difficulty];

/// Where a player comes back to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Place<G = AnyGame> {
    /// The level; `None` in a game without levels.
    pub level: Option<Level<G>>,
    /// The checkpoint; `None` is the level's start.
    pub checkpoint: Option<Checkpoint<G>>,
}

keblin_schema::words! {
    /// How a run ended.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum RunEnd {
        /// The last life was lost.
        LastLife = "last_life",
        /// It was given up.
        GivenUp = "given_up",
        /// The last level was finished.
        LastLevel = "last_level",
        /// Another run was begun in its place.
        Replaced = "replaced",
    }
}
