//! Conditions: a subset of the open Common Expression Language.
//!
//! ```text
//! text ──► lex ──► tokens ──► parse ──► Expr ──► check (against the schema) ──► Program ──► evaluate
//! ```
//!
//! Every name is resolved and every type checked before anything is evaluated. Evaluating a program does not allocate
//! or loop, and reports overflow and division by zero. `docs/conditions.md` lists every production and every name.
//!
//! ```
//! use keblin_schema::condition::{Program, Val};
//! # use keblin_schema::{Declaration, Value, condition::{Facts, names::Fact}};
//! let text = "game = 'otter'\nversion = 1\n[fields]\nfish = { type = 'int', scope = 'profile' }\n";
//! let schema = Declaration::parse("progress.toml", text)?.declaration;
//! let rule = Program::compile(&schema, "fish > 3 || fish == -1")?;
//! # struct Played;
//! # impl Facts for Played {
//! #     fn cell(&self, _: usize) -> &Value { &Value::Int(4) }
//! #     fn fact(&self, _: usize, _: Fact) -> i64 { 0 }
//! #     fn word(&self, _: keblin_schema::condition::Word) -> Option<&str> { None }
//! #     fn played_nanos(&self) -> i64 { 0 }
//! #     fn unlocked(&self, _: usize) -> bool { false }
//! # }
//! assert!(rule.holds(&Played, 0)); // `Played` says what the fields hold: four fish
//! assert!(Program::compile(&schema, "fsh > 3").unwrap_err().to_string().ends_with("(did you mean `fish`?)"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

/// Tokens.
mod lex;

/// Expressions.
mod parse;

/// What the names in conditions refer to.
pub mod names;

/// What a name refers to.
mod asked;

/// What `this` and `previous` mean, and constants of levels.
mod here;

/// The parts after a field's name.
mod parts;

/// What people mean who know other languages.
mod meant;

/// The type check.
mod check;

/// Calculations with numbers, times, days and instants.
mod calculate;

/// The functions of the language.
mod call;

/// Shapes of expressions that become one operation.
mod fuse;

/// Loading names.
mod load;

/// Compiling a text to a program.
mod compile;

/// Conditions split at `&&`, so that missing parts can be reported.
mod rule;

/// What is known to be set after a guard.
mod guards;

pub use crate::program::{
    Arithmetic, Compared, Comparison, Facts, Failing, Possible, Program, Ranges, Read, Type, Val, Word,
};
pub(crate) use here::names_previous;
pub use here::parse_in;
pub use parse::{Expr, Node, Part, parse};

use std::fmt;
use std::ops::Range;

/// The largest length of a condition, in bytes.
pub const MAX_CONDITION_BYTES: usize = 4096;

/// How many `+`, `-`, `*`, `/` and `%` a condition may have.
pub const MAX_CALCULATIONS: usize = 256;

/// How deep expressions may be nested.
pub const MAX_CONDITION_DEPTH: usize = 48;

/// Why a text is not a valid condition.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct ConditionError {
    /// The place: a range of bytes in the condition.
    pub span: Range<usize>,
    /// What is wrong, as a sentence without a full stop.
    pub message: String,
    /// What to write instead, if that is known.
    pub instead: Option<String>,
}

crate::debug_as_display!(ConditionError);

impl ConditionError {
    pub(crate) fn new(span: Range<usize>, message: impl Into<String>) -> ConditionError {
        ConditionError { span, message: message.into(), instead: None }
    }

    pub(crate) fn meant(self, nearest: Option<&str>) -> ConditionError {
        ConditionError { instead: nearest.map(|nearest| format!("did you mean `{nearest}`?")), ..self }
    }

    pub(crate) fn instead_if(self, instead: Option<impl Into<String>>) -> ConditionError {
        ConditionError { instead: instead.map(Into::into).or(self.instead), ..self }
    }

    pub(crate) fn instead(self, instead: impl Into<String>) -> ConditionError {
        ConditionError { instead: Some(instead.into()), ..self }
    }
}

impl fmt::Display for ConditionError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "at byte {}: {}", self.span.start + 1, self.message)?;
        self.instead.as_ref().map_or(Ok(()), |instead| write!(f, " ({instead})"))
    }
}

impl std::error::Error for ConditionError {}
