//! Expectations: conditions that can explain why they are not met: the actual value, and which names to trace.

use keblin_model::Value;
use keblin_model::model::At;
use keblin_model::names::ConditionError;
use keblin_model::names::ENGINE;
use keblin_model::program::Fact;
use keblin_model::program::{Comparison, Program, Read, Type, Word};
use keblin_schema::condition::{Expr, Node, compile, compile_expr, parse_in};

use crate::progress::Engine;
use crate::progress::journal::Target;
use crate::snapshot::Schema;

/// A condition that a rehearsal expects to be true.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Expectation {
    program: Program,
    /// The two sides, if the condition is a comparison.
    sides: Option<Sides>,
    /// By how much both sides of an equation may differ: half of this.
    nearest: Option<Value>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct Sides {
    left: (Program, Type),
    comparison: Comparison,
    right: (Program, Type),
}

/// An expectation that is not met.
pub(crate) struct Unmet {
    /// The left side, as it is written.
    pub(crate) name: String,
    pub(crate) expected: String,
    pub(crate) actual: Value,
}

impl Expectation {
    pub(crate) fn compile(schema: &Schema, source: &str) -> Result<Expectation, ConditionError> {
        let program = compile(schema, source)?;
        let side = |expr: &Expr| compile_expr(schema, source, expr);
        let sides = match parse_in(schema, source, None)?.node {
            Node::Compare(comparison, left, right) => {
                Some(Sides { left: side(&left)?, comparison, right: side(&right)? })
            }
            _ => None,
        };
        Ok(Expectation { program, sides, nearest: None })
    }

    /// Returns the equation with sides that may differ by half of a number or time; `None` if it is not an equation, or
    /// the number is not positive.
    pub(super) fn rounded(mut self, nearest: &str) -> Option<Expectation> {
        let sides = self.sides.as_ref().filter(|sides| sides.comparison == Comparison::Equal)?;
        let value = match sides.right.1 {
            Type::Time => Value::Time(nearest.parse().ok()?),
            Type::Int => Value::Int(nearest.parse().ok()?),
            Type::Float => Value::float(nearest.parse().ok()?)?,
            _ => return None,
        };
        self.nearest = Some(value.clone()).filter(|value| number(value).is_some_and(|number| number > 0.0));
        self.nearest.is_some().then_some(self)
    }

    /// Returns the actual value, if the expectation is not met.
    pub(crate) fn unmet(&self, progress: &Engine) -> Option<Unmet> {
        let difficulty = progress.difficulty().map_or(0, keblin_model::Difficulty::index);
        if self.program.holds(progress, difficulty) {
            return None;
        }
        let value = |(program, kind): &(Program, Type)| {
            program.outcome(progress, difficulty, *kind).unwrap_or(Value::Unset)
        };
        if let (Some(nearest), Some(Sides { left, right, .. })) = (&self.nearest, &self.sides)
            && let (Some(left), Some(right), Some(nearest)) =
                (number(&value(left)), number(&value(right)), number(nearest))
            && (left - right).abs() * 2.0 <= nearest
        {
            return None;
        }
        Some(match &self.sides {
            Some(Sides { left, comparison, right }) => {
                let sign = match comparison {
                    Comparison::Equal => String::new(),
                    other => format!("{} ", other.sign()),
                };
                let expected = format!("{sign}{}", value(right));
                Unmet { name: left.0.source().to_string(), expected, actual: value(left) }
            }
            None => Unmet {
                name: self.program.source().to_string(),
                expected: Value::Bool(true).to_string(),
                actual: Value::Bool(false),
            },
        })
    }

    /// Returns the names in the expectation, as the trace knows them.
    pub(super) fn names(&self, schema: &Schema) -> Vec<String> {
        let asked = self.sides.as_ref().map_or(&self.program, |sides| &sides.left.0);
        let mut names = Vec::new();
        for read in asked.reads() {
            match read {
                Read::Cells(range) => names.extend(range.clone().map(|cell| Target::Cell(cell).text(schema))),
                Read::Fact { fact, level } => fact_names(schema, *fact, *level, &mut names),
                Read::Unlocked(unlock) => {
                    let unlock = schema.unlocks.get(*unlock).map_or("?", |unlock| unlock.name.as_str());
                    names.push(format!("unlocked.{unlock}"));
                }
                Read::Word(word) => names.push(word_name(*word).to_string()),
                _ => names.push("played".to_string()),
            }
        }
        names
    }
}

/// Returns a number or time as a number, for measuring a difference.
fn number(value: &Value) -> Option<f64> {
    match value {
        Value::Float(number) => Some(number.get()),
        #[expect(clippy::cast_precision_loss, reason = "a difference is measured, not kept")]
        value => value.number().map(|number| number as f64),
    }
}

fn fact_names(schema: &Schema, fact: Fact, level: Option<usize>, names: &mut Vec<String>) {
    let apart = schema.level_facts_per_difficulty;
    let difficulties: Vec<Option<usize>> =
        if apart { (0..schema.difficulties.len()).map(Some).collect() } else { vec![None] };
    let levels = level.map_or(0..schema.levels.len(), |level| level..level + 1);
    for at in levels.flat_map(|level| difficulties.iter().map(move |one| At::level(Some(level), *one))) {
        names.push(Target::Fact { at, fact }.text(schema));
    }
}

fn word_name(word: Word) -> &'static str {
    let index = match word {
        Word::Phase => 0,
        Word::Level => 1,
        Word::Checkpoint => 2,
        Word::Furthest => 3,
        Word::Difficulty => 4,
    };
    ENGINE.get(index).map_or("", |(name, _)| name)
}
