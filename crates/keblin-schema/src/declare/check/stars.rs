//! Doubts about the stars of a level: their order, and what a save has of them.

use crate::condition::{Comparison, Val};
use crate::declare::parse::ConditionDecl;
use crate::model::{LevelDef, Model, Rule, RuleAsks, StarsBy};
use crate::text::finding::{Code, Finding};
use keblin_model::Severity;

/// Warns about stars that compare one number with several thresholds, but not from easy to hard.
pub(super) fn unordered(rules: &[Rule], stars: &[ConditionDecl], found: &mut Vec<Finding>) {
    for ((earlier, later), star) in rules.iter().zip(rules.iter().skip(1)).zip(stars.iter().skip(1)) {
        let (Some(first), Some(second)) = (threshold(earlier), threshold(later)) else { continue };
        let easier = match first.1 {
            Comparison::GreaterOrEqual | Comparison::Greater => second.2 < first.2,
            Comparison::LessOrEqual | Comparison::Less => second.2 > first.2,
            _ => false,
        };
        if (first.0, first.1) == (second.0, second.1) && easier {
            let message =
                format!("this star asks for less than the one before it: `{}`", earlier.program.source());
            let finding = Finding::error(Code::UnorderedStars, star.span.clone(), message);
            found.push(finding.as_severity(Severity::Warning).instead("put the easier one first"));
        }
    }
}

/// Hints at stars that are collected separately and have no ids: a save has only their positions.
pub(super) fn nameless(model: &Model, level: &LevelDef, stars: &[ConditionDecl], found: &mut Vec<Finding>) {
    let [_, second, ..] = stars else { return };
    if model.stars_by == StarsBy::Each && level.star_ids.is_empty() {
        let message = format!("the stars of {} are collected separately but have no ids", level.name);
        let finding = Finding::error(Code::NamelessStars, second.span.clone(), message);
        let instead = "write each as `{ id = \"ID\", when = \"CONDITION\" }`; without ids a save has only \
                       their positions, and a star put before others takes over what was earned for them";
        found.push(finding.as_severity(Severity::Hint).instead(instead));
    }
}

/// Returns the name and the literal that a rule of one comparison compares.
fn threshold(rule: &Rule) -> Option<(&str, Comparison, i64)> {
    let [part] = rule.parts.as_slice() else { return None };
    let RuleAsks::Number(threshold) = &part.asks else { return None };
    match threshold.needed.constant()? {
        Val::Int(number) => Some((threshold.held.source(), threshold.comparison, number)),
        _ => None,
    }
}
