//! Shapes of expressions that the compiler recognises: rows of `&&`, literals.

use super::parse::{Expr, Node};
use crate::program::Comparison;
use crate::value::Value;
use crate::value::kind::Kind;

/// Returns the smallest and largest number that satisfy a comparison with a literal; `None` if the comparison is not
/// an order. The ends of an empty range, such as below the smallest number, are crossed.
pub(super) fn within(how: Comparison, with: i64) -> Option<(i64, i64)> {
    let nothing = (i64::MAX, i64::MIN);
    Some(match how {
        Comparison::Less => with.checked_sub(1).map_or(nothing, |most| (i64::MIN, most)),
        Comparison::LessOrEqual => (i64::MIN, with),
        Comparison::Greater => with.checked_add(1).map_or(nothing, |least| (least, i64::MAX)),
        Comparison::GreaterOrEqual => (with, i64::MAX),
        Comparison::Equal | Comparison::NotEqual => return None,
    })
}

/// Returns the sides of a row of one operator, `&&` or `||`, from the left, however they are grouped.
pub(super) fn sides(expr: &Expr) -> Vec<&Expr> {
    let (mut sides, mut rest) = (Vec::new(), vec![expr]);
    while let Some(next) = rest.pop() {
        match (&next.node, &expr.node) {
            (Node::And(left, right), Node::And(..)) | (Node::Or(left, right), Node::Or(..)) => {
                rest.extend([right.as_ref(), left.as_ref()]);
            }
            _ => sides.push(next),
        }
    }
    sides
}

/// Returns the type of a literal; `None` for null.
pub(super) fn literal_kind(value: &Value) -> Option<Kind> {
    match value {
        Value::Bool(_) => Some(Kind::Bool),
        Value::Int(_) => Some(Kind::Int),
        Value::Float(_) => Some(Kind::Float),
        Value::Text(_) => Some(Kind::Text),
        _ => None,
    }
}
