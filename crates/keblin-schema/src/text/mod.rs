//! Texts: places in them, findings about them, and the words made from them.

/// Ids: their syntax, reserved words, and the nearest known id.
pub mod name;

/// Foreign texts, made safe for a terminal.
pub mod shown;

/// A source text with its lines, for messages that name a place.
pub mod source;

/// Findings: what is wrong with a declaration, where, and what to write instead.
pub mod finding;

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
