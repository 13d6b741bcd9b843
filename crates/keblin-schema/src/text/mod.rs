//! Texts: where something stands in one, what is found in it, and the words made of it.

/// Ids: how they are written, which are reserved, and which one was probably meant.
pub mod name;

/// Texts of others, as they may be shown on a terminal.
pub mod shown;

/// A source text with its lines, for complaints that name their place.
pub mod source;

/// Findings: what is wrong with a declaration, where, and what to write instead.
pub mod finding;

/// Enums of words.
mod words;

/// Lengths of time.
pub mod time;
