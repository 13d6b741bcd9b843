//! `[lists]`: closed lists of ids, an axis for fields and a type for their values.

use super::table::Reader;
use super::{Placed, clashes};
use crate::finding::{Code, Finding};
use crate::name::Name;

/// A closed list as declared.
#[derive(Clone, Debug)]
pub(crate) struct ListDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) items: Vec<Placed<Name>>,
}

/// Names with a meaning of their own where a list can be named.
const TAKEN: [&str; 3] = ["checkpoints", "difficulties", "unlocks"];

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<ListDecl> {
    let Some((table, span)) = top.table("lists", found) else { return Vec::new() };
    // Lists have no fixed keys, so the reader that names them is told all of them.
    let all_names: Vec<&str> = table.keys().map(|key| key.get_ref().as_ref()).collect();
    let lists = Reader::new("the lists", table, span, &all_names, text, found);
    let mut declared = Vec::new();
    for (key, _) in lists.entries() {
        let Some(name) = lists.key_id(key, found) else { continue };
        if TAKEN.contains(&name.value.as_str()) {
            let message = format!("`{}` is a list of its own already", name.value);
            found.push(Finding::error(Code::SameId, name.span, message).instead("give it another id"));
            continue;
        }
        let items = lists.ids(key.get_ref(), "item", found);
        if items.is_empty() && lists.list(key.get_ref(), &mut Vec::new()).is_some_and(<[_]>::is_empty) {
            let message = format!("the list `{}` has no items", name.value);
            let finding = Finding::error(Code::MissingKey, name.span.clone(), message);
            found.push(finding.instead("name some, or leave it out"));
        }
        declared.push(ListDecl { name, items });
    }
    let names = declared.iter().map(|list| list.name.clone()).collect();
    let apart: Vec<_> = clashes("list", names, found).into_iter().map(|name| name.span).collect();
    declared.retain(|list| apart.contains(&list.name.span));
    declared
}
