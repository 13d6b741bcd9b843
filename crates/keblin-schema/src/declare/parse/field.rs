//! `[fields.NAME]`: one declared field with its words and values, each read by the field's own type.

use std::collections::HashSet;
use std::ops::Range;

use toml::de::{DeTable, DeValue};

use super::kind;
use super::length::length;
use super::level::{ConditionDecl, condition};
use super::table::{Reader, words_of};
use super::{Placed, clashes, shape, value};
use crate::model::{Axis, FeedAt, Limits, Model, OnDeath, OnReset, OnRetry, Scope};
use crate::name::Name;
use crate::text::finding::{Code, Finding};
use crate::value::Value;
use crate::value::keep::Keep;
use crate::value::kind::{Holds, Kind};

/// A field as declared, before its keys are checked together.
#[derive(Debug)]
pub(crate) struct FieldDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) about: Option<String>,
    pub(crate) holds: Holds,
    pub(crate) scope: Scope,
    pub(crate) default: Option<Placed<Value>>,
    pub(crate) min: Option<Placed<BoundDecl>>,
    pub(crate) max: Option<Placed<BoundDecl>>,
    pub(crate) max_len: Option<Placed<usize>>,
    /// Limits of the items of a list, set or map.
    pub(crate) items: Limits,
    pub(crate) max_items: Option<Placed<usize>>,
    pub(crate) places: Option<Placed<usize>>,
    /// The shape that goes with each value of a record, by its name.
    pub(crate) with: Option<Placed<String>>,
    /// The members that are filled, and the fields they are filled from.
    pub(crate) with_from: Vec<(Placed<String>, Placed<String>)>,
    pub(crate) durable: Option<Placed<bool>>,
    /// The places of `of` and `key`, for findings.
    pub(crate) of_span: Option<Range<usize>>,
    pub(crate) key_span: Option<Range<usize>>,
    pub(crate) keep: Option<Placed<Keep>>,
    /// Keys that are there but could not be read, or that another key stands for. They are reported already.
    pub(crate) faulty: Vec<&'static str>,
    pub(crate) from: Option<Placed<String>>,
    pub(crate) at: Option<Placed<Vec<FeedAt>>>,
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
    "of",
    "key",
    "max_items",
    "places",
    "with",
    "with_from",
    "durable",
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

/// Reads the fields, and the ids of those that are left out because of their own mistakes.
pub(super) fn all(
    top: &Reader<'_, '_>,
    names: &Model,
    text: &str,
    found: &mut Vec<Finding>,
) -> (Vec<FieldDecl>, Vec<String>) {
    let Some((table, span)) = top.table("fields", found) else { return (Vec::new(), Vec::new()) };
    let fields = Reader::of_any_keys("the list of fields", table, span, text);
    let mut declared = Vec::new();
    for (key, item) in fields.entries() {
        let Some(name) = fields.key_id(key, found) else { continue };
        match item.get_ref() {
            DeValue::Table(table) => declared.extend(one(name, table, names, text, found)),
            _ => fields.wrong_type(item, "a table such as `{ type = \"int\", scope = \"run\" }`", found),
        }
    }
    let names = declared.iter().map(|field: &FieldDecl| field.name.clone()).collect();
    let apart: HashSet<Name> = clashes("field", names, found).into_iter().map(|name| name.value).collect();
    declared.retain(|field| apart.contains(&field.name.value));
    let usable: HashSet<&str> = declared.iter().map(|field| field.name.value.as_str()).collect();
    let all_names = table.keys().map(|key| key.get_ref().as_ref());
    let faulty = all_names.filter(|name| !usable.contains(name)).map(str::to_string).collect();
    (declared, faulty)
}

fn one(
    name: Placed<Name>,
    table: &DeTable<'_>,
    names: &Model,
    text: &str,
    found: &mut Vec<Finding>,
) -> Option<FieldDecl> {
    let reader = Reader::new("a field", table, name.span.clone(), KEYS, text, found);
    let declared = kind::of_field(&reader, names, found);
    let holds = declared.unwrap_or(Holds { kind: Kind::Int, of: None, key: None });
    let scope = reader.required("scope", found, "scope = \"run\"").and(reader.one_of(
        "scope",
        Scope::ALL,
        Scope::as_str,
        found,
    ));
    let keep = word(&reader, "keep", &words_of(Keep::ALL, Keep::as_str), found);
    let on_death = word(&reader, "on_death", &words_of(OnDeath::ALL, OnDeath::as_str), found);
    let at = words(&reader, "at", &words_of(FeedAt::ALL, FeedAt::as_str), found);
    let limits_text = declared.is_some_and(|holds| holds.kind.has_length()) && reader.names("max");
    let faulty = [
        ("keep", keep.is_none() && reader.names("keep")),
        ("on_death", on_death.is_none() && reader.names("on_death")),
        ("at", at.is_none() && reader.names("at")),
        ("max_len", reader.means("max_len") || limits_text),
        ("max_items", reader.means("max_items")),
    ];
    let faulty = faulty.into_iter().filter(|(_, faulty)| *faulty).map(|(key, _)| key).collect();
    // The bounds and lengths of a list, set or map are those of its items.
    let (min, max, max_len, items) = match (declared, holds.of) {
        (None, _) => (None, None, None, Limits::default()),
        (_, Some(of)) => (None, None, None, shape::limits(&reader, &name, of, names, found)),
        (_, None) => (
            bound(&reader, "min", holds, names, found),
            bound(&reader, "max", holds, names, found),
            length(&reader, "max_len", found),
            Limits::default(),
        ),
    };
    let default = declared.and_then(|holds| value::of_key(&reader, "default", holds, names, found));
    let decl = FieldDecl {
        about: reader.get("about").and_then(|item| reader.string(item, found)).map(str::to_string),
        scope: scope.unwrap_or(Scope::Profile),
        default,
        min,
        max,
        max_len,
        items,
        max_items: length(&reader, "max_items", found),
        places: length(&reader, "places", found),
        with: reader.get("with").and_then(|item| {
            Some(Placed { value: reader.string(item, found)?.to_string(), span: item.span() })
        }),
        with_from: with_from(&reader, text, found),
        durable: yes_or_no(&reader, "durable", found),
        of_span: reader.get("of").map(|_| reader.key_span("of")),
        key_span: reader.get("key").map(|_| reader.key_span("key")),
        holds,
        faulty,
        keep,
        from: reader
            .get("from")
            .and_then(|item| Some((reader.string(item, found)?, item.span())))
            .map(|(from, span)| Placed { value: from.to_string(), span }),
        at,
        per: words(&reader, "per", &axes(names), found),
        counts: word(&reader, "counts", &[("playing", ())], found),
        on_death,
        on_retry: word(&reader, "on_retry", &words_of(OnRetry::ALL, OnRetry::as_str), found),
        on_level: word(&reader, "on_level", &words_of(OnReset::ALL, OnReset::as_str), found),
        on_new_run: word(&reader, "on_new_run", &words_of(OnReset::ALL, OnReset::as_str), found),
        name,
    };
    // Without type and scope there is nothing more to check, and an error already says so.
    (declared.is_some() && scope.is_some()).then_some(decl)
}

/// Reads `with_from = { initials = "initials" }`. What the names are is checked later.
fn with_from(
    reader: &Reader<'_, '_>,
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<(Placed<String>, Placed<String>)> {
    let Some((table, span)) = reader.table("with_from", found) else { return Vec::new() };
    let members = Reader::of_any_keys("what goes with a record", table, span, text);
    let mut pairs = Vec::new();
    for (member, item) in members.entries() {
        let member = Placed { value: member.get_ref().to_string(), span: member.span() };
        if let Some(field) = members.string(item, found) {
            pairs.push((member, Placed { value: field.to_string(), span: item.span() }));
        }
    }
    pairs
}

/// Returns what a field can have an axis of.
fn axes(names: &Model) -> Vec<(&str, Axis)> {
    let lists = names.lists.iter().zip(0_u16..);
    let lists = lists.map(|(list, index)| (list.name.as_str(), Axis::List(index)));
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
        found.push(finding.instead(format!("leave it out, or list some of: {known}")));
        return None;
    }
    Some(Placed { value: chosen, span })
}

/// A bound as declared.
#[derive(Clone, Debug)]
pub(crate) enum BoundDecl {
    /// A literal number.
    Fixed(Value),
    /// An expression.
    Follows(ConditionDecl),
}

/// Reads the bound of a number: a literal, or an expression that it follows.
fn bound(
    reader: &Reader<'_, '_>,
    key: &str,
    holds: Holds,
    names: &Model,
    found: &mut Vec<Finding>,
) -> Option<Placed<BoundDecl>> {
    let item = reader.get(key)?;
    if !holds.kind.is_number() {
        let message = format!("{} does not take `{key}`", holds.kind.with_article());
        let finding = Finding::error(Code::MeaninglessKey, reader.key_span(key), message);
        found.push(finding.instead(if holds.kind.has_length() { "write `max_len`" } else { "leave it out" }));
        return None;
    }
    // A text that starts like a number is a time; any other text is an expression.
    let is_time = |text: &str| text.starts_with(|c: char| c.is_ascii_digit() || c == '-');
    let follows = item.get_ref().as_str().is_some_and(|text| holds.kind != Kind::Time || !is_time(text));
    let value = if follows {
        BoundDecl::Follows(condition(reader, item, found)?)
    } else {
        BoundDecl::Fixed(value::of_key(reader, key, holds, names, found)?.value)
    };
    Some(Placed { value, span: item.span() })
}

fn yes_or_no(reader: &Reader<'_, '_>, key: &str, found: &mut Vec<Finding>) -> Option<Placed<bool>> {
    let item = reader.get(key)?;
    let value = item.get_ref().as_bool();
    if value.is_none() {
        reader.wrong_type(item, "true or false", found);
    }
    value.map(|value| Placed { value, span: reader.key_span(key) })
}
