//! Compiles the text of a condition to a program.

use super::check::Compiler;
use super::here::parse_in;
use super::parse::Expr;
use super::{ConditionError, meant};
use crate::model::Model;
use crate::program::{Program, Type};

/// Parses and checks a condition: an expression that is true or false.
///
/// # Errors
/// [`ConditionError`] for the first mistake, with its place, what was expected and what was found.
pub fn compile(model: &Model, source: &str) -> Result<Program, ConditionError> {
    condition(model, source, &parse_in(model, source, None)?)
}

/// Compiles an expression that must be a condition.
pub(super) fn condition(model: &Model, source: &str, expr: &Expr) -> Result<Program, ConditionError> {
    let (program, kind) = compile_expr(model, source, expr)?;
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
/// As [`compile`].
pub fn compile_any(model: &Model, source: &str) -> Result<(Program, Type), ConditionError> {
    compile_expr(model, source, &parse_in(model, source, None)?)
}

/// Compiles an expression, or part of one, that is already parsed.
///
/// # Errors
/// As [`compile`].
pub fn compile_expr(model: &Model, source: &str, expr: &Expr) -> Result<(Program, Type), ConditionError> {
    let mut compiler = Compiler::new(model);
    let typed = compiler.expr(expr)?;
    Ok((compiler.program(source.get(expr.span.clone()).unwrap_or(source)), typed.kind))
}
