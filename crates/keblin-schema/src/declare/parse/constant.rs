//! `[level_constants]`: numbers and texts that every level has, and that no save contains.

use toml::de::DeValue;

use super::level::is_key;
use super::table::{Item, Reader};
use super::{Placed, clashes, value};
use crate::model::{ConstantDef, Model};
use crate::name::Name;
use crate::text::finding::{Code, Finding};
use crate::value::Value;
use crate::value::kind::{Holds, Kind};

const KEYS: &[&str] = &["about", "type", "default"];

/// The types that a constant can have.
const KINDS: [(&str, Kind); 5] = [
    ("bool", Kind::Bool),
    ("int", Kind::Int),
    ("float", Kind::Float),
    ("time", Kind::Time),
    ("text", Kind::Text),
];

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<ConstantDef> {
    let Some((table, span)) = top.table("level_constants", found) else { return Vec::new() };
    let constants = Reader::of_any_keys("the constants of levels", table, span, text);
    let mut declared: Vec<(Placed<Name>, ConstantDef)> = Vec::new();
    for (key, item) in constants.entries() {
        let Some(name) = constants.key_id(key, found) else { continue };
        let word = name.value.as_str();
        if is_key(word) {
            let message = format!("`{word}` already means something else in a level");
            let finding = Finding::error(Code::SameId, name.span.clone(), message);
            found.push(finding.instead("give the constant another id"));
            continue;
        }
        let DeValue::Table(table) = item.get_ref() else {
            constants.wrong_type(item, "a table such as `{ type = \"time\", default = \"90s\" }`", found);
            continue;
        };
        let reader = Reader::new("a constant", table, name.span.clone(), KEYS, text, found);
        let about = reader.get("about").and_then(|item| reader.string(item, found)).map(str::to_string);
        reader.required("type", found, "type = \"int\"");
        let kind = reader.word("type", &KINDS, found);
        reader.required("default", found, "default = 0");
        let default = kind.and_then(|kind| of_kind(&reader, "default", kind, found));
        if let (Some(kind), Some(default)) = (kind, default) {
            declared.push((name.clone(), ConstantDef { name: name.value, about, kind, default }));
        }
    }
    let names = declared.iter().map(|(name, _)| name.clone()).collect();
    let apart: Vec<_> = clashes("constant", names, found).into_iter().map(|name| name.span).collect();
    declared
        .into_iter()
        .filter(|(name, _)| apart.contains(&name.span))
        .map(|(_, constant)| constant)
        .collect()
}

fn plain(kind: Kind) -> Holds {
    Holds { kind, of: None, key: None }
}

fn of_kind(reader: &Reader<'_, '_>, key: &str, kind: Kind, found: &mut Vec<Finding>) -> Option<Value> {
    value::of_key(reader, key, plain(kind), &Model::without_names(), found).map(|value| value.value)
}

/// Reads the value of a constant in a level.
pub(super) fn of_level(
    reader: &Reader<'_, '_>,
    constant: &ConstantDef,
    found: &mut Vec<Finding>,
) -> Option<Value> {
    of_kind(reader, constant.name.as_str(), constant.kind, found)
}

/// Reads one of the values that a chapter lists, one for each of its levels.
pub(super) fn of_item(
    reader: &Reader<'_, '_>,
    constant: &ConstantDef,
    item: &Item<'_>,
    found: &mut Vec<Finding>,
) -> Option<Value> {
    value::of_item(reader, item, plain(constant.kind), &Model::without_names(), found)
}
