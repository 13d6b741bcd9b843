//! How the keys of one field work together: which have an effect, and which bounds apply to the default.

use std::cmp::Ordering;
use std::ops::Range;

use crate::declare::parse::{BoundDecl, Declarations, FieldDecl, Placed};
use crate::limits::{Unfit, fit_length};
use crate::model::{
    Axis, Bound, FieldDef, Items, MAX_AXES, Model, OnDeath, OnReset, OnRetry, Scope, Survival,
};
use crate::text::finding::{Code, Finding};
use crate::value::Value;
use crate::value::keep::Keep;
use crate::value::kind::{Holds, Kind};
use keblin_model::Severity;

pub(super) fn resolve(field: &FieldDecl, declared: &Declarations, found: &mut Vec<Finding>) -> FieldDef {
    let keep = field.keep.as_ref().map_or(Keep::Latest, |keep| keep.value);
    // A lives field of another scope is reported as that.
    let is_lives = declared.lives.as_ref().and_then(|lives| lives.field.as_ref());
    let is_lives = is_lives.is_some_and(|lives| lives.value == field.name.value.as_str());
    meaningless(field, keep, is_lives, found);
    needed(field, found);
    per(field, declared, found);
    if field.scope.is_of_run() && field.on_death.is_none() && !field.faulty.contains(&"on_death") {
        let message =
            format!("`{}` does not set `on_death`; it will keep its value on death", field.name.value);
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
    unsaved(field, keep, found);
    let Holds { kind, of, key } = field.holds;
    let fixed = |bound: &Option<Placed<BoundDecl>>| match bound.as_ref().map(|bound| &bound.value) {
        Some(BoundDecl::Fixed(value)) => Some(Bound::Fixed(value.clone())),
        // Expressions are compiled after the layout is made.
        Some(BoundDecl::Follows(_)) | None => None,
    };
    FieldDef {
        name: field.name.value.clone(),
        about: field.about.clone(),
        kind,
        scope: field.scope,
        default: default(field, &declared.names, keep, found),
        min: fixed(&field.min),
        max: fixed(&field.max),
        max_len: field.max_len.as_ref().map(|len| len.value),
        items: of.map(|of| Items {
            of,
            key,
            limits: field.items.clone(),
            max_items: field.max_items.as_ref().map_or(usize::MAX, |max| max.value),
        }),
        places: field.places.as_ref().map_or(1, |places| places.value),
        keep,
        feed: None,
        with: None,
        group: None,
        per: field.per.as_ref().map_or_else(Vec::new, |per| per.value.clone()),
        durable: field.durable.as_ref().is_none_or(|durable| durable.value),
        counts_playing: field.counts.is_some(),
        survival,
        says_on_death: field.on_death.is_some(),
        cells: 0..0,
    }
}

/// Warns about a profile value that is never saved, which is lost when the program ends.
fn unsaved(field: &FieldDecl, keep: Keep, found: &mut Vec<Finding>) {
    let Some(durable) = field.durable.as_ref().filter(|durable| !durable.value) else { return };
    if field.scope == Scope::Profile || keep != Keep::Latest {
        let message = format!("`{}` is progress, but it is never saved", field.name.value);
        let finding = Finding::error(Code::UnsavedProgress, durable.span.clone(), message);
        let instead =
            "leave `durable` out; for a value that lives as long as the program use `scope = \"device\"`";
        found.push(finding.as_severity(Severity::Warning).instead(instead));
    }
}

/// Reports a missing limit that the field's type needs.
fn needed(field: &FieldDecl, found: &mut Vec<Finding>) {
    let name = &field.name;
    let mut need = |message: String, instead: &str| {
        found.push(Finding::error(Code::MissingKey, name.span.clone(), message).instead(instead));
    };
    let faulty = |key| field.faulty.contains(&key);
    if field.holds.kind.has_length() && field.max_len.is_none() && !faulty("max_len") {
        let what = if field.holds.kind == Kind::Text { "characters" } else { "bytes" };
        need(format!("`{}` needs `max_len`: its largest number of {what}", name.value), "add `max_len = 40`");
    }
    if field.holds.kind.has_items() && field.max_items.is_none() && !faulty("max_items") {
        need(
            format!("`{}` needs `max_items`: its largest number of items", name.value),
            "add `max_items = 100`",
        );
    }
}

/// Warns about a run or level value that no event resets: it lives as long as the profile, whatever its scope.
fn never_reset(field: &FieldDecl, words: Survival, found: &mut Vec<Finding>) {
    let resets = [words.on_level, words.on_new_run].contains(&OnReset::Default)
        || words.on_death == OnDeath::Default
        || words.on_retry == OnRetry::Default;
    if !field.scope.is_of_run() || resets {
        return;
    }
    let scope = field.scope.as_str();
    let message = format!("no event resets `{}`, although its scope is {scope}", field.name.value);
    let finding = Finding::error(Code::NeverReset, field.name.span.clone(), message);
    found.push(
        finding
            .as_severity(Severity::Warning)
            .instead("leave `on_new_run` out, or write `scope = \"profile\"`"),
    );
}

/// Reports keys that have no effect on a field of this type, scope or keep rule.
fn meaningless(field: &FieldDecl, keep: Keep, is_lives: bool, found: &mut Vec<Finding>) {
    let mut refuse = |span: Option<Range<usize>>, message: String, instead: &str| {
        if let Some(span) = span {
            found.push(Finding::error(Code::MeaninglessKey, span, message).instead(instead));
        }
    };
    of_kind(field, keep, &mut refuse);
    if !is_lives {
        of_scope(field, &mut refuse);
    }
    of_keep(field, keep, &mut refuse);
}

type Refuse<'f> = dyn FnMut(Option<Range<usize>>, String, &str) + 'f;

fn of_kind(field: &FieldDecl, keep: Keep, refuse: &mut Refuse<'_>) {
    let kind_of = field.holds.kind;
    let kind = kind_of.with_article();
    let keep_span = span(&field.keep);
    match keep {
        Keep::Highest | Keep::Lowest if !kind_of.is_ordered() => {
            refuse(
                keep_span,
                format!("{kind} does not have a highest or lowest value"),
                "only int, float, time, date and instant have",
            );
        }
        Keep::Once if kind_of != Kind::Bool => {
            refuse(keep_span, format!("{kind} cannot be kept once"), "only bool can");
        }
        Keep::Sum if !kind_of.is_number() => {
            refuse(keep_span, format!("{kind} cannot be summed up"), "only int, float and time can");
        }
        Keep::Balance if !kind_of.is_number() => {
            refuse(keep_span, format!("{kind} cannot be added to and spent"), "only int, float and time can");
        }
        Keep::Union if kind_of != Kind::Set => {
            refuse(keep_span, format!("{kind} cannot be combined by `union`"), "only set can");
        }
        _ => {}
    }
    if !kind_of.has_length() && !kind_of.has_items() {
        refuse(span(&field.max_len), format!("{kind} does not have a length"), "leave `max_len` out");
    }
    if !kind_of.has_items() {
        refuse(span(&field.max_items), format!("{kind} does not have items"), "leave `max_items` out");
    }
    if !kind_of.has_items() && !matches!(kind_of, Kind::Id(_) | Kind::Shape(_)) {
        refuse(
            field.of_span.clone(),
            format!("`of` only applies to ids, shapes and collections, not to {kind}"),
            "leave `of` out",
        );
    }
    if kind_of != Kind::Map {
        refuse(field.key_span.clone(), format!("{kind} does not have keys"), "leave `key` out");
    }
    if kind_of != Kind::Time {
        refuse(span(&field.counts), format!("{kind} cannot count time"), "only time can");
    }
}

fn of_scope(field: &FieldDecl, refuse: &mut Refuse<'_>) {
    if field.scope.is_of_run() {
        return;
    }
    let (scope, outlives) = match field.scope {
        Scope::Device => ("device", "profiles"),
        _ => ("profile", "runs"),
    };
    let words = [
        ("on_death", span(&field.on_death)),
        ("on_retry", span(&field.on_retry)),
        ("on_level", span(&field.on_level)),
        ("on_new_run", span(&field.on_new_run)),
    ];
    for (word, span) in words {
        refuse(span, format!("`{word}` has no effect: a {scope} value outlives {outlives}"), "leave it out");
    }
}

fn of_keep(field: &FieldDecl, keep: Keep, refuse: &mut Refuse<'_>) {
    if keep != Keep::Latest {
        refuse(
            span(&field.counts),
            "`keep` has no effect on a clock, which only grows".to_string(),
            "leave `counts` or `keep` out",
        );
    }
    if keep == Keep::Balance && field.scope != Scope::Profile {
        let message = format!(
            "`keep = \"balance\"` has no effect on a {} value: only profile values are merged machine by machine",
            field.scope.as_str()
        );
        refuse(span(&field.keep), message, "write `scope = \"profile\"`, or leave `keep` out");
    }
    if field.per.is_some() {
        refuse(
            span(&field.counts),
            "`per` has no effect on a clock, which is one value".to_string(),
            "leave `counts` or `per` out",
        );
    }
    if keep.is_record() {
        if let (None, Some((member, _))) = (&field.with, field.with_from.first()) {
            let message = "`with_from` fills a shape, but the record has none";
            refuse(Some(member.span.clone()), message.to_string(), "add `with = \"SHAPE\"`");
        }
        let message =
            format!("a field that keeps the {} value starts unset, without a default", keep.as_str());
        refuse(span(&field.default), message, "leave `default` out");
        return;
    }
    if !field.faulty.contains(&"keep") {
        if !keep.takes_feed() {
            let message = "only a record, a sum, a balance or a union can be fed from another field";
            let instead = "add `keep = \"highest\"`, or leave `from` and `at` out";
            refuse(span(&field.from).or(span(&field.at)), message.to_string(), instead);
        }
        let message =
            "only a field that keeps the highest or lowest value can have something with its values";
        let with = span(&field.with).or(field.with_from.first().map(|(member, _)| member.span.clone()));
        refuse(with, message.to_string(), "add `keep = \"highest\"`, or leave `with` and `with_from` out");
        let message = "only a field that keeps the highest or lowest value can have places";
        refuse(span(&field.places), message.to_string(), "add `keep = \"highest\"`, or leave `places` out");
    }
}

fn span<T>(placed: &Option<Placed<T>>) -> Option<Range<usize>> {
    placed.as_ref().map(|placed| placed.span.clone())
}

fn per(field: &FieldDecl, declared: &Declarations, found: &mut Vec<Finding>) {
    let Some(per) = &field.per else { return };
    if field.scope == Scope::Level {
        let message = "a value of level scope belongs to one visit, so it cannot have an axis";
        let finding = Finding::error(Code::MeaninglessKey, per.span.clone(), message);
        found.push(finding.instead("leave `per` out, or write `scope = \"profile\"`"));
    }
    if per.value.len() > MAX_AXES {
        let message = format!("a field has at most {MAX_AXES} axes");
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
            let message = format!("`per = \"{word}\"` needs at least one {word}");
            found.push(Finding::error(Code::UnknownName, per.span.clone(), message).instead(instead));
        }
    }
}

fn default(field: &FieldDecl, names: &Model, keep: Keep, found: &mut Vec<Finding>) -> Value {
    let fixed = |bound: &Option<Placed<BoundDecl>>| match bound.as_ref().map(|bound| &bound.value) {
        Some(BoundDecl::Fixed(value)) => Some(value.clone()),
        _ => None,
    };
    let (min, max) = (fixed(&field.min), fixed(&field.max));
    if let (Some(low), Some(high), Some(bound)) = (&min, &max, &field.max)
        && low.order(high) == Some(Ordering::Greater)
    {
        let message = format!("max {high} is below min {low}");
        found.push(
            Finding::error(Code::CrossedBounds, bound.span.clone(), message)
                .instead("swap them, or correct one"),
        );
        return Value::Unset;
    }
    if keep.is_record() {
        return Value::Unset;
    }
    let (default, span) = match &field.default {
        Some(default) => (default.value.clone(), default.span.clone()),
        None => (names.own_default(field.holds.kind), field.name.span.clone()),
    };
    let said = if field.default.is_some() { "the default" } else { "the implied default" };
    let outside = |bound: &Option<Value>, outside: Ordering, side: &str| {
        let bound = bound.as_ref().filter(|bound| default.order(bound) == Some(outside))?;
        let message = format!("{said} {default} is {side} {bound}");
        let finding = Finding::error(Code::DefaultOutsideBounds, span.clone(), message);
        Some(finding.instead(format!("write `default = {}`", as_declared(bound))))
    };
    found.extend(outside(&min, Ordering::Less, "below min").or(outside(
        &max,
        Ordering::Greater,
        "above max",
    )));
    if let Err(unfit) = fits(field, &default) {
        let message = format!("the default does not fit: {unfit}");
        found.push(Finding::error(Code::DefaultOutsideBounds, span, message));
    }
    default
}

/// Checks whether a default has an allowed length and number of items.
fn fits(field: &FieldDecl, default: &Value) -> Result<(), Unfit> {
    let most = |most: &Option<Placed<usize>>| most.as_ref().map_or(usize::MAX, |most| most.value);
    if !field.holds.kind.has_items() {
        return fit_length(default, most(&field.max_len));
    }
    let (count, max_items) = (default.len(), most(&field.max_items));
    if count > max_items {
        return Err(Unfit::Items { count, max_items });
    }
    match default {
        Value::List(items) => items.iter().try_for_each(|item| field.items.fit(item)),
        Value::Set(items) => items.iter().try_for_each(|item| field.items.fit(item)),
        Value::Map(entries) => entries.values().try_for_each(|item| field.items.fit(item)),
        _ => Ok(()),
    }
}

/// Returns a value as the declaration writes it.
fn as_declared(value: &Value) -> String {
    match value {
        Value::Time(_) | Value::Date(_) | Value::Instant(_) => format!("\"{value}\""),
        other => other.to_string(),
    }
}
