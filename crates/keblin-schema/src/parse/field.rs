//! `[fields.NAME]`: one declared field with its words and values, each read by the field's own kind.

use std::ops::Range;

use toml::de::{DeTable, DeValue};

use super::table::{Item, Reader};
use super::{ListDecl, Placed, clashes};
use crate::finding::{Code, Finding};
use crate::keep::Keep;
use crate::model::{Axis, RecordMoment, Scope};
use crate::name::Name;
use crate::survival::{OnDeath, OnReset, OnRetry};
use crate::value::{Kind, Time, Value};

/// A field as declared, before its keys are held against each other.
#[derive(Debug)]
pub(crate) struct FieldDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) about: Option<String>,
    pub(crate) kind: Kind,
    pub(crate) scope: Scope,
    pub(crate) default: Option<Placed<Value>>,
    pub(crate) min: Option<Placed<Value>>,
    pub(crate) max: Option<Placed<Value>>,
    pub(crate) max_len: Option<Placed<usize>>,
    pub(crate) keep: Option<Placed<Keep>>,
    /// There is a keep rule, but not one that is known.
    pub(crate) keep_is_faulty: bool,
    pub(crate) from: Option<Placed<String>>,
    pub(crate) at: Option<Placed<Vec<RecordMoment>>>,
    pub(crate) per: Option<Placed<Vec<Axis>>>,
    pub(crate) counts: Option<Placed<()>>,
    pub(crate) on_death: Option<Placed<OnDeath>>,
    pub(crate) on_retry: Option<Placed<OnRetry>>,
    pub(crate) on_level: Option<Placed<OnReset>>,
    pub(crate) on_new_run: Option<Placed<OnReset>>,
}

const KEYS: &[&str] = &[
    "about",
    "type",
    "scope",
    "default",
    "min",
    "max",
    "max_len",
    "keep",
    "from",
    "at",
    "per",
    "counts",
    "on_death",
    "on_retry",
    "on_level",
    "on_new_run",
];

/// The most characters any text field may be declared with.
pub(crate) const MAX_TEXT_CHARS: i64 = 65_536;

/// The fields that can be used, and the ids of those that are left out for a fault of their own.
pub(super) fn all(
    top: &Reader<'_, '_>,
    lists: &[ListDecl],
    text: &str,
    found: &mut Vec<Finding>,
) -> (Vec<FieldDecl>, Vec<String>) {
    let Some((table, span)) = top.table("fields", found) else { return (Vec::new(), Vec::new()) };
    // Fields have no fixed keys, so the reader that names them is told all of them.
    let all_names: Vec<&str> = table.keys().map(|key| key.get_ref().as_ref()).collect();
    let fields = Reader::new("the list of fields", table, span, &all_names, text, found);
    let mut declared = Vec::new();
    for (key, item) in fields.entries() {
        let Some(name) = fields.key_id(key, found) else { continue };
        match item.get_ref() {
            DeValue::Table(table) => declared.extend(one(name, table, lists, text, found)),
            _ => fields.wrong_type(item, "a table such as `{ type = \"int\", scope = \"run\" }`", found),
        }
    }
    let names = declared.iter().map(|field: &FieldDecl| field.name.clone()).collect();
    let apart: Vec<_> = clashes("field", names, found).into_iter().map(|name| name.value).collect();
    declared.retain(|field| apart.contains(&field.name.value));
    let is_usable = |name: &&&str| declared.iter().any(|field| field.name.value.as_str() == **name);
    let faulty = all_names.iter().filter(|name| !is_usable(name)).map(ToString::to_string).collect();
    (declared, faulty)
}

fn one(
    name: Placed<Name>,
    table: &DeTable<'_>,
    lists: &[ListDecl],
    text: &str,
    found: &mut Vec<Finding>,
) -> Option<FieldDecl> {
    let reader = Reader::new("a field", table, name.span.clone(), KEYS, text, found);
    let kinds = Kind::ALL.map(|kind| (kind.as_str(), kind));
    let scopes = Scope::ALL.map(|scope| (scope.as_str(), scope));
    let kind = reader.required("type", found, "type = \"int\"").and(reader.word("type", &kinds, found));
    let scope = reader.required("scope", found, "scope = \"run\"").and(reader.word("scope", &scopes, found));
    let keep = word(&reader, "keep", &Keep::ALL.map(|keep| (keep.as_str(), keep)), found);
    let decl = FieldDecl {
        about: reader.get("about").and_then(|item| reader.string(item, found)).map(str::to_string),
        kind: kind.unwrap_or(Kind::Int),
        scope: scope.unwrap_or(Scope::Profile),
        default: value(&reader, "default", kind, found),
        min: bound(&reader, "min", kind, found),
        max: bound(&reader, "max", kind, found),
        max_len: max_len(&reader, found),
        keep_is_faulty: reader.get("keep").is_some() && keep.is_none(),
        keep,
        from: reader
            .get("from")
            .and_then(|item| Some((reader.string(item, found)?, item.span())))
            .map(|(from, span)| Placed { value: from.to_string(), span }),
        at: words(&reader, "at", &RecordMoment::ALL.map(|moment| (moment.as_str(), moment)), found),
        per: words(&reader, "per", &axes(lists), found),
        counts: word(&reader, "counts", &[("playing", ())], found),
        on_death: word(&reader, "on_death", &OnDeath::ALL.map(|word| (word.as_str(), word)), found),
        on_retry: word(&reader, "on_retry", &OnRetry::ALL.map(|word| (word.as_str(), word)), found),
        on_level: word(&reader, "on_level", &OnReset::ALL.map(|word| (word.as_str(), word)), found),
        on_new_run: word(&reader, "on_new_run", &OnReset::ALL.map(|word| (word.as_str(), word)), found),
        name,
    };
    // Without its kind and scope nothing more can be said of a field; the complaint about them is already there.
    (kind.is_some() && scope.is_some()).then_some(decl)
}

/// What a field can have one value for each of.
fn axes(lists: &[ListDecl]) -> Vec<(&str, Axis)> {
    let lists = lists.iter().zip(0_u16..).map(|(list, index)| (list.name.value.as_str(), Axis::List(index)));
    [("level", Axis::Level), ("difficulty", Axis::Difficulty)].into_iter().chain(lists).collect()
}

fn word<T: Clone>(
    reader: &Reader<'_, '_>,
    key: &str,
    words: &[(&str, T)],
    found: &mut Vec<Finding>,
) -> Option<Placed<T>> {
    reader.word(key, words, found).map(|value| Placed { value, span: reader.key_span(key) })
}

fn words<T: Clone + PartialEq>(
    reader: &Reader<'_, '_>,
    key: &str,
    words: &[(&str, T)],
    found: &mut Vec<Finding>,
) -> Option<Placed<Vec<T>>> {
    let chosen = reader.words(key, words, found)?;
    let span: Range<usize> = reader.key_span(key);
    if chosen.is_empty() && reader.list(key, found).is_some_and(<[_]>::is_empty) {
        let known = words.iter().map(|(word, _)| *word).collect::<Vec<_>>().join(", ");
        let finding = Finding::error(Code::UnknownWord, span.clone(), format!("`{key}` is an empty list"));
        found.push(finding.instead(format!("leave it out, or name some of: {known}")));
        return None;
    }
    Some(Placed { value: chosen, span })
}

/// A value of the field's own kind.
fn value(
    reader: &Reader<'_, '_>,
    key: &str,
    kind: Option<Kind>,
    found: &mut Vec<Finding>,
) -> Option<Placed<Value>> {
    let item = reader.get(key)?;
    let value = match (kind?, item.get_ref()) {
        (Kind::Bool, DeValue::Boolean(yes)) => Value::Bool(*yes),
        (Kind::Int, DeValue::Integer(_)) => Value::Int(reader.integer(item, found)?),
        (Kind::Time, DeValue::String(text)) => Value::Time(time(text, item, found)?),
        (Kind::Text, DeValue::String(text)) => Value::text(text),
        (kind, _) => {
            reader.wrong_type(item, expected(kind), found);
            return None;
        }
    };
    Some(Placed { value, span: item.span() })
}

fn expected(kind: Kind) -> &'static str {
    match kind {
        Kind::Bool => "true or false",
        Kind::Int => "a whole number",
        Kind::Time => "a time such as \"90s\"",
        Kind::Text => "a text",
    }
}

fn time(text: &str, item: &Item<'_>, found: &mut Vec<Finding>) -> Option<Time> {
    text.parse()
        .map_err(|fault| found.push(Finding::error(Code::WrongType, item.span(), format!("{fault}"))))
        .ok()
}

/// A bound: a number, so there is none for kinds that have no order.
fn bound(
    reader: &Reader<'_, '_>,
    key: &str,
    kind: Option<Kind>,
    found: &mut Vec<Finding>,
) -> Option<Placed<Value>> {
    reader.get(key)?;
    match kind? {
        Kind::Int | Kind::Time => value(reader, key, kind, found),
        other => {
            let message = format!("a {other} has no `{key}`");
            let finding = Finding::error(Code::MeaninglessKey, reader.key_span(key), message);
            found.push(finding.instead(if other == Kind::Text { "write `max_len`" } else { "leave it out" }));
            None
        }
    }
}

fn max_len(reader: &Reader<'_, '_>, found: &mut Vec<Finding>) -> Option<Placed<usize>> {
    let item = reader.get("max_len")?;
    let number = reader.integer(item, found)?;
    let len = usize::try_from(number).ok().filter(|_| (1..=MAX_TEXT_CHARS).contains(&number));
    if len.is_none() {
        let message = format!("`max_len` is from 1 to {MAX_TEXT_CHARS} characters, but found {number}");
        found.push(Finding::error(Code::OutOfRange, item.span(), message));
    }
    len.map(|value| Placed { value, span: reader.key_span("max_len") })
}
