//! Conditions: a subset of the syntax and meaning of the open Common Expression Language.
//!
//! ```text
//! text ──► lex ──► tokens ──► parse ──► Expr ──► names (against the schema) ──► what is asked
//! ```
//!
//! Understood so far: a name made of parts (`levels.reedgate.finished`), and such a name compared with a literal
//! (`oil == 38`, `route_clock <= duration('90s')`, `best_letters != null`). A lock is a name that asks whether another
//! level is finished; an expectation of a rehearsal is a comparison.

/// Tokens.
mod lex;

/// Expressions.
mod parse;

/// What the names in conditions stand for.
pub mod names;

pub use parse::{Comparison, Expr, Literal, Part, parse};

use std::fmt;
use std::ops::Range;

/// The longest condition, in bytes.
pub const MAX_CONDITION_BYTES: usize = 4096;

/// Why a text is not a condition, or asks what cannot be asked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ConditionError {
    /// Where: a range of bytes in the condition.
    pub span: Range<usize>,
    /// What is wrong, as a sentence without a full stop.
    pub message: String,
    /// What to write instead, where that is known.
    pub instead: Option<String>,
}

impl ConditionError {
    pub(crate) fn new(span: Range<usize>, message: impl Into<String>) -> ConditionError {
        ConditionError { span, message: message.into(), instead: None }
    }

    pub(crate) fn meant(self, nearest: Option<&str>) -> ConditionError {
        ConditionError { instead: nearest.map(|nearest| format!("did you mean `{nearest}`?")), ..self }
    }
}

impl fmt::Display for ConditionError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "at character {}: {}", self.span.start + 1, self.message)?;
        self.instead.as_ref().map_or(Ok(()), |instead| write!(f, " ({instead})"))
    }
}

impl std::error::Error for ConditionError {}
