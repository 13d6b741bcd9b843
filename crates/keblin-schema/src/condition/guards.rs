//! Guards: what is known to be set on the right side of `x != null && …` or `x == null || …`.

use super::Part;
use super::parse::{Expr, Node};
use crate::program::Comparison;
use crate::value::Value;

/// Adds the names that a guard tests for null; each side of its own `&&` (or `||`) is a guard too.
pub(super) fn guarded_names(guard: &Expr, asks: Comparison, known: &mut Vec<String>) {
    match (&guard.node, asks) {
        (Node::And(left, right), Comparison::NotEqual) | (Node::Or(left, right), Comparison::Equal) => {
            guarded_names(left, asks, known);
            guarded_names(right, asks, known);
        }
        (Node::Compare(how, left, right), _) if *how == asks => match (&left.node, &right.node) {
            (Node::Path(path), Node::Literal(Value::Unset))
            | (Node::Literal(Value::Unset), Node::Path(path)) => {
                known.push(dotted(path));
            }
            _ => {}
        },
        _ => {}
    }
}

/// Returns a name as it is written.
pub(super) fn dotted(path: &[Part]) -> String {
    path.iter().map(|part| part.word.as_str()).collect::<Vec<_>>().join(".")
}
