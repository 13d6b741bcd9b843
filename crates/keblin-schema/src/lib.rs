//! What a game declares about its progress, as text: read, checked, and compared with its past.
//!
//! ```text
//! progress.toml ──► declare ──► Model ──► versions ──► Declaration
//!                      └──► or: every finding, with its place
//! ```
//!
//! The text is parsed with positions, so that each finding has file, line, column, what is wrong and what to write
//! instead; all findings come at once. The result is a [`Declaration`] of `keblin-model`, which is all that a game
//! compiles. This crate is what the macros and tools need besides. Nothing here reads a file, a clock or the environment.
//!
//! The modules below are in the order in which a declaration passes them. Each uses only those before it.

/// Source texts: places in them, and findings about them.
mod text;

/// Conditions: the language of locks and expectations.
pub mod condition;

/// From the text of a declaration to a model.
mod declare;

/// Versions of a declaration, and the steps between them.
mod versions;

pub use declare::{Unnamed, written};
pub use text::{finding, source};
pub use versions::normal::normal_text;
pub use versions::{Files, Parsed, TextFile, diff, parse, parse_with_past, steps, version_of_file};

pub use finding::{Code, Finding, Findings};
pub use keblin_model::{
    AnyGame, Area, Chapter, Checkpoint, Compiled, Constant, Date, Declaration, Difficulty, Field, FieldId,
    FieldPer, Instant, Item, Keep, Kind, Level, LookupError, MaybeUnset, Model, Moment, Name, ObjectField,
    ObjectId, ObjectKind, OfGame, Past, PerField, Reset, Severity, Time, Unlock, Value, date, keep, key,
    kind, limits, lookup, model, name, names, program, shown, survival, time, typed, value,
};
