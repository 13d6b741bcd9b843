//! `[lists]`: closed lists of ids, as axes of fields and as types of values.

use super::table::Reader;
use super::{Placed, clashes};
use crate::model::ListDef;
use crate::name::Name;
use crate::text::finding::{Code, Finding};
use crate::value::kind::{Ids, Kind};

/// A closed list as declared.
#[derive(Clone, Debug)]
pub(crate) struct ListDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) items: Vec<Placed<Name>>,
}

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<ListDecl> {
    let Some((table, span)) = top.table("lists", found) else { return Vec::new() };
    let lists = Reader::of_any_keys("the lists", table, span, text);
    let mut declared = Vec::new();
    for (key, _) in lists.entries() {
        let Some(name) = lists.key_id(key, found) else { continue };
        // These words mean something else wherever a list is named.
        let is_word = |word: &&str| *word == name.value.as_str();
        let taken = [
            (Ids::BUILT_IN.iter().any(|(word, _)| is_word(word)), "a built-in list"),
            (Kind::PLAIN.iter().any(|(word, _)| is_word(word)), "the name of a type"),
        ];
        if let Some((_, what)) = taken.iter().find(|(taken, _)| *taken) {
            let message = format!("`{}` is {what}", name.value);
            found.push(Finding::error(Code::SameId, name.span, message).instead("give the list another id"));
            continue;
        }
        let items = lists.items(key.get_ref(), found);
        if items.is_empty() && lists.list(key.get_ref(), &mut Vec::new()).is_some_and(<[_]>::is_empty) {
            let message = format!("the list `{}` is empty", name.value);
            let finding = Finding::error(Code::MissingKey, name.span.clone(), message);
            found.push(finding.instead("add items, or leave it out"));
        }
        declared.push(ListDecl { name, items });
    }
    let names = declared.iter().map(|list| list.name.clone()).collect();
    let apart: Vec<_> = clashes("list", names, found).into_iter().map(|name| name.span).collect();
    declared.retain(|list| apart.contains(&list.name.span));
    declared
}

impl ListDecl {
    pub(crate) fn def(&self) -> ListDef {
        ListDef {
            name: self.name.value.clone(),
            items: self.items.iter().map(|item| item.value.clone()).collect(),
        }
    }
}
