//! The world: objects that stay as the player left them, area by area.
//!
//! ```text
//! put by:  the game's objects ──► AreaOut ──► rows of columns ──► bytes of the area, in memory and in saves
//! recall:  bytes of the area  ──► rows    ──► AreaIn  ──► the game's objects, each rebuilt once
//! ```
//!
//! A declaration says what is kept: kinds of objects with their fields, and areas. The objects stay the game's own:
//! Keblin reads them when the game puts an area by, and writes them when it recalls one. See
//! [`Play::put_by`](crate::Play::put_by) and [`Play::recall`](crate::Play::recall), which keep the bytes;
//! `docs/world.md` explains all of it with an example.

/// Columns: the values of one field.
mod column;

/// Areas as bytes: the rows of each kind.
mod body;

/// Reading the objects of one kind.
mod rows;

/// Values of objects that this build does not know.
mod beyond;

/// What is wrong with the bytes of an area.
mod fault;

/// Ids of objects, and what a game's own struct says of itself.
mod object;

/// A game's own collections of objects.
mod objects;

/// From a game's objects to rows.
mod out;

/// From rows to a game's objects.
mod into;

/// Objects without a struct of a game.
#[cfg(feature = "testing")]
mod plain;

/// Who needs which area.
mod needs;

/// What is known of the areas of a save.
mod counts;

/// Why an area could not be put by or recalled.
mod error;

pub(crate) use body::{AreaBody, Rows};
pub(crate) use column::Column;
pub use counts::{ObjectCount, counts};
pub use error::{WorldError, WorldWhy};
pub use fault::{AreaFault, AreaFaultKind};
pub use into::{AreaIn, RowIn};
pub use keblin_model::{ObjectField, ObjectId};
pub(crate) use needs::Needs;
pub use needs::{AreaChange, AreaGuard};
pub use object::WorldObject;
pub use objects::Objects;
pub use out::{AreaOut, ColumnsOut};
#[cfg(feature = "testing")]
pub(crate) use plain::PlainObject;

/// Typed arrays, little endian (RFC 8746, section 2.1).
pub(crate) mod tags {
    /// Whole numbers of 8 bits without a sign.
    pub(crate) const U8: u64 = 64;
    /// Whole numbers of 64 bits without a sign.
    pub(crate) const U64: u64 = 71;
    /// Whole numbers of 64 bits.
    pub(crate) const I64: u64 = 79;
    /// Numbers of 32 bits with a fraction.
    pub(crate) const F32: u64 = 85;
    /// Numbers of 64 bits with a fraction.
    pub(crate) const F64: u64 = 86;
}
