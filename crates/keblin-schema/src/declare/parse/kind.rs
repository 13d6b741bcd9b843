//! `type`, `of` and `key`: the type of a field or of a member of a shape.

use toml::de::{DeTable, DeValue};

use super::table::Reader;
use crate::model::Model;
use crate::text::finding::{Code, Finding};
use crate::value::kind::{Holds, Ids, Kind};

/// Returns every list of ids, built-in or declared, with its word.
fn lists(names: &Model) -> impl Iterator<Item = (&str, Kind)> {
    let declared = names.lists.iter().zip(0_u16..);
    let declared = declared.map(|(list, index)| (list.name.as_str(), Kind::Id(Ids::List(index))));
    declared.chain(Ids::BUILT_IN.iter().map(|(word, ids)| (*word, Kind::Id(*ids))))
}

fn shapes(names: &Model) -> impl Iterator<Item = (&str, Kind)> {
    names.shapes.iter().zip(0_u16..).map(|(shape, index)| (shape.name.as_str(), Kind::Shape(index)))
}

/// The word for an object of a kind.
const OBJECT: &str = "object";

fn kinds(names: &Model) -> impl Iterator<Item = (&str, Kind)> {
    names.object_kinds.iter().zip(0_u16..).map(|(kind, index)| (kind.name.as_str(), Kind::Object(index)))
}

fn scalars<'w>() -> impl Iterator<Item = (&'w str, Kind)> {
    Kind::PLAIN.into_iter().filter(|(_, kind)| kind.is_scalar())
}

/// Reads the type of a field.
pub(super) fn of_field(reader: &Reader<'_, '_>, names: &Model, found: &mut Vec<Finding>) -> Option<Holds> {
    let words = Kind::PLAIN.into_iter().map(|(word, kind)| (word, Some(kind)));
    let words: Vec<_> = words.chain([("id", None), ("shape", None)]).collect();
    let word = reader.get("type").and_then(|item| item.get_ref().as_str()).unwrap_or_default();
    if word == OBJECT {
        return not_of_a_kind(reader, found);
    }
    reader.required("type", found, "type = \"int\"")?;
    let plain = reader.word("type", &words, found)?;
    let decl = |kind| Holds { kind, of: None, key: None };
    match (plain, word) {
        (None, "id") => named(reader, "an id", "levels", lists(names).collect(), found).map(decl),
        (None, _) => named(reader, "a shape", "lantern", shapes(names).collect(), found).map(decl),
        (Some(kind), _) if kind.has_items() => {
            let items = scalars().chain(lists(names)).chain(shapes(names)).collect();
            let of = named(reader, &kind.with_article(), "text", items, found)?;
            let key = if kind == Kind::Map { Some(map_key(reader, names, found)?) } else { None };
            Some(Holds { kind, of: Some(of), key })
        }
        (Some(kind), _) => Some(decl(kind)),
    }
}

/// Refuses an object where no kind of objects is declared: of progress and of shapes.
fn not_of_a_kind<T>(reader: &Reader<'_, '_>, found: &mut Vec<Finding>) -> Option<T> {
    let message = "only a field of a kind of objects can name another object";
    let span = reader.get("type").map_or(0..0, |item| item.span());
    found.push(
        Finding::error(Code::WrongType, span, message)
            .instead("declare it under `[kinds.NAME.fields]`, or keep a number with `type = \"int\"`"),
    );
    None
}

/// Reads the type of a member of a shape: one value, or a list, set or map of such. `inner` has the shapes that it may
/// be: those without a shape inside. A field of a kind of objects can also be an object, of the kinds in `names`.
pub(super) fn of_member(
    reader: &Reader<'_, '_>,
    names: &Model,
    inner: &[bool],
    found: &mut Vec<Finding>,
) -> Option<Holds> {
    let plain = Kind::PLAIN.into_iter().filter(|(_, kind)| kind.is_scalar() || kind.has_items());
    let words = plain.map(|(word, kind)| (word, Some(kind)));
    let in_a_kind = !names.object_kinds.is_empty();
    let object = in_a_kind.then_some((OBJECT, None));
    let words: Vec<_> = words.chain([("id", None), ("shape", None)]).chain(object).collect();
    let word = reader.get("type").and_then(|item| item.get_ref().as_str()).unwrap_or_default();
    if word == OBJECT && !in_a_kind {
        return not_of_a_kind(reader, found);
    }
    reader.required("type", found, "type = \"int\"")?;
    let plain = reader.word("type", &words, found)?;
    let of = reader.get("of").and_then(|item| Some((item.get_ref().as_str()?, item.span())));
    let outer = shapes(names)
        .zip(inner)
        .find(|((shape, _), is_inner)| of.as_ref().is_some_and(|(of, _)| of == shape) && !**is_inner);
    if let Some(((shape, _), _)) = outer.filter(|_| word == "shape" || plain.is_some_and(Kind::has_items)) {
        let message = format!("`{shape}` has a shape inside, and shapes are at most two deep");
        let span = of.map_or(0..0, |(_, span)| span);
        let finding = Finding::error(Code::WrongType, span, message);
        found.push(finding.instead("name a shape without a shape inside"));
        return None;
    }
    match (plain, word) {
        (None, "id") => named(reader, "an id", "levels", lists(names).collect(), found).map(Holds::from),
        (None, OBJECT) => named(reader, "an object", "gate", kinds(names).collect(), found).map(Holds::from),
        (None, _) => named(reader, "a shape", "lantern", shapes(names).collect(), found).map(Holds::from),
        (Some(kind), _) if kind.has_items() => {
            // A game's own struct has the set as one of Rust, which needs an order.
            let fits = |of: Kind| {
                let has_order =
                    !matches!(of, Kind::Float | Kind::Vec2 | Kind::Vec3 | Kind::Quat | Kind::Shape(_));
                kind != Kind::Set || has_order
            };
            let items = scalars().chain(shapes(names)).filter(|(_, of)| fits(*of));
            let items = items.chain(lists(names)).collect();
            let of = named(reader, &kind.with_article(), "text", items, found)?;
            let key = if kind == Kind::Map { Some(map_key(reader, names, found)?) } else { None };
            Some(Holds { kind, of: Some(of), key })
        }
        (Some(kind), _) => Some(Holds::from(kind)),
    }
}

/// Returns whether the type of a member names a shape, as far as its table says.
pub(super) fn names_a_shape(table: &DeTable<'_>, shapes: &[&str]) -> bool {
    let word = |key: &str| table.get(key).and_then(|item| item.get_ref().as_str());
    word("type") == Some("shape") || word("of").is_some_and(|of| shapes.contains(&of))
}

fn named(
    reader: &Reader<'_, '_>,
    what: &str,
    example: &str,
    words: Vec<(&str, Kind)>,
    found: &mut Vec<Finding>,
) -> Option<Kind> {
    if reader.get("of").is_none() {
        let needs = match what {
            "an object" => "its kind",
            _ => "its list, its shape or the type of its items",
        };
        let message = format!("{what} needs `of`: {needs}");
        let finding = Finding::error(Code::MissingKey, reader.key_span("type"), message);
        found.push(finding.instead(format!("add `of = \"{example}\"`")));
    }
    if let Some(list) = reader.get("of").filter(|of| matches!(of.get_ref(), DeValue::Array(_))) {
        let finding =
            Finding::error(Code::WrongType, list.span(), "`of` names a list that is declared elsewhere");
        let items = reader.text().get(list.span()).unwrap_or("[…]");
        found.push(
            finding.instead(format!("write `my_list = {items}` under [lists], and here `of = \"my_list\"`")),
        );
        return None;
    }
    reader.word("of", &words, found)
}

fn map_key(reader: &Reader<'_, '_>, names: &Model, found: &mut Vec<Finding>) -> Option<Kind> {
    if reader.get("key").is_none() {
        let finding = Finding::error(
            Code::MissingKey,
            reader.key_span("type"),
            "a map needs `key`: the type of its keys",
        );
        found.push(finding.instead("add `key = \"text\"`"));
    }
    let words: Vec<_> = [("text", Kind::Text), ("int", Kind::Int)].into_iter().chain(lists(names)).collect();
    reader.word("key", &words, found)
}
