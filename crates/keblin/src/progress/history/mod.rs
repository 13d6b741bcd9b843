//! The history of a save: what a save adds to it, and how two saves are merged by it.

/// What a save adds to the history.
mod record;

/// Merging two saves.
mod merge;

/// Merging what is kept without being a field.
mod merge_facts;

/// Tables of best values, whose entries are told apart.
mod tables;

pub(crate) use merge::{Joined, joined};
pub(crate) use record::{Erasures, recorded};
