//! Names in a save that the schema does not declare.

/// A name in a save that the schema no longer declares.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Missing {
    Level(String),
    Checkpoint {
        level: String,
        checkpoint: String,
    },
    /// The level of a save point, or its checkpoint as `LEVEL.CHECKPOINT`.
    SavePoint(String),
    /// A level, a difficulty or an id in a field that is preserved although it is not declared.
    Kept {
        place: String,
        id: String,
    },
}
