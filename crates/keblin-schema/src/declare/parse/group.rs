//! `[groups.NAME]`: parts of the game.

use toml::de::DeValue;

use super::table::Reader;
use super::{Placed, clashes};
use crate::name::Name;
use crate::text::finding::{Code, Finding};

/// A group as declared.
#[derive(Debug)]
pub(crate) struct GroupDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) title: Option<String>,
    pub(crate) fields: Vec<Placed<String>>,
}

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<GroupDecl> {
    let Some((table, span)) = top.table("groups", found) else { return Vec::new() };
    let groups = Reader::of_any_keys("the groups", table, span, text);
    let mut declared = Vec::new();
    for (key, item) in groups.entries() {
        let Some(name) = groups.key_id(key, found) else { continue };
        let DeValue::Table(table) = item.get_ref() else {
            groups.wrong_type(item, "a table such as `{ fields = [\"coins\"] }`", found);
            continue;
        };
        let reader = Reader::new("a group", table, name.span.clone(), &["title", "fields"], text, found);
        let title = reader.get("title").and_then(|item| reader.string(item, found)).map(str::to_string);
        reader.required("fields", found, "fields = [\"coins\"]");
        let fields = reader.texts("fields", found);
        if reader.list("fields", &mut Vec::new()).is_some_and(<[_]>::is_empty) {
            let message = format!("the group `{}` is empty", name.value);
            let finding = Finding::error(Code::MissingKey, name.span.clone(), message);
            found.push(finding.instead("name its fields, or leave it out"));
        }
        declared.push(GroupDecl { name, title, fields });
    }
    let names = declared.iter().map(|group| group.name.clone()).collect();
    let apart: Vec<_> = clashes("group", names, found).into_iter().map(|name| name.span).collect();
    declared.retain(|group| apart.contains(&group.name.span));
    declared
}
