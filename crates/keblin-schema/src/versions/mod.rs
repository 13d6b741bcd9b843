//! Versions: a declaration as text again, what is different between two of them, how the saves of one become those of
//! the next, and all of that together as what a game opens its saves with.

/// A model as text again.
pub(crate) mod normal;

/// What is different between two versions of a declaration.
pub mod diff;

/// Steps: how the saves of one version become those of the next.
pub mod steps;

/// What others make of a schema once and keep with it.
mod derived;

/// What a game opens its saves with.
mod schema;

/// The versions before a declaration, as they were frozen, and the steps from them.
mod past;

pub use past::{Files, PastVersion, TextFile, version_of_file};
pub use schema::{Parsed, Schema};
