//! `[shapes.NAME.members.MEMBER]`: declared structs.

use toml::de::{DeTable, DeValue};

use super::kind::{names_a_shape, of_member};
use super::length::length;
use super::table::Reader;
use super::{Placed, clashes, value};
use crate::model::{Items, Limits, MemberDef, Model, ShapeDef};
use crate::name::Name;
use crate::text::finding::{Code, Finding};
use crate::value::Value;
use crate::value::kind::{Holds, Kind};

const MEMBER_KEYS: &[&str] = &["about", "type", "of", "key", "default", "min", "max", "max_len", "max_items"];

/// Reads the declared structs, as far as they are valid. `names` has the lists that their members can name.
pub(super) fn all(
    top: &Reader<'_, '_>,
    names: &Model,
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<ShapeDef> {
    let Some((table, span)) = top.table("shapes", found) else { return Vec::new() };
    let shapes = Reader::of_any_keys("the shapes", table, span, text);
    let mut declared: Vec<(Placed<Name>, &DeTable<'_>)> = Vec::new();
    for (key, item) in shapes.entries() {
        let Some(name) = shapes.key_id(key, found) else { continue };
        let taken = names.lists.iter().any(|list| list.name == name.value);
        let word = Kind::PLAIN.iter().any(|(word, _)| *word == name.value.as_str());
        if taken || word {
            let message =
                format!("`{}` is the name of {}", name.value, if taken { "a list" } else { "a type" });
            found.push(Finding::error(Code::SameId, name.span, message).instead("give the shape another id"));
            continue;
        }
        match item.get_ref() {
            DeValue::Table(table) => declared.push((name, table)),
            _ => shapes.wrong_type(item, "a table with `members`", found),
        }
    }
    let ids = declared.iter().map(|(name, _)| name.clone()).collect();
    let apart: Vec<_> = clashes("shape", ids, found).into_iter().map(|name| name.span).collect();
    declared.retain(|(name, _)| apart.contains(&name.span));
    in_two_steps(&declared, names, text, found)
}

/// Reads the members: first of the shapes without a shape inside, then of those that may have one.
fn in_two_steps(
    declared: &[(Placed<Name>, &DeTable<'_>)],
    names: &Model,
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<ShapeDef> {
    let ids: Vec<&str> = declared.iter().map(|(name, _)| name.value.as_str()).collect();
    let has_shape = |table: &DeTable<'_>| {
        let members = table.get("members").and_then(|item| item.get_ref().as_table());
        let mut members = members.into_iter().flat_map(DeTable::iter);
        members.any(|(_, item)| item.get_ref().as_table().is_some_and(|table| names_a_shape(table, &ids)))
    };
    let inner: Vec<bool> = declared.iter().map(|(_, table)| !has_shape(table)).collect();
    let mut names = names.clone();
    let empty = |name: &Placed<Name>| ShapeDef { name: name.value.clone(), members: Vec::new() };
    names.shapes = declared.iter().map(|(name, _)| empty(name)).collect();
    for first in [true, false] {
        for (index, (name, table)) in declared.iter().enumerate() {
            if inner.get(index) == Some(&first) {
                let members = members(name, table, (&names, &inner), text, found);
                names.shapes.get_mut(index).into_iter().for_each(|shape| shape.members.clone_from(&members));
            }
        }
    }
    names.shapes
}

fn members(
    shape: &Placed<Name>,
    table: &DeTable<'_>,
    names: (&Model, &[bool]),
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<MemberDef> {
    let reader = Reader::new("a shape", table, shape.span.clone(), &["members"], text, found);
    reader.required("members", found, "members = { lit = { type = \"bool\" } }");
    let Some((table, span)) = reader.table("members", found) else { return Vec::new() };
    let members = Reader::of_any_keys("the members", table, span, text);
    members_of(&members, "a member", names, text, found).into_iter().map(|(_, member)| member).collect()
}

/// Reads the members of a shape, or the fields of a kind of objects; `what` is one of them in messages.
pub(super) fn members_of(
    members: &Reader<'_, '_>,
    what: &'static str,
    names: (&Model, &[bool]),
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<(Placed<Name>, MemberDef)> {
    let mut declared = Vec::new();
    for (key, item) in members.entries() {
        let Some(name) = members.member_id(key, found) else { continue };
        match item.get_ref() {
            DeValue::Table(table) => {
                let member = member(&name, (what, table), names, text, found);
                declared.extend(member.map(|member| (name, member)));
            }
            _ => members.wrong_type(item, "a table such as `{ type = \"int\" }`", found),
        }
    }
    let names = declared.iter().map(|(name, _)| name.clone()).collect();
    let word = what.trim_start_matches("a ");
    let apart: Vec<_> = clashes(word, names, found).into_iter().map(|name| name.span).collect();
    declared.retain(|(name, _): &(Placed<Name>, MemberDef)| apart.contains(&name.span));
    declared
}

fn member(
    name: &Placed<Name>,
    (what, table): (&'static str, &DeTable<'_>),
    (names, inner): (&Model, &[bool]),
    text: &str,
    found: &mut Vec<Finding>,
) -> Option<MemberDef> {
    let reader = Reader::new(what, table, name.span.clone(), MEMBER_KEYS, text, found);
    let holds = of_member(&reader, names, inner, found)?;
    let kind = holds.kind;
    let inside = limits(&reader, name, holds.of.unwrap_or(kind), names, found);
    let items = items(&reader, name, holds, inside.clone(), found);
    let limits = if items.is_some() { Limits::default() } else { inside };
    let declared = value::of_key(&reader, "default", holds, names, found);
    let (default, span) = match declared {
        Some(default) => (default.value, default.span),
        None => (names.own_default(kind), name.span.clone()),
    };
    let fit = match &items {
        Some(items) => names.fit_items(items, &default),
        None if default == Value::Unset => Ok(()),
        None => names.fit_one(kind, &limits, &default),
    };
    if let Err(unfit) = fit {
        found.push(Finding::error(
            Code::DefaultOutsideBounds,
            span,
            format!("the default does not fit: {unfit}"),
        ));
    }
    let about = reader.get("about").and_then(|item| reader.string(item, found)).map(str::to_string);
    Some(MemberDef { name: name.value.clone(), about, kind, default, limits, items })
}

/// Reads what a list, set or map contains.
fn items(
    reader: &Reader<'_, '_>,
    name: &Placed<Name>,
    holds: Holds,
    limits: Limits,
    found: &mut Vec<Finding>,
) -> Option<Items> {
    let max_items = length(reader, "max_items", found);
    let Some(of) = holds.of else {
        if max_items.is_some() {
            let message = format!("{} does not have items", holds.kind.with_article());
            let finding = Finding::error(Code::MeaninglessKey, reader.key_span("max_items"), message);
            found.push(finding.instead("leave `max_items` out"));
        }
        return None;
    };
    if reader.get("max_items").is_none() {
        let message = format!("`{}` needs `max_items`: its largest number of items", name.value);
        found.push(
            Finding::error(Code::MissingKey, name.span.clone(), message).instead("add `max_items = 100`"),
        );
    }
    Some(Items { of, key: holds.key, limits, max_items: max_items.map_or(usize::MAX, |most| most.value) })
}

/// Reads the limits of a value: bounds for numbers, a length for texts and bytes.
pub(super) fn limits(
    reader: &Reader<'_, '_>,
    name: &Placed<Name>,
    kind: Kind,
    names: &Model,
    found: &mut Vec<Finding>,
) -> Limits {
    let holds = Holds { kind, of: None, key: None };
    for key in ["min", "max"].into_iter().filter(|key| reader.get(key).is_some() && !kind.is_number()) {
        let message = format!("{} does not take `{key}`", kind.with_article());
        found.push(
            Finding::error(Code::MeaninglessKey, reader.key_span(key), message).instead("leave it out"),
        );
    }
    let mut bound = |key| {
        let value = value::of_key(reader, key, holds, names, found).filter(|_| kind.is_number());
        value.map(|bound| bound.value)
    };
    let (min, max) = (bound("min"), bound("max"));
    let max_len = length(reader, "max_len", found);
    if kind.has_length() && reader.get("max_len").is_none() {
        let message = format!("`{}` needs `max_len`: its largest number of characters or bytes", name.value);
        found
            .push(Finding::error(Code::MissingKey, name.span.clone(), message).instead("add `max_len = 40`"));
    }
    Limits { min, max, max_len: max_len.map(|len| len.value) }
}
