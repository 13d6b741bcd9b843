//! What a game declares about its progress.
//!
//! ```text
//! progress.toml ──► declare ──► Model ──► versions ──► Schema ──► handles of its names
//!                      └──► or: every finding, with its place
//! ```
//!
//! The text is parsed with spans, so that a complaint names file, line, column, what is wrong and what to write
//! instead; all complaints come at once. The result is a [`Model`]: fields with their kinds, scopes, bounds, keep
//! rules and survival words, levels with their checkpoints and locks, and a layout that gives every value one fixed
//! cell. A [`Declaration`] is a model with the versions before it. Nothing here reads a file, a clock or the environment.
//!
//! The modules below stand in the order in which a declaration passes them. Each uses those before it and no other.
//!
//! Games use this crate through `keblin`, which re-exports it; it is a crate of its own because the macros need the
//! parser too.

/// Texts: places in them, findings about them, ids and times in them.
mod text;

/// Values, the kinds of them, and how a new one meets the one that is there.
pub mod value;

/// Conditions as they are evaluated.
mod program;

/// Everything a declaration says, as data.
pub mod model;

/// What fits into a field.
pub mod limits;

/// The survival table: which event does what to which field.
pub mod survival;

/// Conditions: the language of locks and expectations.
pub mod condition;

/// From the text of a declaration to a model.
mod declare;

/// Versions of a declaration, and the steps between them.
mod versions;

/// Typed handles of names that were looked up once.
pub mod key;

/// Rust types that fields are read and written as.
pub mod typed;

/// Looking names up.
pub mod lookup;

/// Times and names of a game as serde reads and writes them.
#[cfg(feature = "serde")]
mod readable;

pub use declare::Unnamed;
pub use text::{finding, name, shown, source, time};
pub use value::{keep, kind};
pub use versions::{Declaration, Files, Parsed, Past, TextFile, diff, steps, version_of_file};

pub use finding::{Code, Finding, Findings, Severity};
pub use keep::Keep;
pub use key::{
    AnyGame, Checkpoint, Compiled, Difficulty, Field, FieldPer, Item, Level, Moment, OfGame, PerField, Unlock,
};
pub use kind::Kind;
pub use lookup::LookupError;
pub use model::Model;
pub use name::Name;
pub use time::Time;
pub use value::Value;
