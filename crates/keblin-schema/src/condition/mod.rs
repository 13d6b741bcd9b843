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
//! use keblin_schema::condition::{Val, compile};
//! # use keblin_schema::{Value, condition::Facts, program::Fact};
//! let text = "game = 'otter'\nversion = 1\n[fields]\nfish = { type = 'int', scope = 'profile' }\n";
//! let schema = keblin_schema::parse("progress.toml", text)?.declaration;
//! let rule = compile(&schema, "fish > 3 || fish == -1")?;
//! # struct Played;
//! # impl Facts for Played {
//! #     fn cell(&self, _: usize) -> &Value { &Value::Int(4) }
//! #     fn fact(&self, _: usize, _: Fact) -> i64 { 0 }
//! #     fn word(&self, _: keblin_schema::condition::Word) -> Option<&str> { None }
//! #     fn played_nanos(&self) -> i64 { 0 }
//! #     fn unlocked(&self, _: usize) -> bool { false }
//! # }
//! assert!(rule.holds(&Played, 0)); // `Played` says what the fields hold: four fish
//! assert!(compile(&schema, "fsh > 3").unwrap_err().to_string().ends_with("(did you mean `fish`?)"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

/// Tokens.
mod lex;

/// Expressions.
mod parse;

/// What `this` and `previous` mean, and constants of levels.
mod here;

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

/// The range of results that a condition can have.
pub(crate) mod range;

pub use compile::{compile, compile_any, compile_expr};
pub use here::parse_in;
pub use keblin_model::names::{self, ConditionError, Part};
pub use keblin_model::program::{
    Arithmetic, Compared, Comparison, Facts, Failing, Program, Read, Type, Val, Word,
};
pub use parse::{Expr, Node, parse};

pub(crate) use here::names_previous;
pub(crate) use rule::{rule_in, rule_of_both};

/// The largest length of a condition, in bytes.
pub const MAX_CONDITION_BYTES: usize = 4096;

/// How many `+`, `-`, `*`, `/` and `%` a condition may have.
pub const MAX_CALCULATIONS: usize = 256;

/// How deep expressions may be nested.
pub const MAX_CONDITION_DEPTH: usize = 48;
