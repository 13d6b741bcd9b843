//! What the keys of one field mean together: which have an effect, which bounds hold for the default.

use crate::finding::{Code, Finding, Severity};
use crate::keep::Keep;
use crate::model::{Axis, FieldDef, MAX_AXES, Scope};
use crate::parse::{Declarations, FieldDecl, Placed};
use crate::survival::{OnDeath, OnReset, OnRetry, Survival};
use crate::value::{Kind, Value};

pub(super) fn resolve(field: &FieldDecl, declared: &Declarations, found: &mut Vec<Finding>) -> FieldDef {
    let keep = field.keep.as_ref().map_or(Keep::Latest, |keep| keep.value);
    meaningless(field, keep, found);
    per(field, declared, found);
    if field.scope != Scope::Profile && field.on_death.is_none() {
        let message = format!("`{}` does not say what a death does to it, so it stays", field.name.value);
        let finding = Finding::error(Code::UnansweredDeath, field.name.span.clone(), message);
        let instead = "add `on_death = \"stays\"`, or \"checkpoint\", \"entry\" or \"default\"";
        found.push(finding.as_severity(Severity::Warning).instead(instead));
    }
    let of_scope = Survival::of_scope(field.scope);
    let survival = Survival {
        on_death: field.on_death.as_ref().map_or(of_scope.on_death, |word| word.value),
        on_retry: field.on_retry.as_ref().map_or(of_scope.on_retry, |word| word.value),
        on_level: field.on_level.as_ref().map_or(of_scope.on_level, |word| word.value),
        on_new_run: field.on_new_run.as_ref().map_or(of_scope.on_new_run, |word| word.value),
    };
    never_reset(field, survival, found);
    FieldDef {
        name: field.name.value.clone(),
        about: field.about.clone(),
        kind: field.kind,
        scope: field.scope,
        default: default(field, keep, found),
        min: field.min.as_ref().map(|min| min.value.clone()),
        max: field.max.as_ref().map(|max| max.value.clone()),
        max_len_chars: field.max_len.as_ref().map(|len| len.value),
        keep,
        feed: None,
        per: field.per.as_ref().map_or_else(Vec::new, |per| per.value.clone()),
        counts_playing: field.counts.is_some(),
        survival,
        says_on_death: field.on_death.is_some(),
        cells: 0..0,
    }
}

/// A value of a run or a visit that every event leaves as it is lives as long as the profile, whatever its scope says.
fn never_reset(field: &FieldDecl, words: Survival, found: &mut Vec<Finding>) {
    let resets = [words.on_level, words.on_new_run].contains(&OnReset::Default)
        || words.on_death == OnDeath::Default
        || words.on_retry == OnRetry::Default;
    if field.scope == Scope::Profile || resets {
        return;
    }
    let scope = field.scope.as_str();
    let message = format!("no event resets `{}`, though its scope is {scope}", field.name.value);
    let finding = Finding::error(Code::NeverReset, field.name.span.clone(), message);
    found.push(
        finding
            .as_severity(Severity::Warning)
            .instead("leave `on_new_run` out, or write `scope = \"profile\"`"),
    );
}

/// Keys that have no effect on a field of this kind, scope or keep rule.
fn meaningless(field: &FieldDecl, keep: Keep, found: &mut Vec<Finding>) {
    let mut refuse = |span: Option<std::ops::Range<usize>>, message: String, instead: &str| {
        if let Some(span) = span {
            found.push(Finding::error(Code::MeaninglessKey, span, message).instead(instead));
        }
    };
    let at = |placed: &Option<Placed<Keep>>| placed.as_ref().map(|placed| placed.span.clone());
    let (kind_of, kind) = (field.kind, field.kind.with_article());
    match keep {
        Keep::Highest | Keep::Lowest if !matches!(kind_of, Kind::Int | Kind::Time) => {
            refuse(at(&field.keep), format!("{kind} has no highest or lowest"), "only int and time have");
        }
        Keep::Once if kind_of != Kind::Bool => {
            refuse(at(&field.keep), format!("{kind} cannot be kept once"), "only bool can");
        }
        _ => {}
    }
    if kind_of != Kind::Text {
        let span = field.max_len.as_ref().map(|len| len.span.clone());
        refuse(span, format!("{kind} has no length"), "leave `max_len` out");
    }
    if kind_of != Kind::Time {
        let span = field.counts.as_ref().map(|counts| counts.span.clone());
        refuse(span, format!("{kind} cannot count time"), "only time can");
    }
    if keep != Keep::Latest {
        let span = field.counts.as_ref().map(|counts| counts.span.clone());
        refuse(span, "a clock only grows".to_string(), "leave `counts` or `keep` out");
    }
    if field.per.is_some() {
        let span = field.counts.as_ref().map(|counts| counts.span.clone());
        refuse(span, "a clock is one value".to_string(), "leave `counts` or `per` out");
    }
    if field.scope == Scope::Profile {
        let words = [
            ("on_death", field.on_death.as_ref().map(|word| word.span.clone())),
            ("on_retry", field.on_retry.as_ref().map(|word| word.span.clone())),
            ("on_level", field.on_level.as_ref().map(|word| word.span.clone())),
            ("on_new_run", field.on_new_run.as_ref().map(|word| word.span.clone())),
        ];
        for (word, span) in words {
            refuse(span, format!("`{word}` has no meaning: a profile value outlives runs"), "leave it out");
        }
    }
    if keep.is_record() {
        let span = field.default.as_ref().map(|default| default.span.clone());
        let message = format!("a field that keeps the {} starts unset, not with a default", keep.as_str());
        refuse(span, message, "leave `default` out");
    } else if !field.keep_is_faulty {
        let from = field.from.as_ref().map(|from| from.span.clone());
        let at = field.at.as_ref().map(|at| at.span.clone());
        let message = "only a field that keeps the highest or lowest is fed";
        refuse(from.or(at), message.to_string(), "add `keep = \"highest\"`, or leave `from` and `at` out");
    }
    if kind_of == Kind::Text && field.max_len.is_none() {
        let message = format!("`{}` needs `max_len`: the most characters it may hold", field.name.value);
        let finding = Finding::error(Code::MissingKey, field.name.span.clone(), message);
        found.push(finding.instead("add `max_len = 40`"));
    }
}

fn per(field: &FieldDecl, declared: &Declarations, found: &mut Vec<Finding>) {
    let Some(per) = &field.per else { return };
    if field.scope == Scope::Level {
        let message =
            "a value of level scope belongs to one visit, so it cannot have one for each of something";
        let finding = Finding::error(Code::MeaninglessKey, per.span.clone(), message);
        found.push(finding.instead("leave `per` out, or write `scope = \"profile\"`"));
    }
    if per.value.len() > MAX_AXES {
        let message = format!("a field has one value for each of at most {MAX_AXES} things");
        found.push(Finding::error(Code::OutOfRange, per.span.clone(), message));
    }
    let missing = [
        (Axis::Level, "level", declared.levels.is_empty(), "add `[[levels]]`"),
        (
            Axis::Difficulty,
            "difficulty",
            declared.difficulties.is_empty(),
            "add `difficulties = [\"easy\", \"hard\"]`",
        ),
    ];
    for (axis, word, is_missing, instead) in missing {
        if is_missing && per.value.contains(&axis) {
            let message = format!("there is no {word} to have a value for each");
            found.push(Finding::error(Code::UnknownName, per.span.clone(), message).instead(instead));
        }
    }
}

fn default(field: &FieldDecl, keep: Keep, found: &mut Vec<Finding>) -> Value {
    let number = |bound: &Option<Placed<Value>>| bound.as_ref().and_then(|bound| bound.value.number());
    let (min, max) = (number(&field.min), number(&field.max));
    if let (Some(low), Some(high), Some(bound)) = (min, max, &field.max)
        && low > high
    {
        let min = field.min.as_ref().map_or(Value::Unset, |min| min.value.clone());
        let message = format!("max {} lies below min {min}", bound.value);
        found.push(Finding::error(Code::CrossedBounds, bound.span.clone(), message).instead("swap them?"));
        return Value::Unset;
    }
    if keep.is_record() {
        return Value::Unset;
    }
    let (default, span) = match &field.default {
        Some(default) => (default.value.clone(), default.span.clone()),
        None => (field.kind.own_default(), field.name.span.clone()),
    };
    let said = if field.default.is_some() { "the default" } else { "no default is declared, and" };
    let outside = |bound: &Option<Placed<Value>>, side: &str| {
        let bound = bound.as_ref().map_or(Value::Unset, |bound| bound.value.clone());
        let message = format!("{said} {default} lies {side} {bound}");
        let finding = Finding::error(Code::DefaultOutsideBounds, span.clone(), message);
        finding.instead(format!("write `default = {}`", as_declared(&bound)))
    };
    match (&default, default.number()) {
        (_, Some(value)) if min.is_some_and(|min| value < min) => {
            found.push(outside(&field.min, "below min"))
        }
        (_, Some(value)) if max.is_some_and(|max| value > max) => {
            found.push(outside(&field.max, "above max"))
        }
        (Value::Text(text), _) => {
            let (chars, most) =
                (text.chars().count(), field.max_len.as_ref().map_or(usize::MAX, |len| len.value));
            if chars > most {
                let message = format!("the default has {chars} characters, above max_len {most}");
                found.push(Finding::error(Code::DefaultOutsideBounds, span, message));
            }
        }
        _ => {}
    }
    default
}

/// A value as the declaration writes it.
fn as_declared(value: &Value) -> String {
    match value {
        Value::Time(time) => format!("\"{time}\""),
        other => other.to_string(),
    }
}
