//! `[kinds.NAME]` and `[[areas]]`: objects of the world, and where they stand.

use std::ops::Range;

use toml::de::{DeTable, DeValue};

use super::shape::members_of;
use super::table::{Item, Reader};
use super::{Placed, clashes, named_tables};
use crate::model::{AreaDef, Areas, Model, ObjectKindDef, OnDeath, OnReset, OnRetry};
use crate::name::{Name, nearest};
use crate::text::finding::{Code, Finding};
use keblin_model::Severity;

/// The most areas, and the most from one side of a grid to the other.
const MAX_AREAS: usize = 1_000_000;
const MAX_SIDE: i64 = 4096;

const KIND_KEYS: &[&str] = &["about", "fields", "on_death", "on_retry", "on_new_run", "time_away"];
const AREA_KEYS: &[&str] = &["id", "title", "kinds"];

/// An area as declared.
struct AreaDecl {
    name: Placed<Name>,
    title: Option<String>,
    kinds: Option<Vec<Placed<String>>>,
}

/// Reads the kinds of objects and the areas into `names`, which has the lists that their fields can name.
pub(super) fn world(top: &Reader<'_, '_>, names: &mut Model, text: &str, found: &mut Vec<Finding>) {
    let kinds = kinds(top, names, text, found);
    names.object_kinds = kinds.iter().map(|(_, kind)| kind.clone()).collect();
    let faults_before = found.len();
    names.areas = areas(top, names, text, found);
    if found.len() > faults_before {
        // Which area has which kind is known only once they are valid.
        return;
    }
    for (place, (name, _)) in kinds.iter().enumerate() {
        if !(0..names.areas.len()).any(|area| names.kinds_in(area).any(|kind| kind == place)) {
            let message = format!("nothing of the kind `{}` is kept: no area has it", name.value);
            let finding = Finding::error(Code::UnusedKind, name.span.clone(), message);
            let instead = match names.areas.is_empty() {
                true => "declare where it stands: `[[areas]]` with `id = \"west\"`".to_string(),
                false => format!("name `{}` among the `kinds` of an area", name.value),
            };
            found.push(finding.as_severity(Severity::Hint).instead(instead));
        }
        // In a grid every area has every kind.
        if matches!(names.areas, Areas::Grid(_)) {
            break;
        }
    }
}

fn kinds(
    top: &Reader<'_, '_>,
    names: &Model,
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<(Placed<Name>, ObjectKindDef)> {
    let Some((table, span)) = top.table("kinds", found) else { return Vec::new() };
    let reader = Reader::of_any_keys("the kinds", table, span, text);
    let mut declared = Vec::new();
    for (key, item) in reader.entries() {
        let Some(name) = reader.key_id(key, found) else { continue };
        match item.get_ref() {
            DeValue::Table(table) => declared.push((name, table)),
            _ => reader.wrong_type(item, "a table with `fields`", found),
        }
    }
    let ids = declared.iter().map(|(name, _)| name.clone()).collect();
    let apart: Vec<_> = clashes("kind", ids, found).into_iter().map(|name| name.span).collect();
    declared.retain(|(name, _)| apart.contains(&name.span));
    // A field can name an object of a kind that is declared later.
    let mut names = names.clone();
    names.object_kinds = declared.iter().map(|(name, _)| ObjectKindDef::named(&name.value)).collect();
    let kind = |(name, table): (Placed<Name>, _)| {
        let kind = kind(&name, table, &names, text, found);
        (name, kind)
    };
    declared.into_iter().map(kind).collect()
}

fn kind(
    name: &Placed<Name>,
    table: &DeTable<'_>,
    names: &Model,
    text: &str,
    found: &mut Vec<Finding>,
) -> ObjectKindDef {
    let reader = Reader::new("a kind", table, name.span.clone(), KIND_KEYS, text, found);
    let mut fields = Vec::new();
    if let Some((table, span)) = reader.table("fields", found) {
        let reader = Reader::of_any_keys("the fields of a kind", table, span, text);
        for (place, member) in members_of(&reader, "a field of a kind", (names, &[]), text, found) {
            if member.kind.is_scalar() {
                fields.push(member);
                continue;
            }
            let kind = member.kind.with_article();
            let message = format!("`{}` is {kind}, and an object keeps single values", member.name);
            let finding = Finding::error(Code::WrongType, place.span, message);
            found.push(finding.instead("declare each part as a field of its own"));
        }
    }
    let about = reader.get("about").and_then(|item| reader.string(item, found)).map(str::to_string);
    let on_death = reader.one_of("on_death", OnDeath::ALL, OnDeath::as_str, found);
    let on_retry = reader.one_of("on_retry", OnRetry::ALL, OnRetry::as_str, found);
    let on_new_run = reader.one_of("on_new_run", OnReset::ALL, OnReset::as_str, found);
    let time_away = reader.yes_or_no("time_away", found);
    let usual = ObjectKindDef::named(&name.value);
    ObjectKindDef {
        about,
        on_death: on_death.unwrap_or(usual.on_death),
        on_retry: on_retry.unwrap_or(usual.on_retry),
        on_new_run: on_new_run.unwrap_or(usual.on_new_run),
        time_away: time_away.unwrap_or(usual.time_away),
        fields,
        ..usual
    }
}

fn areas(top: &Reader<'_, '_>, names: &Model, text: &str, found: &mut Vec<Finding>) -> Areas {
    if let Some((table, span)) =
        top.get("areas").and_then(|item| Some((item.get_ref().as_table()?, item.span())))
    {
        let reader = Reader::new("the areas", table, span, &["grid"], text, found);
        let grid =
            reader.required("grid", found, "grid = [64, 64]").and_then(|item| grid(&reader, item, found));
        return grid.map_or_else(Areas::default, Areas::Grid);
    }
    let each = |table: &DeTable<'_>, span, found: &mut _| area(table, span, text, found);
    let words = ("areas", "area", "{ id = \"west\" }");
    let declared = named_tables(top, words, each, |area: &AreaDecl| &area.name, found);
    if let Some(excess) = declared.get(MAX_AREAS) {
        let message = format!("at most {MAX_AREAS} areas can be declared, and this is one more");
        found.push(Finding::error(Code::OutOfRange, excess.name.span.clone(), message));
    }
    let def = |area: AreaDecl, found: &mut Vec<Finding>| AreaDef {
        title: area.title.unwrap_or_else(|| area.name.value.to_string()),
        name: area.name.value,
        kinds: area
            .kinds
            .map(|kinds| kinds.iter().filter_map(|kind| kind_named(names, kind, found)).collect()),
    };
    Areas::Named(declared.into_iter().map(|area| def(area, found)).collect())
}

fn area(table: &DeTable<'_>, span: Range<usize>, text: &str, found: &mut Vec<Finding>) -> Option<AreaDecl> {
    let reader = Reader::new("an area", table, span, AREA_KEYS, text, found);
    let name = reader.required("id", found, "id = \"west\"").and_then(|item| reader.id(item, found));
    let title = reader.get("title").and_then(|item| reader.string(item, found)).map(str::to_string);
    let kinds = reader.get("kinds").map(|_| reader.texts("kinds", found));
    Some(AreaDecl { name: name?, title, kinds })
}

fn kind_named(names: &Model, name: &Placed<String>, found: &mut Vec<Finding>) -> Option<usize> {
    let ids = || names.object_kinds.iter().map(|kind| kind.name.as_str());
    let place = ids().position(|id| id == name.value);
    if place.is_none() {
        let finding = Finding::error(
            Code::UnknownName,
            name.span.clone(),
            format!("`{}` is not a declared kind", name.value),
        );
        found.push(finding.instead(match nearest(&name.value, ids()) {
            Some(near) => format!("write `{near}`"),
            None => format!("declare it: `[kinds.{}]`", name.value),
        }));
    }
    place
}

/// Reads the size of a grid: how many areas from west to east, and from north to south.
fn grid(reader: &Reader<'_, '_>, item: &Item<'_>, found: &mut Vec<Finding>) -> Option<[u16; 2]> {
    let sides = item.get_ref().as_array().map(|sides| sides.iter().map(side).collect::<Vec<_>>());
    match sides.as_deref() {
        Some([Some(x), Some(y)]) if usize::from(*x) * usize::from(*y) <= MAX_AREAS => Some([*x, *y]),
        Some([Some(_), Some(_)]) => {
            let message = format!("a grid has at most {MAX_AREAS} areas");
            found.push(
                Finding::error(Code::OutOfRange, item.span(), message).instead("write a smaller number"),
            );
            None
        }
        _ => {
            let held = reader.text().get(item.span()).unwrap_or_default();
            let message = format!("expected two whole numbers from 1 to {MAX_SIDE}, but found {held}");
            found.push(
                Finding::error(Code::WrongType, item.span(), message).instead("write `grid = [64, 64]`"),
            );
            None
        }
    }
}

fn side(item: &Item<'_>) -> Option<u16> {
    let DeValue::Integer(number) = item.get_ref() else { return None };
    let number = i64::from_str_radix(number.as_str(), number.radix()).ok()?;
    u16::try_from(number).ok().filter(|side| (1..=MAX_SIDE).contains(&i64::from(*side)))
}
