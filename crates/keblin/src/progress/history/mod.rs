//! The history of a save: what a save adds to it, and how two saves are merged by it.

/// What a save adds to the history.
mod record;

/// Whether it fits the values.
mod check;

/// Merging two saves.
mod merge;

/// Merging what is kept without being a field.
mod merge_facts;

/// Tables of best values, whose entries are told apart.
mod tables;

/// Who wrote what, for people.
mod writers;

pub(crate) use check::unfitting;
pub(crate) use merge::{Joined, joined};
pub(crate) use record::{Erasures, recorded};
pub use writers::{MachineId, Share, Writers, WrittenValue};
