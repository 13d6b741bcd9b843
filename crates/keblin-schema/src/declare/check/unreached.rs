//! Which number of a rule is out of reach.

use crate::condition::{Comparison, Expr, Node, Program, parse_in};
use crate::model::Model;
use crate::program::Type;
use crate::text::time::Time;

use super::reach::Reachable;

/// Returns what makes a condition impossible, such as "`totals.stars` is at most 3"; `None` if it is not one number.
/// `level` is the level whose rule it is.
pub(super) fn unreached(
    model: &Model,
    reachable: &Reachable<'_>,
    source: &str,
    level: Option<usize>,
) -> Option<String> {
    let expr = parse_in(model, source, level).ok()?;
    let mut parts = vec![&expr];
    while let Some(part) = parts.pop() {
        match &part.node {
            Node::And(left, right) => parts.extend([right.as_ref(), left.as_ref()]),
            Node::Compare(how, left, right) => {
                let (program, _) = Program::of_expr(model, source, part).ok()?;
                if !program.possible(reachable).yes {
                    return of_comparison(model, reachable, source, (*how, left, right));
                }
            }
            _ => {}
        }
    }
    None
}

fn of_comparison(
    model: &Model,
    reachable: &Reachable<'_>,
    source: &str,
    (how, left, right): (Comparison, &Expr, &Expr),
) -> Option<String> {
    // Written either way round: `3 <= totals.stars` asks the same as `totals.stars >= 3`.
    let (named, asks_for_more) = match (&left.node, &right.node) {
        (_, Node::Literal(_)) => (left, matches!(how, Comparison::Greater | Comparison::GreaterOrEqual)),
        (Node::Literal(_), _) => (right, matches!(how, Comparison::Less | Comparison::LessOrEqual)),
        _ => return None,
    };
    let (program, kind) = Program::of_expr(model, source, named).ok()?;
    let (low, high) = program.numbers(reachable)?;
    let name = source.get(named.span.clone())?;
    let shown = |number: i128| {
        let number = i64::try_from(number).ok()?;
        Some(if kind == Type::Time { Time::from_nanos(number).to_string() } else { number.to_string() })
    };
    Some(match how {
        Comparison::Equal | Comparison::NotEqual if low == high => {
            format!("`{name}` is always {}", shown(low)?)
        }
        Comparison::Equal => format!("`{name}` is from {} to {}", shown(low)?, shown(high)?),
        _ if asks_for_more => format!("`{name}` is at most {}", shown(high)?),
        _ => format!("`{name}` is at least {}", shown(low)?),
    })
}
