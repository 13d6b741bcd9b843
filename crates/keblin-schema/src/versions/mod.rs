//! Versions: a declaration as text again, the differences between two of them, and how saves of one become saves of
//! the next.

/// A model as text again.
pub(crate) mod normal;

/// The differences between two versions of a declaration.
pub mod diff;

/// Steps: how the saves of one version become those of the next.
pub mod steps;

/// A declaration with its past versions.
mod declaration;

/// The frozen versions before a declaration, and the steps from them.
mod past;

pub use declaration::{Parsed, parse, parse_with_past};
pub use past::{Files, TextFile, version_of_file};
