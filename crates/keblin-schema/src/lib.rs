//! What a game declares about its progress.
//!
//! ```text
//! progress.toml ──► declare ──► Model ──► versions ──► Schema ──► handles of its names
//!                      └──► or: every finding, with its place
//! ```
//!
//! The text is parsed with positions, so that each finding has file, line, column, what is wrong and what to write
//! instead; all findings come at once. The result is a [`Model`]: fields with their types, scopes, bounds, keep rules
//! and survival keys, levels with their checkpoints and locks, and a layout that gives every value a fixed cell. A
//! [`Declaration`] is a model with its past versions. Nothing here reads a file, a clock or the environment.
//!
//! The modules below are in the order in which a declaration passes them. Each uses only those before it.
//!
//! Games use this crate through `keblin`, which re-exports it. It is a separate crate because the macros need the
//! parser too.

/// Texts: places in them, findings about them, and the ids and times they contain.
mod text;

/// Values, their types, and keep rules.
pub mod value;

/// Compiled conditions.
mod program;

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

/// Conditions: the language of locks and expectations.
pub mod condition;

/// From the text of a declaration to a model.
mod declare;

/// Versions of a declaration, and the steps between them.
mod versions;

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

pub use declare::Unnamed;
pub use text::{date, finding, name, shown, source, time};
pub use value::{ObjectId, keep, kind};
pub use versions::{Declaration, Files, Parsed, Past, TextFile, diff, steps, version_of_file};

pub use date::{Date, Instant};
pub use finding::{Code, Finding, Findings, Severity};
pub use keep::Keep;
pub use key::{
    AnyGame, Area, Chapter, Checkpoint, Compiled, Difficulty, Field, FieldId, FieldPer, Item, Level, Moment,
    ObjectField, ObjectKind, OfGame, PerField, Reset, Unlock,
};
pub use kind::Kind;
pub use lookup::LookupError;
pub use model::Model;
pub use name::Name;
pub use time::Time;
pub use typed::{Constant, MaybeUnset};
pub use value::Value;
