//! Ids and lists of ids: each checked by itself, and against the others of its list.

use std::ops::Range;

use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue};

use super::Placed;
use super::table::{Item, Reader};
use crate::finding::{Code, Finding, Severity};
use crate::name::{Name, one_letter_apart, repaired, same_to_a_reader};

impl<'a, 'i> Reader<'a, 'i> {
    /// The value of a key as an id.
    pub(super) fn id(&self, item: &'a Item<'i>, found: &mut Vec<Finding>) -> Option<Placed<Name>> {
        placed(self.string(item, found)?, item.span(), found)
    }

    /// A key as an id.
    pub(super) fn key_id(
        &self,
        key: &Spanned<DeString<'i>>,
        found: &mut Vec<Finding>,
    ) -> Option<Placed<Name>> {
        placed(key.get_ref(), key.span(), found)
    }

    /// A key that takes a list of ids, which may not clash; `what` is one of them, in complaints.
    pub(super) fn ids(&self, key: &str, what: &str, found: &mut Vec<Finding>) -> Vec<Placed<Name>> {
        let items = self.list(key, found).unwrap_or_default();
        let ids = items.iter().filter_map(|item| self.id(item, found)).collect();
        clashes(what, ids, found)
    }
}

fn placed(text: &str, span: Range<usize>, found: &mut Vec<Finding>) -> Option<Placed<Name>> {
    match Name::new(text) {
        Ok(value) => Some(Placed { value, span }),
        Err(fault) => {
            let finding = Finding::error(Code::BadId, span, format!("`{text}` is not an id: {fault}"));
            found.push(match repaired(text) {
                Some(id) => finding.instead(format!("write `{id}`")),
                None => finding,
            });
            None
        }
    }
}

/// Complains about ids of one list that a person cannot keep apart, and leaves the later ones out.
pub(crate) fn clashes(what: &str, ids: Vec<Placed<Name>>, found: &mut Vec<Finding>) -> Vec<Placed<Name>> {
    let mut apart: Vec<Placed<Name>> = Vec::new();
    for id in ids {
        let name = id.value.as_str();
        if let Some(other) = apart.iter().find(|other| same_to_a_reader(other.value.as_str(), name)) {
            let message = format!("{what} `{name}` is the same to a reader as `{}`", other.value);
            let finding = Finding::error(Code::SameId, id.span.clone(), message);
            found.push(finding.instead("give one of them another id, or leave one out"));
            continue;
        }
        if let Some(other) = apart.iter().find(|other| one_letter_apart(other.value.as_str(), name)) {
            let message = format!("{what} `{name}` is one letter away from `{}`", other.value);
            let finding = Finding::error(Code::NearId, id.span.clone(), message).as_severity(Severity::Hint);
            found.push(finding.instead("if both are meant, all is well"));
        }
        apart.push(id);
    }
    apart
}

/// A list of tables that have an id each, such as `[[levels]]`: every well-formed one whose id does not clash with one
/// before it. The words are the key, what one of them is called, and an example of one.
pub(super) fn named_tables<T>(
    top: &Reader<'_, '_>,
    (key, what, example): (&str, &str, &str),
    one: impl Fn(&DeTable<'_>, Range<usize>, &mut Vec<Finding>) -> Option<T>,
    name: impl Fn(&T) -> &Placed<Name>,
    found: &mut Vec<Finding>,
) -> Vec<T> {
    let mut declared = Vec::new();
    for item in top.list(key, found).unwrap_or_default() {
        match item.get_ref() {
            DeValue::Table(table) => declared.extend(one(table, item.span(), found)),
            _ => top.wrong_type(item, &format!("a table such as `{example}`"), found),
        }
    }
    let names = declared.iter().map(|one| name(one).clone()).collect();
    let apart: Vec<_> = clashes(what, names, found).into_iter().map(|name| name.span).collect();
    declared.retain(|one| apart.contains(&name(one).span));
    declared
}
