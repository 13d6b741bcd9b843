//! Results that events share: a place to respawn, the end of a run.

use keblin_model::model::Axis;
use keblin_model::{AnyGame, Checkpoint, Level};

/// The axes of facts, as far as they are kept per level and difficulty.
pub(crate) const FACT_AXES: [Axis; 2] = [Axis::Level, Axis::Difficulty];

/// Where a player respawns.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Place<G = AnyGame> {
    /// The level; `None` in a game without levels.
    pub level: Option<Level<G>>,
    /// The checkpoint; `None` is the level's start.
    pub checkpoint: Option<Checkpoint<G>>,
}

keblin_model::words! {
    /// How a run ended.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum RunEnd {
        /// The last life was lost.
        LastLife = "last_life",
        /// The run was given up.
        GivenUp = "given_up",
        /// The last level was finished.
        LastLevel = "last_level",
        /// Another run replaced it.
        Replaced = "replaced",
    }
}
