//! Locks: compiled against the schema, and whether a player can ever open them.

use crate::condition::names::Fact;
use crate::condition::{ConditionError, Failing, Possible, Program, Ranges, Read};
use crate::finding::{Code, Finding, Severity};
use crate::model::Schema;
use crate::parse::{ConditionDecl, Declarations};
use crate::rule::Rule;
use crate::value::{Kind, Value};
use crate::watch::{RuleId, Watch};

/// A fault in a condition, at its place in the declaration.
pub(super) fn misplaced(error: ConditionError, condition: &ConditionDecl) -> Finding {
    let finding = Finding::error(Code::Condition, place(&error.span, condition), error.message);
    match error.instead {
        Some(instead) => finding.instead(instead),
        None => finding,
    }
}

/// A range of bytes in a condition as one in the declaration. At the end of the condition the caret stands under what
/// follows: the quote, if there is one.
fn place(span: &std::ops::Range<usize>, condition: &ConditionDecl) -> std::ops::Range<usize> {
    let Some(start) = condition.text_start else { return condition.span.clone() };
    let end = (start + span.end.max(span.start + 1)).min(condition.span.end);
    (start + span.start).min(end)..end
}

/// What is worth a look in a rule that compiles: it can fail, or is decided whatever is played.
pub(super) fn doubts(
    program: &Program,
    possible: Possible,
    condition: &ConditionDecl,
    found: &mut Vec<Finding>,
) {
    if let Some((span, why)) = program.can_fail() {
        let (why, instead) = match why {
            Failing::Unset => ("unset", "ask first, as in `best != null && best > 3`"),
            Failing::Zero => ("zero", "divide by a number that is written out"),
        };
        let message = format!("this can be {why}, and the rule is false where it is");
        let finding = Finding::error(Code::FailingRule, place(&span, condition), message);
        found.push(finding.as_severity(Severity::Warning).instead(instead));
    }
    let decided = match possible {
        Possible { yes: true, no: false } => "always holds",
        Possible { yes: false, .. } => "never holds",
        _ => return,
    };
    let finding = Finding::error(Code::DecidedRule, condition.span.clone(), format!("this rule {decided}"));
    found
        .push(finding.as_severity(Severity::Warning).instead("whatever is played; leave it out, or mend it"));
}

pub(super) fn compile(declared: &Declarations, schema: &mut Schema, found: &mut Vec<Finding>) {
    let mut compiled = Vec::new();
    for level in &declared.levels {
        let rule = level.unlock.as_ref().and_then(|unlock| match Rule::compile(schema, &unlock.text) {
            Ok(rule) => Some(rule),
            Err(error) => {
                found.push(misplaced(error, unlock));
                None
            }
        });
        compiled.push(rule);
    }
    for (level, rule) in schema.levels.iter_mut().zip(compiled) {
        level.unlock = rule;
    }
    let rules = schema.levels.iter().enumerate().filter_map(|(index, level)| {
        Some((RuleId(u32::try_from(index).ok()?), &level.unlock.as_ref()?.program))
    });
    schema.watch = Watch::new(schema.cell_count, schema.levels.len(), rules);
    let openable = openable(schema);
    let ranges = Reachable { schema, openable: &openable };
    for ((index, level), decl) in schema.levels.iter().enumerate().zip(&declared.levels) {
        let (Some(rule), Some(unlock)) = (&level.unlock, &decl.unlock) else { continue };
        if openable.get(index) == Some(&true) {
            doubts(&rule.program, rule.program.possible(&ranges), unlock, found);
            continue;
        }
        let waits_for = waits_for(schema, &openable, index, &rule.program);
        let message = format!("`{}` can never open: {waits_for}", level.name);
        found.push(
            Finding::error(Code::NeverOpens, unlock.span.clone(), message)
                .instead("mend the rule, or leave it out"),
        );
    }
}

/// What keeps a level shut, as far as it can be said in a few words.
fn waits_for(schema: &Schema, openable: &[bool], index: usize, program: &Program) -> String {
    let read = program.reads().iter().filter_map(|read| match read {
        Read::Fact { level: Some(level), .. } => Some(*level),
        _ => None,
    });
    let shut: Vec<usize> = read.filter(|level| openable.get(*level) == Some(&false)).collect();
    if shut.contains(&index) {
        return "it waits for itself".to_string();
    }
    let names: Vec<String> =
        shut.iter().filter_map(|level| Some(format!("`{}`", schema.levels.get(*level)?.name))).collect();
    if names.is_empty() {
        return "whatever is played, its rule does not hold".to_string();
    }
    format!("it waits for {}, which can never open either", names.join(" and "))
}

/// Which levels a player can open: those without a lock, then those whose lock can hold with what the open ones give, until
/// nothing more opens. So circles are found, also those through stars and totals.
fn openable(schema: &Schema) -> Vec<bool> {
    let mut openable: Vec<bool> = schema.levels.iter().map(|level| level.unlock.is_none()).collect();
    loop {
        let ranges = Reachable { schema, openable: &openable };
        let opens = |rule: &Option<Rule>| rule.as_ref().is_none_or(|rule| rule.program.possible(&ranges).yes);
        let next: Vec<bool> = schema.levels.iter().map(|level| opens(&level.unlock)).collect();
        if next == openable {
            return openable;
        }
        openable = next;
    }
}

/// What can be read when only some levels can be entered.
pub(super) struct Reachable<'s> {
    pub(super) schema: &'s Schema,
    pub(super) openable: &'s [bool],
}

impl Ranges for Reachable<'_> {
    fn cell(&self, cell: usize) -> Option<(i64, i64)> {
        let (field, _) = self.schema.cell_owner(cell)?;
        let number =
            |bound: &Option<Value>, otherwise| bound.as_ref().and_then(Value::number).unwrap_or(otherwise);
        match field.kind {
            Kind::Bool => Some((0, 1)),
            Kind::Int | Kind::Time => Some((number(&field.min, i64::MIN), number(&field.max, i64::MAX))),
            Kind::Text => None,
        }
    }

    fn fact(&self, level: usize, fact: Fact) -> (i64, i64) {
        if self.openable.get(level) != Some(&true) {
            return (0, 0);
        }
        match fact {
            Fact::Finished => (0, 1),
            Fact::Stars => (0, self.schema.levels.get(level).map_or(0, |level| level.stars.into())),
            Fact::Attempts | Fact::Deaths => (0, i64::MAX),
        }
    }

    fn difficulties(&self) -> usize {
        if self.schema.level_facts_per_difficulty { self.schema.difficulties.len() } else { 1 }
    }

    fn levels(&self) -> usize {
        self.schema.levels.len()
    }
}
