//! Texts: ids, durations and days, and the words made from them.

/// Ids: their syntax, reserved words, and the nearest known id.
pub mod name;

/// Foreign texts, made safe for a terminal.
pub mod shown;

/// How severe a finding is.
pub(crate) mod severity;

/// Errors that developers see as people do.
mod said;

/// Enums of words.
mod words;

/// Durations.
pub mod time;

/// Which day a number of days is.
mod calendar;

/// Days and instants.
pub mod date;
