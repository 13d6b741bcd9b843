//! Source texts: places in them, and findings about them.

/// A source text with its lines, for messages that name a place.
pub mod source;

/// Findings: what is wrong with a declaration, where, and what to write instead.
pub mod finding;
