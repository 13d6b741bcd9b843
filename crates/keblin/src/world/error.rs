//! Why an area could not be put by or recalled.

use std::fmt;

use keblin_model::ObjectId;
use keblin_model::limits::Unfit;

use super::fault::AreaFault;

/// The error of a call about the world. Nothing has changed: the area says what it said before.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct WorldError {
    /// The id of the area.
    pub area: String,
    /// Why.
    pub why: WorldWhy,
}

keblin_model::debug_as_display!(WorldError);

/// Why a call about the world failed.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum WorldWhy {
    /// The area is not declared.
    Unknown,
    /// The area is not there: it was not recalled, or was put by already.
    NotPresent,
    /// The area is there already.
    Present,
    /// A kind of objects that the area does not have.
    NotInArea {
        /// The kind.
        kind: String,
    },
    /// A kind of objects was passed twice.
    Twice {
        /// The kind.
        kind: String,
    },
    /// The objects of a kind were not passed, and would be lost.
    Missing {
        /// The kind.
        kind: String,
    },
    /// Two objects have the same id.
    Repeated {
        /// The kind.
        kind: String,
        /// The id.
        id: ObjectId,
    },
    /// A value that cannot be kept: a number that is not finite, or a name of another game.
    Value {
        /// The kind and the field: `gate.opened`.
        field: String,
        /// The object.
        id: ObjectId,
        /// What is wrong with a value of the right type.
        unfit: Option<Unfit>,
    },
    /// The area was released more often than it was requested.
    NotRequested,
    /// The saved bytes can no longer be read from the file that was opened.
    Unread {
        /// Why.
        why: String,
    },
    /// The saved bytes are not those of an area.
    Fault(AreaFault),
}

impl fmt::Display for WorldError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let area = &self.area;
        match &self.why {
            WorldWhy::Unknown => write!(f, "`{area}` is not an area: declare it under [[areas]]"),
            WorldWhy::NotPresent => {
                write!(f, "area {area} is not loaded: recall it first, and put it by once")
            }
            WorldWhy::Present => {
                write!(f, "area {area} is loaded already: put it by before you recall it again")
            }
            WorldWhy::NotInArea { kind } => {
                write!(f, "area {area} does not take objects of the kind {kind}: name it among its `kinds`")
            }
            WorldWhy::Twice { kind } => {
                write!(f, "area {area}: objects of the kind {kind} came twice; pass them in one call")
            }
            WorldWhy::Missing { kind } => write!(
                f,
                "area {area}: the objects of the kind {kind} are missing; pass all of them, or an empty list if none is left"
            ),
            WorldWhy::Repeated { kind, id } => {
                write!(f, "area {area}: two objects of the kind {kind} have the id {id}")
            }
            WorldWhy::Value { field, id, unfit: Some(unfit) } => {
                write!(f, "area {area}: {field} of object {id} cannot be kept: {unfit}")
            }
            WorldWhy::Value { field, id, unfit: None } => write!(
                f,
                "area {area}: {field} of object {id} cannot be kept: it is not a finite number, or a name of another game"
            ),
            WorldWhy::NotRequested => {
                write!(f, "area {area} was released more often than it was requested; nothing changed")
            }
            WorldWhy::Unread { why } => {
                write!(f, "area {area} cannot be read from the save, and is left as it is: {why}")
            }
            WorldWhy::Fault(fault) => {
                write!(f, "area {area} cannot be recalled, and is left as it is: {fault}")
            }
        }
    }
}

impl std::error::Error for WorldError {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        if let WorldWhy::Fault(fault) = &self.why { Some(fault) } else { None }
    }
}
