//! Spans of the `tracing` facade around what may take time: opening a slot, saving it, migrating its values. Without the
//! feature `tracing` they are nothing.

use std::fmt::Display;

/// A span, for as long as it is held.
#[cfg(feature = "tracing")]
pub(crate) type Span = tracing::span::EnteredSpan;

/// Nothing, held like a span.
#[cfg(not(feature = "tracing"))]
pub(crate) struct Span;

/// Enters a span about something with a name: a slot or a game.
#[cfg(feature = "tracing")]
pub(crate) fn enter(what: &'static str, name: &dyn Display) -> Span {
    tracing::info_span!("keblin", what, %name).entered()
}

/// Enters a span about something with a name: a slot or a game.
#[cfg(not(feature = "tracing"))]
pub(crate) fn enter(_what: &'static str, _name: &dyn Display) -> Span {
    Span
}
