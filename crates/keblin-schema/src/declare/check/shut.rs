//! What keeps something locked for ever: itself, something that can never open either, or a number out of reach.

use crate::condition::range::{numbers, possible};
use crate::condition::{Comparison, Expr, Node, Program, Read, compile_expr, parse_in};
use crate::declare::parse::ConditionDecl;
use crate::model::Model;
use crate::program::Type;
use crate::text::finding::{Code, Finding};
use crate::time::Time;

use super::reach::Reachable;

/// What can open, and which level or unlock is being checked.
pub(super) struct Shut<'s> {
    pub(super) reachable: &'s Reachable<'s>,
    pub(super) own: Read,
    /// The level whose rule it is.
    pub(super) level: Option<usize>,
}

/// Reports a lock that no play-through opens, with what keeps it locked.
pub(super) fn never_opens(
    model: &Model,
    name: &str,
    shut: &Shut<'_>,
    program: &Program,
    condition: &ConditionDecl,
    found: &mut Vec<Finding>,
) {
    let message = format!("`{name}` can never open: {}", waits_for(model, shut, program, condition));
    let finding = Finding::error(Code::NeverOpens, condition.span.clone(), message);
    found.push(finding.instead("correct the rule or remove it"));
}

/// Says what keeps something locked, as far as a few words can.
fn waits_for(model: &Model, shut: &Shut<'_>, program: &Program, condition: &ConditionDecl) -> String {
    let mut names = Vec::new();
    for read in program.reads() {
        let (is_shut, is_own, name) = match (read, &shut.own) {
            (Read::Fact { level: Some(level), .. }, own) => {
                let is_own = matches!(own, Read::Fact { level: Some(own), .. } if own == level);
                let name = model.levels.get(*level).map(|level| &level.name);
                (shut.reachable.levels.get(*level) == Some(&false), is_own, name)
            }
            (Read::Unlocked(unlock), own) => {
                let name = model.unlocks.get(*unlock).map(|unlock| &unlock.name);
                (shut.reachable.unlocks.get(*unlock) == Some(&false), *own == Read::Unlocked(*unlock), name)
            }
            _ => continue,
        };
        if is_shut && is_own {
            return "it waits for itself".to_string();
        }
        names.extend(name.filter(|_| is_shut).map(|name| format!("`{name}`")));
    }
    if names.is_empty() {
        let unreached = unreached(model, shut.reachable, &condition.text, shut.level);
        return unreached.unwrap_or("no play-through makes its rule true".to_string());
    }
    format!("it waits for {}, which can never open either", names.join(" and "))
}

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
                let (program, _) = compile_expr(model, source, part).ok()?;
                if !possible(&program, reachable).yes {
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
    let (program, kind) = compile_expr(model, source, named).ok()?;
    let (low, high) = numbers(&program, reachable)?;
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
