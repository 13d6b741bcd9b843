//! Compiles the text of a condition to a program.

use std::sync::Arc;

use super::check::Compiler;
use super::here::parse_in;
use super::parse::Expr;
use super::{ConditionError, meant};
use crate::model::Model;
use crate::program::{Op, Program, Type, small};

impl Program {
    /// Parses and checks a condition: an expression that is true or false.
    ///
    /// # Errors
    /// [`ConditionError`] for the first mistake, with its place, what was expected and what was found.
    pub fn compile(model: &Model, source: &str) -> Result<Program, ConditionError> {
        Program::condition(model, source, &parse_in(model, source, None)?)
    }

    /// Compiles an expression that must be a condition.
    pub(super) fn condition(model: &Model, source: &str, expr: &Expr) -> Result<Program, ConditionError> {
        let (program, kind) = Program::of_expr(model, source, expr)?;
        match kind {
            Type::Bool => Ok(program),
            other => {
                let message = format!("expected a condition, which is true or false, but found {other}");
                let error = ConditionError::new(0..source.len(), message);
                Err(error.instead_if(meant::of_type(model, expr, "true or false", other)))
            }
        }
    }

    /// Parses and checks an expression of any type.
    ///
    /// # Errors
    /// As [`Program::compile`].
    pub fn compile_any(model: &Model, source: &str) -> Result<(Program, Type), ConditionError> {
        Program::of_expr(model, source, &parse_in(model, source, None)?)
    }

    /// Compiles an expression, or part of one, that is already parsed.
    ///
    /// # Errors
    /// As [`Program::compile`].
    pub fn of_expr(model: &Model, source: &str, expr: &Expr) -> Result<(Program, Type), ConditionError> {
        let mut compiler = Compiler::new(model);
        let typed = compiler.expr(expr)?;
        let difficulties = if model.level_facts_per_difficulty { model.difficulties.len().max(1) } else { 1 };
        let program = Program {
            source: Arc::from(source.get(expr.span.clone()).unwrap_or(source)),
            root: compiler.ops.last().copied().unwrap_or(Op::Null),
            ops: compiler.ops.into(),
            texts: compiler.texts.into(),
            lists: compiler.lists.into(),
            sums: compiler.sums.into(),
            wholes: compiler.wholes.into(),
            spans: compiler.spans.into(),
            difficulties: small(difficulties),
            reads: compiler.reads.into(),
            bool_cells: compiler.bool_cells.into(),
            can_fail: compiler.can_fail,
            asks_in_question: compiler.asks_in_question,
        };
        Ok((program, typed.kind))
    }
}
