//! What a declaration of keblin says, as data: the part of it that a game compiles.
//!
//! ```text
//! bytes in the game ──► embed ──► Declaration ──► handles of its names
//! (made by the macros)              ├─ Model: fields, levels, rules
//!                                   └─ past versions, each with the step from it
//! ```
//!
//! A [`Model`] has fields with their types, scopes, bounds, keep rules and survival keys, levels with their checkpoints
//! and locks, compiled conditions, and a layout that gives every value a fixed cell. `keblin-schema` makes one from
//! text; games do not compile that. Nothing here reads a file, a clock or the environment.
//!
//! The modules below are in the order in which they build on each other. Each uses only those before it.

/// One sort for all types.
pub mod order;

/// Texts: the ids and times they contain, and how they are shown.
mod text;

/// Values, their types, and keep rules.
pub mod value;

/// Compiled conditions.
pub mod program;

/// Everything a declaration says, as data.
pub mod model;

/// A declaration as the bytes that a compiled game contains.
mod embed;

/// What fits into a field.
pub mod limits;

/// Bounds inside a value.
mod clamp;

/// The survival table: which event does what to which field.
pub mod survival;

/// What the names in conditions refer to.
pub mod names;

/// Past versions and the steps from them.
pub mod versions;

/// Typed handles of names.
pub mod key;

/// Rust types that fields are read and written as.
pub mod typed;

/// Looking up names.
pub mod lookup;

/// Compiled names at run time.
mod named;

/// Serde's traits for times and compiled names.
#[cfg(feature = "serde")]
mod readable;

pub use text::{date, name, shown, time};
pub use value::{ObjectId, keep, kind};

pub use date::{Date, Instant};
pub use embed::tag_of;
pub use keep::Keep;
pub use key::{
    AnyGame, Area, Chapter, Checkpoint, Compiled, Difficulty, Field, FieldId, FieldPer, Item, Level, Moment,
    ObjectField, ObjectKind, OfGame, PerField, Reset, Unlock,
};
pub use kind::Kind;
pub use lookup::LookupError;
pub use model::Model;
pub use name::Name;
pub use text::severity::Severity;
pub use time::Time;
pub use typed::{Constant, MaybeUnset};
pub use value::Value;
pub use versions::{Declaration, Past};
