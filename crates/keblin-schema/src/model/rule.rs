//! Rules with reasons. A lock is a condition that is also taken apart at its `&&`, so that what is missing can be told
//! part by part: which level to finish, how many stars are needed and how many are held.

use crate::condition::names::{Asked, Fact, On, resolve};
use crate::condition::{Comparison, ConditionError, Expr, Node, Program, Read, Type, parse};
use crate::model::Schema;

/// A condition with the parts it is made of.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Rule {
    /// The whole condition.
    pub program: Program,
    /// Its parts: all of them must hold.
    pub parts: Vec<RulePart>,
}

/// A part of a rule.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct RulePart {
    /// What it asks for.
    pub asks: RuleAsks,
    /// The part as a condition of its own.
    pub program: Program,
}

/// What a part of a rule asks for.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum RuleAsks {
    /// A level to be finished.
    Finished {
        /// The level, as a position in [`Schema::levels`].
        level: usize,
        /// On which difficulty.
        on: On,
    },
    /// An unlock to be given, as a position in [`Schema::unlocks`].
    Unlocked(usize),
    /// A number to be reached or kept below.
    Number(Box<Threshold>),
    /// Anything else.
    Other,
}

/// A number that is held against another.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Threshold {
    /// What is held.
    pub held: Program,
    /// How it is compared.
    pub comparison: Comparison,
    /// What is needed.
    pub needed: Program,
    /// Whether what is held is a number of stars.
    pub is_stars: bool,
    /// What both are: whole numbers, numbers with a fraction, or times in nanoseconds.
    pub kind: Type,
}

impl Rule {
    /// Compiles a condition as a rule.
    ///
    /// # Errors
    /// As [`Program::compile`].
    pub fn compile(schema: &Schema, source: &str) -> Result<Rule, ConditionError> {
        let program = Program::compile(schema, source)?;
        let mut parts = Vec::new();
        take_apart(schema, source, &parse(source)?, &mut parts)?;
        Ok(Rule { program, parts })
    }
}

fn take_apart(
    schema: &Schema,
    source: &str,
    expr: &Expr,
    parts: &mut Vec<RulePart>,
) -> Result<(), ConditionError> {
    if let Node::And(left, right) = &expr.node {
        take_apart(schema, source, left, parts)?;
        return take_apart(schema, source, right, parts);
    }
    let (program, _) = Program::of_expr(schema, source, expr)?;
    let asks = match &expr.node {
        Node::Path(path) => match resolve(schema, path)? {
            Asked::Fact { level, on, fact: Fact::Finished } => RuleAsks::Finished { level, on },
            Asked::Unlocked(unlock) => RuleAsks::Unlocked(unlock),
            _ => RuleAsks::Other,
        },
        Node::Compare(comparison, left, right) => number(schema, source, *comparison, left, right)?,
        _ => RuleAsks::Other,
    };
    parts.push(RulePart { asks, program });
    Ok(())
}

fn number(
    schema: &Schema,
    source: &str,
    comparison: Comparison,
    left: &Expr,
    right: &Expr,
) -> Result<RuleAsks, ConditionError> {
    let (held, kind) = Program::of_expr(schema, source, left)?;
    let (needed, _) = Program::of_expr(schema, source, right)?;
    if !matches!(kind, Type::Int | Type::Time | Type::Float) {
        return Ok(RuleAsks::Other);
    }
    let stars = |read: &Read| matches!(read, Read::Fact { fact: Fact::Stars, .. });
    let is_stars = !held.reads().is_empty() && held.reads().iter().all(stars);
    Ok(RuleAsks::Number(Box::new(Threshold { held, comparison, needed, is_stars, kind })))
}
