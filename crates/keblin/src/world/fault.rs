//! What is wrong with the bytes of an area.

use std::fmt;

/// Bytes that are not an area as the declaration describes it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct AreaFault {
    /// The kind of objects, and the field, if it is known: `gate`, `gate.opened`.
    pub place: String,
    /// The offset in the bytes of the area.
    pub offset: usize,
    /// What is wrong.
    pub kind: AreaFaultKind,
}

/// What is wrong with an area.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum AreaFaultKind {
    /// Something else than expected.
    Unexpected(String),
    /// A column with another number of values than there are objects.
    Length {
        /// The number of objects.
        objects: usize,
        /// The number of values, or of bytes if the last value is cut.
        found: usize,
    },
    /// Ids that are not in order, or repeated.
    Order,
}

impl fmt::Display for AreaFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let AreaFault { place, offset, kind } = self;
        match kind {
            AreaFaultKind::Unexpected(expected) => write!(f, "{place}: expected {expected}")?,
            AreaFaultKind::Length { objects, found } => {
                write!(f, "{place}: {objects} objects, but {found} values")?;
            }
            AreaFaultKind::Order => write!(f, "{place}: the ids are repeated or out of order")?,
        }
        write!(f, ", at byte {offset} of the area")
    }
}

impl std::error::Error for AreaFault {}
