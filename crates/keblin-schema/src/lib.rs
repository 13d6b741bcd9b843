//! What a game declares about its progress.
//!
//! ```text
//! progress.toml ──► source ──► parse ──► check ──► Schema        (or: every finding, with its place)
//! ```
//!
//! The text is parsed with spans, so that a complaint names file, line, column, what is wrong and what to write
//! instead; all complaints come at once. The result is a [`Schema`]: fields with their kinds, scopes, bounds, keep
//! rules and survival words, levels with their checkpoints and locks, and a layout that gives every value one fixed
//! cell. Nothing here reads a file, a clock or the environment.
//!
//! Games use this crate through `keblin`, which re-exports it; it is a crate of its own because the macros need the
//! parser too.

/// Ids: how they are written, which are reserved, and which one was probably meant.
pub mod name;

/// Texts of others, as they may be shown on a terminal.
pub mod text;

/// Lengths of time.
pub mod time;

/// Kinds: what a field can hold.
pub mod kind;

/// Values: what one cell of progress holds.
pub mod value;

/// What fits into a field.
pub mod limits;

/// Keep rules: how a new value meets the stored one.
pub mod keep;

/// The survival table: which event does what to which field.
pub mod survival;

/// Rules with reasons: locks taken apart.
pub mod rule;

/// Which rules to ask again after a change.
pub mod watch;

/// What others make of a schema once and keep with it.
mod derived;

/// The schema: everything a declaration says, checked and resolved.
pub mod model;

/// Typed handles of names that were looked up once.
pub mod key;

/// Rust types that fields are read and written as.
pub mod typed;

/// Looking names up.
pub mod lookup;

/// Times and names of a game as serde reads and writes them.
#[cfg(feature = "serde")]
mod readable;

/// A source text with its lines, for complaints that name their place.
pub mod source;

/// Findings: what is wrong with a declaration, where, and what to write instead.
pub mod finding;

/// From text to declarations, each with its place.
mod parse;

/// From declarations to a schema: every name resolved, every rule that spans two places.
mod check;

/// A schema as text again.
mod normal;

/// What is different between two versions of a declaration.
pub mod diff;

/// Steps: how the saves of one version become those of the next.
pub mod steps;

/// Conditions: the language of locks and expectations.
pub mod condition;

pub use finding::{Code, Finding, Findings, Severity};
pub use keep::Keep;
pub use key::{
    AnyGame, Checkpoint, Difficulty, Field, FieldPer, Game, Item, Level, Moment, OfGame, PerField, Unlock,
};
pub use kind::Kind;
pub use lookup::LookupError;
pub use model::Schema;
pub use name::Name;
pub use time::Time;
pub use value::Value;
