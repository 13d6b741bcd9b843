//! The text of a step: what it says about each name of the new version, with its place. Its meaning is checked
//! against the two versions.

use std::ops::Range;

use toml::de::{DeTable, DeValue};

use crate::declare::parse::level::{ConditionDecl, condition};
use crate::declare::parse::table::{Item, Reader, type_text};
use crate::text::finding::{Code, Finding};
use crate::time::Time;
use crate::versions::normal::quoted;

use super::Misfit;

/// A value of a step, and its place.
#[derive(Clone, Debug)]
pub(super) struct Said<T> {
    pub(super) value: T,
    pub(super) span: Range<usize>,
}

/// A whole step.
#[derive(Debug, Default)]
pub(super) struct Decl {
    /// What is removed on purpose, as paths of the old version.
    pub(super) drop: Vec<Said<String>>,
    pub(super) fields: Vec<FieldDecl>,
    /// Everything else that has a name, by path of the new version without the last id: `levels`,
    /// `levels.reedgate.checkpoints`.
    pub(super) named: Vec<NamedDecl>,
    pub(super) facts: FactsDecl,
}

/// What a step says about one name of the new version.
#[derive(Debug)]
pub(super) struct NamedDecl {
    pub(super) path: String,
    pub(super) name: Said<String>,
    pub(super) from: Option<Said<String>>,
    /// For unlocks, and fields of kinds.
    pub(super) fill: Option<ConditionDecl>,
    /// For fields of kinds.
    pub(super) scale: Option<Said<ScaleDecl>>,
    /// For kinds: the old kind that they are a part of, and which of its objects.
    pub(super) out_of: Option<Said<String>>,
    pub(super) when: Option<ConditionDecl>,
    /// For members and moments: keys of the declaration with their new values.
    pub(super) says: Vec<(&'static str, Said<String>)>,
    /// For members.
    pub(super) misfit: Option<Misfit>,
}

/// What a step says about the facts of levels.
#[derive(Debug, Default)]
pub(super) struct FactsDecl {
    pub(super) at: Option<Said<String>>,
    pub(super) take: Option<Said<String>>,
    pub(super) fills: Vec<(&'static str, ConditionDecl)>,
}

/// What a step says about a field.
#[derive(Debug)]
pub(super) struct FieldDecl {
    pub(super) name: Said<String>,
    pub(super) from: Option<Said<String>>,
    /// Keys of the declaration with their new values, as a declaration writes them.
    pub(super) says: Vec<(&'static str, Said<String>)>,
    pub(super) scale: Option<Said<ScaleDecl>>,
    /// Old values, as texts, and their new values, as a declaration writes them.
    pub(super) values: Vec<(Said<String>, Said<String>)>,
    pub(super) at: Vec<(Said<String>, Said<String>)>,
    pub(super) take: Vec<(Said<String>, Said<String>)>,
    pub(super) fill: Option<ConditionDecl>,
    pub(super) misfit: Option<Said<Misfit>>,
    /// The game sets it in code.
    pub(super) by_code: Option<Range<usize>>,
}

/// What one old unit is now.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) enum ScaleDecl {
    By(f64),
    Time(Time),
}

const KEYS: &[&str] = &[
    "drop",
    "fields",
    "levels",
    "difficulties",
    "unlocks",
    "moments",
    "lists",
    "shapes",
    "kinds",
    "areas",
    "facts",
];

/// The keys of a declaration that a step repeats if they changed.
pub(super) const SHAPE_KEYS: [&str; 14] = [
    "type",
    "of",
    "key",
    "scope",
    "keep",
    "per",
    "durable",
    "min",
    "max",
    "max_len",
    "max_items",
    "places",
    "with",
    "group",
];

const FIELD_KEYS: &[&str] = &[
    "from",
    "type",
    "of",
    "key",
    "scope",
    "keep",
    "per",
    "durable",
    "min",
    "max",
    "max_len",
    "max_items",
    "places",
    "with",
    "group",
    "scale",
    "values",
    "at",
    "take",
    "fill",
    "misfit",
    "by",
];

/// The keys of a member other than its name.
const MEMBER_KEYS: [&str; 8] = ["type", "of", "key", "min", "max", "max_len", "max_items", "misfit"];

/// The facts that a step can fill.
const FACTS: [&str; 4] = ["finished", "stars", "attempts", "deaths"];

/// Other named things, and what they contain.
const NAMED: [(&str, &[&str]); 8] = [
    ("levels", &["checkpoints", "stars"]),
    ("difficulties", &[]),
    ("unlocks", &[]),
    ("moments", &[]),
    ("lists", &["items"]),
    ("shapes", &["members"]),
    ("kinds", &["fields"]),
    ("areas", &[]),
];

pub(super) fn step(text: &str, found: &mut Vec<Finding>) -> Decl {
    let (document, faults) = DeTable::parse_recoverable(text);
    for fault in &faults {
        let span = fault.span().unwrap_or(0..0);
        found.push(Finding::error(Code::Syntax, span, format!("this is not TOML: {}", fault.message())));
    }
    let top = Reader::new("a step", document.get_ref(), 0..0, KEYS, text, found);
    let mut decl = Decl { facts: facts(&top, text, found), ..Decl::default() };
    for item in top.list("drop", found).unwrap_or_default() {
        decl.drop.extend(said(&top, item, found));
    }
    for (name, item) in entries(&top, "fields", text, found) {
        let DeValue::Table(table) = item.get_ref() else { continue };
        decl.fields.push(field(name, table, text, found));
    }
    for (key, inside) in NAMED {
        named(&top, (key, key), inside, text, &mut decl.named, found);
    }
    decl
}

/// Reads everything under one key, with what it contains.
fn named(
    top: &Reader<'_, '_>,
    (key, path): (&str, &str),
    inside: &[&'static str],
    text: &str,
    into: &mut Vec<NamedDecl>,
    found: &mut Vec<Finding>,
) {
    for (name, item) in entries(top, key, text, found) {
        let DeValue::Table(table) = item.get_ref() else { continue };
        let is_of_kind = path.starts_with("kinds.");
        let fill = (path == "unlocks" || is_of_kind).then_some("fill");
        let of_kind = if path == "kinds" { &["out_of", "when"][..] } else { &[] };
        let of_member =
            if path.ends_with(".members") || path.ends_with(".fields") { &MEMBER_KEYS[..] } else { &[] };
        let of_moment = (path == "moments").then_some("again");
        let known: Vec<&str> = ["from"]
            .into_iter()
            .chain(inside.iter().copied())
            .chain(fill)
            .chain(of_member.iter().copied())
            .chain(of_moment)
            .chain(of_kind.iter().copied())
            .chain(is_of_kind.then_some("scale"))
            .collect();
        let reader = Reader::new("this part of a step", table, name.span.clone(), &known, text, found);
        for inside in inside {
            let path = format!("{path}.{}.{inside}", name.value);
            named(&reader, (inside, &path), &[], text, into, found);
        }
        let fill = fill.and_then(|fill| condition(&reader, reader.get(fill)?, found));
        let from = text_of(&reader, "from", found);
        let again = if path == "moments" { reader.get("again") } else { None };
        let again =
            again.map(|item| Said { value: as_declared(item.get_ref()), span: reader.key_span("again") });
        let (says, misfit) = if of_member.is_empty() {
            (again.into_iter().map(|again| ("again", again)).collect(), None)
        } else {
            (says(&reader), reader.one_of("misfit", Misfit::ALL, Misfit::as_str, found))
        };
        let scale = if is_of_kind { scale(&reader, found) } else { None };
        let out_of = if of_kind.is_empty() { None } else { text_of(&reader, "out_of", found) };
        let when = if of_kind.is_empty() { None } else { reader.get("when") };
        let when = when.and_then(|item| condition(&reader, item, found));
        let path = path.to_string();
        into.push(NamedDecl { path, name, from, fill, scale, out_of, when, says, misfit });
    }
}

/// Reads the tables under a key, with their names.
fn entries<'a, 'i>(
    top: &Reader<'a, 'i>,
    key: &str,
    text: &'a str,
    found: &mut Vec<Finding>,
) -> Vec<(Said<String>, &'a Item<'i>)> {
    let Some((table, span)) = top.table(key, found) else { return Vec::new() };
    let reader = Reader::of_any_keys("a step", table, span, text);
    let mut entries = Vec::new();
    for (name, item) in reader.entries() {
        if !matches!(item.get_ref(), DeValue::Table(_)) {
            reader.wrong_type(item, "a table such as `{ from = \"old_name\" }`", found);
        }
        entries.push((Said { value: name.get_ref().to_string(), span: name.span() }, item));
    }
    entries
}

fn said(reader: &Reader<'_, '_>, item: &Item<'_>, found: &mut Vec<Finding>) -> Option<Said<String>> {
    let text = item.get_ref().as_str().map(ToString::to_string);
    if text.is_none() {
        reader.wrong_type(item, "a text", found);
    }
    text.map(|value| Said { value, span: item.span() })
}

fn text_of(reader: &Reader<'_, '_>, key: &str, found: &mut Vec<Finding>) -> Option<Said<String>> {
    reader.get(key).and_then(|item| said(reader, item, found))
}

fn facts(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> FactsDecl {
    let Some((table, span)) = top.table("facts", found) else { return FactsDecl::default() };
    let known: Vec<&str> = ["at", "take"].into_iter().chain(FACTS).collect();
    let reader = Reader::new("the facts of levels", table, span, &known, text, found);
    let fills = FACTS.into_iter().filter_map(|fact| Some((fact, reader.get(fact)?)));
    let fills: Vec<_> = fills.collect();
    FactsDecl {
        at: text_of(&reader, "at", found),
        take: text_of(&reader, "take", found),
        fills: fills
            .into_iter()
            .filter_map(|(fact, item)| Some((fact, condition(&reader, item, found)?)))
            .collect(),
    }
}

fn field(name: Said<String>, table: &DeTable<'_>, text: &str, found: &mut Vec<Finding>) -> FieldDecl {
    let reader = Reader::new("a field's step", table, name.span.clone(), FIELD_KEYS, text, found);
    let by = reader.word("by", &[("code", ())], found);
    FieldDecl {
        from: text_of(&reader, "from", found),
        says: says(&reader),
        scale: scale(&reader, found),
        values: pairs(&reader, "values", text, found),
        at: pairs_of_texts(&reader, "at", text, found),
        take: pairs_of_texts(&reader, "take", text, found),
        fill: reader.get("fill").and_then(|item| condition(&reader, item, found)),
        misfit: reader
            .one_of("misfit", Misfit::ALL, Misfit::as_str, found)
            .map(|value| Said { value, span: reader.key_span("misfit") }),
        by_code: by.map(|()| reader.key_span("by")),
        name,
    }
}

/// Reads the repeated keys of the declaration.
fn says(reader: &Reader<'_, '_>) -> Vec<(&'static str, Said<String>)> {
    let says = SHAPE_KEYS.into_iter().filter_map(|key| {
        let item = reader.get(key)?;
        Some((key, Said { value: as_declared(item.get_ref()), span: reader.key_span(key) }))
    });
    says.collect()
}

fn scale(reader: &Reader<'_, '_>, found: &mut Vec<Finding>) -> Option<Said<ScaleDecl>> {
    let item = reader.get("scale")?;
    let number = |text: &str| text.replace('_', "").parse::<f64>().ok().filter(|number| number.is_finite());
    let value = match item.get_ref() {
        DeValue::String(text) => text.parse().ok().filter(|time| *time > Time::ZERO).map(ScaleDecl::Time),
        DeValue::Integer(digits) => number(digits.as_str()).filter(|by| *by != 0.0).map(ScaleDecl::By),
        DeValue::Float(digits) => number(digits.as_str()).filter(|by| *by != 0.0).map(ScaleDecl::By),
        _ => None,
    };
    if value.is_none() {
        let message = format!(
            "expected a number other than 0, or a time such as \"1s\", but found {}",
            type_text(item.get_ref())
        );
        found.push(Finding::error(Code::WrongType, item.span(), message));
    }
    value.map(|value| Said { value, span: item.span() })
}

/// Reads a table of old and new values.
fn pairs(
    reader: &Reader<'_, '_>,
    key: &str,
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<(Said<String>, Said<String>)> {
    pairs_by(reader, key, text, found, |_, item, _| {
        Some(Said { value: as_declared(item.get_ref()), span: item.span() })
    })
}

/// Reads a table of old and new texts.
fn pairs_of_texts(
    reader: &Reader<'_, '_>,
    key: &str,
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<(Said<String>, Said<String>)> {
    pairs_by(reader, key, text, found, said)
}

fn pairs_by(
    reader: &Reader<'_, '_>,
    key: &str,
    text: &str,
    found: &mut Vec<Finding>,
    now: impl Fn(&Reader<'_, '_>, &Item<'_>, &mut Vec<Finding>) -> Option<Said<String>>,
) -> Vec<(Said<String>, Said<String>)> {
    let Some((table, span)) = reader.table(key, found) else { return Vec::new() };
    let reader = Reader::of_any_keys("a table", table, span, text);
    let mut pairs = Vec::new();
    for (name, item) in reader.entries() {
        let before = Said { value: name.get_ref().to_string(), span: name.span() };
        pairs.extend(now(&reader, item, found).map(|now| (before, now)));
    }
    pairs
}

/// Returns a value as a declaration in its normal form writes it.
fn as_declared(value: &DeValue<'_>) -> String {
    match value {
        DeValue::String(text) => quoted(text),
        DeValue::Integer(digits) => digits.as_str().replace('_', ""),
        DeValue::Float(digits) => digits.as_str().replace('_', ""),
        DeValue::Boolean(yes) => yes.to_string(),
        DeValue::Array(items) => {
            let items: Vec<String> = items.iter().map(|item| as_declared(item.get_ref())).collect();
            format!("[{}]", items.join(", "))
        }
        DeValue::Table(table) => {
            let entries = table
                .iter()
                .map(|(key, item)| format!("{} = {}", quoted(key.get_ref()), as_declared(item.get_ref())));
            format!("{{ {} }}", entries.collect::<Vec<_>>().join(", "))
        }
        DeValue::Datetime(_) => String::new(),
    }
}
