//! What a save names and the schema does not declare.

/// A place that a save names and the schema no longer declares.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Missing {
    Level(String),
    Checkpoint {
        level: String,
        checkpoint: String,
    },
    /// A level or difficulty that is kept although it is not declared.
    Kept {
        place: &'static str,
        id: String,
    },
    /// The id that a field held.
    Id {
        field: String,
        id: String,
    },
}
