//! Versions: a declaration as text again, what is different between two of them, how the saves of one become those of
//! the next, and all of that together.

/// A model as text again.
pub(crate) mod normal;

/// What is different between two versions of a declaration.
pub mod diff;

/// Steps: how the saves of one version become those of the next.
pub mod steps;

/// A declaration with the versions before it.
mod declaration;

/// The versions before a declaration, as they were frozen, and the steps from them.
mod past;

pub use declaration::{Declaration, Parsed};
pub use past::{Files, Past, TextFile, version_of_file};
