//! Locks, stars, unlocks and moments: compiled against the schema, with warnings about them.

use std::collections::HashSet;

use crate::condition::range::possible;
use crate::condition::rule_of_both;
use crate::condition::{Comparison, Expr, Failing, Node, Program, Read, names_previous, parse};
use crate::declare::parse::{BoundDecl, ConditionDecl, Declarations, StarsDecl};
use crate::model::{Bound, Model, Rule, RuleId, Watch};
use crate::program::Fact;
use crate::text::finding::{Code, Finding};
use crate::value::Value;
use keblin_model::Severity;

use super::bounds::programs;
use super::place::{misplaced, place};
use super::reach::Reachable;
use super::shut::{Shut, never_opens, unreached};
use super::stars::{nameless, unordered};

fn rule(model: &Model, condition: &ConditionDecl, found: &mut Vec<Finding>) -> Option<Rule> {
    rule_in(model, condition, None, found)
}

/// Compiles a rule of a level, by its position.
fn rule_in(
    model: &Model,
    condition: &ConditionDecl,
    level: Option<usize>,
    found: &mut Vec<Finding>,
) -> Option<Rule> {
    match crate::condition::rule_in(model, &condition.text, level) {
        Ok(rule) => {
            stray_checkpoints(model, condition, found);
            Some(rule)
        }
        Err(error) => {
            found.push(misplaced(error, condition));
            None
        }
    }
}

pub(super) fn compile(declared: &Declarations, model: &mut Model, found: &mut Vec<Finding>) {
    let chapters: Vec<_> = declared.chapters.iter().map(|chapter| chapter.unlock.as_ref()).collect();
    let of_chapters: Vec<Option<Rule>> =
        chapters.iter().map(|unlock| unlock.and_then(|unlock| rule(model, unlock, found))).collect();
    let mut levels = Vec::new();
    for (index, level) in declared.levels.iter().enumerate() {
        // The first level does not wait for another one.
        let is_first = model.level_before(index).is_none();
        let own = level.unlock.as_ref().filter(|own| !(is_first && names_previous(&own.text)));
        let unlock = own.and_then(|own| rule_in(model, own, Some(index), found));
        let of_chapter =
            level.chapter.and_then(|at| Some((chapters.get(at)?.as_ref()?, of_chapters.get(at)?)));
        let lock = match (of_chapter, own) {
            (Some((chapter, Some(_))), Some(own)) if unlock.is_some() => {
                rule_of_both(model, (&chapter.text, &own.text), Some(index)).ok()
            }
            (Some((_, of_chapter)), None) => of_chapter.clone(),
            _ => unlock.clone(),
        };
        let stars: Vec<Rule> = match &level.stars {
            StarsDecl::Given(_) => Vec::new(),
            StarsDecl::Rules { rules, .. } => {
                rules.iter().filter_map(|star| rule_in(model, star, Some(index), found)).collect()
            }
        };
        levels.push((unlock, lock, stars));
    }
    for (chapter, unlock) in model.chapters.iter_mut().zip(of_chapters) {
        chapter.unlock = unlock;
    }
    let whens: Vec<_> = declared
        .unlocks
        .iter()
        .map(|unlock| unlock.when.as_ref().and_then(|when| rule(model, when, found)))
        .collect();
    let moments: Vec<_> = declared
        .moments
        .iter()
        .map(|moment| moment.when.as_ref().and_then(|when| rule(model, when, found)))
        .collect();
    let invariants: Vec<_> = declared
        .invariants
        .iter()
        .map(|invariant| invariant.holds.as_ref().and_then(|holds| rule(model, holds, found)))
        .collect();
    for (moment, when) in model.moments.iter_mut().zip(moments) {
        moment.when = when;
    }
    for (invariant, holds) in model.invariants.iter_mut().zip(invariants) {
        invariant.holds = holds;
    }
    for (level, (unlock, lock, stars)) in model.levels.iter_mut().zip(levels) {
        level.unlock = unlock;
        level.lock = lock;
        level.star_rules = stars;
    }
    for (unlock, when) in model.unlocks.iter_mut().zip(whens) {
        unlock.when = when;
    }
    model.watch = watch(model);
    let reachable = Reachable::of(model);
    doubt_levels(declared, model, &reachable, found);
    doubt_unlocks(declared, model, &reachable, found);
    for (moment, decl) in model.moments.iter().zip(&declared.moments) {
        if let (Some(rule), Some(when)) = (&moment.when, &decl.when) {
            doubt(&rule.program, &reachable, when, None, found);
        }
    }
    for (invariant, decl) in model.invariants.iter().zip(&declared.invariants) {
        if let (Some(rule), Some(holds)) = (&invariant.holds, &decl.holds) {
            bare(model, &rule.program, "an invariant", holds, found);
            doubt(&rule.program, &reachable, holds, None, found);
        }
    }
    doubt_bounds(declared, model, found);
    // The levels of a chapter have one text in common, so the same is found for each of them.
    let mut seen = HashSet::new();
    found.retain(|one| seen.insert((one.code, one.span.clone(), one.message.clone())));
}

/// Warns about bounds that can end in an error, because the bound is then ignored.
fn doubt_bounds(declared: &Declarations, model: &Model, found: &mut Vec<Finding>) {
    for (field, decl) in model.fields.iter().zip(&declared.fields) {
        for (bound, decl) in [(&field.min, &decl.min), (&field.max, &decl.max)] {
            let (Some(Bound::Follows(program)), Some(decl)) = (bound, decl) else { continue };
            let BoundDecl::Follows(source) = &decl.value else { continue };
            if let Some((span, why)) = program.can_fail() {
                let why = if why == Failing::Unset { "unset" } else { "zero" };
                let message = format!("this can be {why}; the bound is then ignored");
                let finding = Finding::error(Code::FailingRule, place(&span, source), message);
                found.push(
                    finding.as_severity(Severity::Warning).instead("use something that always has a value"),
                );
            }
        }
    }
}

/// Bounds, locks, unlocks, moments and invariants are evaluated again when something they name has changed; stars at a finish.
fn watch(model: &Model) -> Watch {
    let positions = || 0_u32..;
    let bounds = (0..model.fields.len()).zip(positions());
    let bounds =
        bounds.flat_map(|(field, id)| programs(model, field).map(move |rule| (RuleId::Bounds(id), rule)));
    let locks = model.levels.iter().map(|level| level.lock.as_ref()).zip(positions());
    let unlocks = model.unlocks.iter().map(|unlock| unlock.when.as_ref()).zip(positions());
    let moments = model.moments.iter().map(|moment| moment.when.as_ref()).zip(positions());
    let invariants = model.invariants.iter().map(|invariant| invariant.holds.as_ref()).zip(positions());
    let rules = locks
        .map(|(rule, id)| (RuleId::Lock(id), rule))
        .chain(unlocks.map(|(rule, id)| (RuleId::Unlock(id), rule)))
        .chain(moments.map(|(rule, id)| (RuleId::Moment(id), rule)))
        .chain(invariants.map(|(rule, id)| (RuleId::Invariant(id), rule)))
        .filter_map(|(id, rule)| Some((id, &rule?.program)));
    Watch::new(model.cell_count, model.levels.len(), bounds.chain(rules))
}

fn doubt_levels(declared: &Declarations, model: &Model, reachable: &Reachable<'_>, found: &mut Vec<Finding>) {
    for (chapter, decl) in model.chapters.iter().zip(&declared.chapters) {
        if let (Some(rule), Some(unlock)) = (&chapter.unlock, &decl.unlock) {
            doubt(&rule.program, reachable, unlock, None, found);
        }
    }
    for ((index, level), decl) in model.levels.iter().enumerate().zip(&declared.levels) {
        let of_chapter = || declared.chapters.get(decl.chapter?)?.unlock.as_ref();
        if reachable.levels.get(index) == Some(&true) {
            if let (Some(rule), Some(unlock)) = (&level.unlock, &decl.unlock) {
                doubt(&rule.program, reachable, unlock, Some(index), found);
            }
        } else if let (Some(rule), Some(unlock)) = (&level.lock, decl.unlock.as_ref().or_else(of_chapter)) {
            let own = Read::Fact { fact: Fact::Finished, level: Some(index) };
            let shut = Shut { reachable, own, level: Some(index) };
            never_opens(model, level.name.as_str(), &shut, &rule.program, unlock, found);
        }
        if let StarsDecl::Rules { rules: stars, .. } = &decl.stars
            && stars.len() == level.star_rules.len()
        {
            for (rule, star) in level.star_rules.iter().zip(stars) {
                // A star for finishing is written `true`.
                if star.text.trim() != "true" {
                    doubt(&rule.program, reachable, star, Some(index), found);
                }
            }
            unordered(&level.star_rules, stars, found);
            nameless(model, level, stars, found);
        }
    }
}

fn doubt_unlocks(
    declared: &Declarations,
    model: &Model,
    reachable: &Reachable<'_>,
    found: &mut Vec<Finding>,
) {
    for ((index, unlock), decl) in model.unlocks.iter().enumerate().zip(&declared.unlocks) {
        let (Some(rule), Some(when)) = (&unlock.when, &decl.when) else { continue };
        bare(model, &rule.program, "an unlock", when, found);
        if reachable.unlocks.get(index) == Some(&true) {
            doubt(&rule.program, reachable, when, None, found);
        } else {
            let shut = Shut { reachable, own: Read::Unlocked(index), level: None };
            never_opens(model, unlock.name.as_str(), &shut, &rule.program, when, found);
        }
    }
}

/// Reports a name that needs a difficulty, in a rule of something that does not have a current one.
fn bare(model: &Model, program: &Program, what: &str, decl: &ConditionDecl, found: &mut Vec<Finding>) {
    let Some(span) = program.asks_in_question() else { return };
    let name = program.source().get(span.clone()).unwrap_or_default().to_string();
    let message = format!("`{name}` needs a difficulty, because {what} does not have a current one");
    let (first, last) = name.rsplit_once('.').unwrap_or((name.as_str(), ""));
    let one = model.difficulties.first().map_or("DIFFICULTY", |difficulty| difficulty.as_str());
    let all = if first == "totals" { "all" } else { "any" };
    let instead = format!("write `{first}.{all}.{last}`, or `{first}.{one}.{last}`");
    found.push(Finding::error(Code::BareName, place(&span, decl), message).instead(instead));
}

/// Warns about a rule that compiles but can fail, or is always true or never.
fn doubt(
    program: &Program,
    reachable: &Reachable<'_>,
    condition: &ConditionDecl,
    level: Option<usize>,
    found: &mut Vec<Finding>,
) {
    if let Some((span, why)) = program.can_fail() {
        let (why, instead) = match why {
            Failing::Unset => ("unset", "test for null first, as in `best != null && best > 3`"),
            Failing::Zero => ("zero", "divide by a literal number"),
        };
        let message = format!("this can be {why}; the rule is then false");
        let finding = Finding::error(Code::FailingRule, place(&span, condition), message);
        found.push(finding.as_severity(Severity::Warning).instead(instead));
    }
    let possible = possible(program, reachable);
    if possible.yes && possible.no {
        return;
    }
    let decided = match possible.yes {
        true => "this rule is always true".to_string(),
        false => match unreached(reachable.model, reachable, &condition.text, level) {
            Some(why) => format!("this rule is never true: {why}"),
            None => "this rule is never true".to_string(),
        },
    };
    let finding = Finding::error(Code::DecidedRule, condition.span.clone(), decided);
    found.push(
        finding
            .as_severity(Severity::Warning)
            .instead("no play-through changes it: remove the rule or correct it"),
    );
}

/// Reports a rule that asks for a level and for a checkpoint of another level.
fn stray_checkpoints(model: &Model, condition: &ConditionDecl, found: &mut Vec<Finding>) {
    let Ok(expr) = parse(&condition.text) else { return };
    let mut rows = vec![vec![&expr]];
    // Each row holds together; each side of an `||` is a row of its own.
    while let Some(row) = rows.pop() {
        let (mut level, mut checkpoints, mut parts) = (None, Vec::new(), row);
        while let Some(part) = parts.pop() {
            match &part.node {
                Node::And(left, right) => parts.extend([left.as_ref(), right.as_ref()]),
                Node::Or(left, right) => rows.extend([vec![left.as_ref()], vec![right.as_ref()]]),
                Node::Compare(Comparison::Equal, left, right) => match asked_word(left, right) {
                    Some(("level", id, _)) => level = model.level_named(id),
                    Some(("checkpoint", id, span)) => checkpoints.push((id, span)),
                    _ => {}
                },
                _ => {}
            }
        }
        let Some((index, def)) = level.and_then(|index| Some((index, model.levels.get(index)?))) else {
            continue;
        };
        for (id, span) in
            checkpoints.into_iter().filter(|(id, _)| model.checkpoint_named(index, id).is_none())
        {
            let message = format!("`{}` does not have a checkpoint `{id}`", def.name);
            let finding = Finding::error(Code::UnknownName, place(&span, condition), message);
            let known: Vec<&str> = def.checkpoints.iter().map(AsRef::as_ref).collect();
            found.push(match known.is_empty() {
                true => finding,
                false => finding.instead(format!("it has: {}", known.join(", "))),
            });
        }
    }
}

/// Matches `level == 'x'`, either way round: returns the name, the text, and the place of the text.
fn asked_word<'e>(left: &'e Expr, right: &'e Expr) -> Option<(&'e str, &'e str, std::ops::Range<usize>)> {
    let word = |expr: &'e Expr| match &expr.node {
        Node::Path(parts) => match parts.as_slice() {
            [one] => Some(one.word.as_str()),
            _ => None,
        },
        _ => None,
    };
    let text = |expr: &'e Expr| match &expr.node {
        Node::Literal(Value::Text(text)) => Some((text.as_ref(), expr.span.clone())),
        _ => None,
    };
    let (name, (id, span)) = word(left).zip(text(right)).or_else(|| word(right).zip(text(left)))?;
    Some((name, id, span))
}
