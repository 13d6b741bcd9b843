//! The functions of the language.

use std::fmt::Display;
use std::str::FromStr;

use super::Part;
use super::check::{Checked, Compiler, Typed};
use super::parse::{Expr, Node};
use super::{ConditionError, meant};
use crate::date::{Date, Instant};
use crate::name::nearest;
use crate::program::{Failing, Op, Type};
use crate::time::Time;
use crate::value::Value;

/// The functions that can be called.
const FUNCTIONS: [&str; 6] = ["duration", "date", "timestamp", "least", "greatest", "size"];

impl Compiler<'_> {
    /// Parses the literal text that a function takes.
    fn written<T: FromStr<Err: Display>>(&self, one: &Expr, example: &str) -> Result<T, ConditionError> {
        match &one.node {
            Node::Literal(Value::Text(text)) => {
                text.parse().map_err(|fault| ConditionError::new(one.span.clone(), format!("{fault}")))
            }
            _ => Err(ConditionError::new(
                one.span.clone(),
                format!("expected a literal text such as {example}"),
            )),
        }
    }

    pub(super) fn call(&mut self, expr: &Expr, name: &Part, arguments: &[Expr]) -> Checked {
        match (name.word.as_str(), arguments) {
            ("duration", [one]) => {
                let time: Time = self.written(one, "'90s'")?;
                Ok(self.emit(Op::Int(time.as_nanos()), Type::Time))
            }
            ("date", [one]) => {
                let day: Date = self.written(one, "'2026-11-29'")?;
                Ok(self.emit(Op::Int(day.days()), Type::Date))
            }
            ("timestamp", [one]) => {
                let instant: Instant = self.written(one, "'2026-11-29T10:14:08Z'")?;
                Ok(self.emit(Op::Int(instant.unix_ms()), Type::Instant))
            }
            ("size", [one]) => match self.expr(one)? {
                Typed { kind: Type::Text | Type::List(_) | Type::Items(_), at, may_be_unset, .. } => {
                    if may_be_unset {
                        self.fails(&one.span, Failing::Unset);
                    }
                    Ok(self.emit(Op::Size(at), Type::Int))
                }
                other => Err(self.mismatch(one, "a text, list, set or map", other.kind)),
            },
            ("least" | "greatest", [left, right]) => {
                let (a, b) = (self.operand(left, true)?, self.operand(right, true)?);
                self.same((left, a), (right, b))?;
                let op = match (name.word == "least", a.kind == Type::Float) {
                    (true, false) => Op::Least(a.at, b.at),
                    (false, false) => Op::Greatest(a.at, b.at),
                    (true, true) => Op::LeastFloat(a.at, b.at),
                    (false, true) => Op::GreatestFloat(a.at, b.at),
                };
                Ok(self.emit(op, a.kind))
            }
            ("least" | "greatest", _) => Err(count(expr, name, "two values", arguments.len())),
            ("duration" | "date" | "timestamp" | "size", _) => {
                Err(count(expr, name, "one value", arguments.len()))
            }
            (other, _) => {
                let error = ConditionError::new(name.span.clone(), format!("`{other}` is not a function"));
                Err(error.instead(match (meant::function(other), nearest(other, FUNCTIONS)) {
                    (Some(instead), _) => instead.to_string(),
                    (None, Some(nearest)) => format!("did you mean `{nearest}`?"),
                    (None, None) => format!("known: {}", FUNCTIONS.join(", ")),
                }))
            }
        }
    }
}

fn count(expr: &Expr, name: &Part, takes: &str, found: usize) -> ConditionError {
    ConditionError::new(expr.span.clone(), format!("`{}` takes {takes}, but found {found}", name.word))
}
