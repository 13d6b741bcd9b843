//! A condition split at its `&&`, so that the missing parts can be reported one by one.

use super::names::{Asked, resolve};
use super::{ConditionError, Expr, Node, parse};
use crate::model::{Model, Rule, RuleAsks, RulePart, Threshold};
use crate::program::{Comparison, Fact, Program, Read, Type};

impl Rule {
    /// Compiles a condition as a rule.
    ///
    /// # Errors
    /// As [`Program::compile`].
    pub fn compile(model: &Model, source: &str) -> Result<Rule, ConditionError> {
        let program = Program::compile(model, source)?;
        let mut parts = Vec::new();
        take_apart(model, source, &parse(source)?, &mut parts)?;
        Ok(Rule { program, parts })
    }
}

fn take_apart(
    model: &Model,
    source: &str,
    expr: &Expr,
    parts: &mut Vec<RulePart>,
) -> Result<(), ConditionError> {
    if let Node::And(left, right) = &expr.node {
        take_apart(model, source, left, parts)?;
        return take_apart(model, source, right, parts);
    }
    let (program, _) = Program::of_expr(model, source, expr)?;
    let asks = match &expr.node {
        Node::Path(path) => match resolve(model, path)? {
            Asked::Fact { level, on, fact: Fact::Finished } => RuleAsks::Finished { level, on },
            Asked::Unlocked(unlock) => RuleAsks::Unlocked(unlock),
            _ => RuleAsks::Other,
        },
        Node::Compare(comparison, left, right) => number(model, source, *comparison, left, right)?,
        _ => RuleAsks::Other,
    };
    parts.push(RulePart { asks, program });
    Ok(())
}

fn number(
    model: &Model,
    source: &str,
    comparison: Comparison,
    left: &Expr,
    right: &Expr,
) -> Result<RuleAsks, ConditionError> {
    let (held, kind) = Program::of_expr(model, source, left)?;
    let (needed, _) = Program::of_expr(model, source, right)?;
    if !matches!(kind, Type::Int | Type::Time | Type::Float) {
        return Ok(RuleAsks::Other);
    }
    let stars = |read: &Read| matches!(read, Read::Fact { fact: Fact::Stars, .. });
    let is_stars = !held.reads().is_empty() && held.reads().iter().all(stars);
    Ok(RuleAsks::Number(Box::new(Threshold { held, comparison, needed, is_stars, kind })))
}
