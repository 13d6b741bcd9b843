//! From the text of a condition to a program, and the types an expression can have.

use std::fmt;
use std::sync::Arc;

use super::ConditionError;
use super::check::Compiler;
use super::parse::{Expr, parse};
use super::program::{Op, Program};
use crate::kind::{Holds, Kind};
use crate::model::Schema;

/// The type of an expression.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Type {
    /// A number with a fraction.
    Float,
    /// A list; the kind of its items, `None` for the empty one that is written out.
    List(Option<Kind>),
    /// A set, or a map of which the keys are asked; the kind of what is in it.
    Items(Kind),
    /// What can be asked only part by part, or not at all.
    Whole(Kind),
    /// Yes or no.
    Bool,
    /// A whole number.
    Int,
    /// A length of time.
    Time,
    /// Text; an id is text.
    Text,
    /// Unset, and nothing else.
    Null,
}

impl fmt::Display for Type {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Type::Bool => "true or false",
            Type::Int => "a whole number",
            Type::Float => "a number with a fraction",
            Type::List(_) => "a list",
            Type::Items(_) => "a set or map",
            Type::Whole(kind) => return f.write_str(&kind.with_article()),
            Type::Time => "a time",
            Type::Text => "a text",
            Type::Null => "null",
        })
    }
}

impl From<Holds> for Type {
    fn from(holds: Holds) -> Type {
        match holds.kind {
            Kind::Bool => Type::Bool,
            Kind::Int => Type::Int,
            Kind::Float => Type::Float,
            Kind::Time => Type::Time,
            Kind::Text | Kind::Id(_) => Type::Text,
            Kind::List => Type::List(holds.of),
            Kind::Set => Type::Items(holds.of.unwrap_or(Kind::Text)),
            Kind::Map => Type::Items(holds.key.unwrap_or(Kind::Text)),
            other => Type::Whole(other),
        }
    }
}

impl Program {
    /// Parses and checks a condition: an expression that is true or false.
    ///
    /// # Errors
    /// [`ConditionError`] for the first fault found, with its place, what was expected and what was found.
    pub fn compile(schema: &Schema, source: &str) -> Result<Program, ConditionError> {
        let (program, kind) = Program::compile_any(schema, source)?;
        match kind {
            Type::Bool => Ok(program),
            other => {
                let message = format!("expected a condition, which is true or false, but found {other}");
                Err(ConditionError::new(0..source.len(), message))
            }
        }
    }

    /// Parses and checks an expression of any type.
    ///
    /// # Errors
    /// As [`Program::compile`].
    pub fn compile_any(schema: &Schema, source: &str) -> Result<(Program, Type), ConditionError> {
        Program::of_expr(schema, source, &parse(source)?)
    }

    /// Checks an expression that is parsed already, or a part of one.
    ///
    /// # Errors
    /// As [`Program::compile`].
    pub fn of_expr(schema: &Schema, source: &str, expr: &Expr) -> Result<(Program, Type), ConditionError> {
        let mut compiler = Compiler::new(schema);
        let typed = compiler.expr(expr)?;
        let difficulties =
            if schema.level_facts_per_difficulty { schema.difficulties.len().max(1) } else { 1 };
        let program = Program {
            source: Arc::from(source.get(expr.span.clone()).unwrap_or(source)),
            root: compiler.ops.last().copied().unwrap_or(Op::Null),
            ops: compiler.ops.into(),
            texts: compiler.texts.into(),
            lists: compiler.lists.into(),
            sums: compiler.sums.into(),
            wholes: compiler.wholes.into(),
            levels: small(schema.levels.len()),
            difficulties: small(difficulties),
            reads: compiler.reads.into(),
            bool_cells: compiler.bool_cells.into(),
            can_fail: compiler.can_fail,
            asks_in_question: compiler.asks_in_question,
        };
        Ok((program, typed.kind))
    }
}

/// A position or a count; schemas are far smaller than what this holds.
pub(super) fn small(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}
