//! A condition split at its `&&`, so that the missing parts can be reported one by one.

use super::compile::{compile_expr, condition};
use super::here::parse_in;
use super::{ConditionError, Expr, Node};
use crate::model::{Model, Rule, RuleAsks, RulePart, Threshold};
use crate::names::{Asked, resolve};
use crate::program::{Comparison, Fact, Read, Type};

/// Compiles a condition as a rule of a level, or of none.
pub(crate) fn rule_in(model: &Model, source: &str, level: Option<usize>) -> Result<Rule, ConditionError> {
    let expr = parse_in(model, source, level)?;
    let program = condition(model, source, &expr)?;
    let mut parts = Vec::new();
    take_apart(model, source, &expr, &mut parts)?;
    Ok(Rule { program, parts })
}

/// Compiles two conditions as one rule; both must be true. Its parts are those of the first, then those of the second.
pub(crate) fn rule_of_both(
    model: &Model,
    (first, second): (&str, &str),
    level: Option<usize>,
) -> Result<Rule, ConditionError> {
    let rules = [rule_in(model, first, level)?, rule_in(model, second, level)?];
    let both = format!("({first}) && ({second})");
    let program = condition(model, &both, &parse_in(model, &both, level)?)?;
    Ok(Rule { program, parts: rules.into_iter().flat_map(|rule| rule.parts).collect() })
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
    let (program, _) = compile_expr(model, source, expr)?;
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
    let (held, kind) = compile_expr(model, source, left)?;
    let (needed, _) = compile_expr(model, source, right)?;
    if !matches!(kind, Type::Int | Type::Time | Type::Float) {
        return Ok(RuleAsks::Other);
    }
    let of_chapter = match &left.node {
        Node::Path(path) => match resolve(model, path)? {
            Asked::Total { fact, chapter: Some(chapter), .. } => Some((fact, chapter)),
            _ => None,
        },
        _ => None,
    };
    let stars = |read: &Read| matches!(read, Read::Fact { fact: Fact::Stars, .. });
    let is_stars = !held.reads().is_empty() && held.reads().iter().all(stars);
    Ok(RuleAsks::Number(Box::new(Threshold { held, comparison, needed, is_stars, of_chapter, kind })))
}
