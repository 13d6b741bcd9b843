//! `[[resets]]`: what of a profile one call erases, or keeps.

use std::ops::Range;

use toml::de::DeTable;

use super::table::Reader;
use super::{Placed, named_tables};
use crate::name::Name;
use crate::text::finding::{Code, Finding};

/// A reset as declared.
#[derive(Debug)]
pub(crate) struct ResetDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) title: Option<String>,
    pub(crate) keeps: bool,
    pub(crate) parts: Vec<Placed<String>>,
}

const KEYS: &[&str] = &["id", "title", "erases", "keeps"];

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<ResetDecl> {
    let each = |table: &DeTable<'_>, span, found: &mut _| one(table, span, text, found);
    let words = ("resets", "reset", "{ id = \"new_journey\", keeps = [\"unlocks\"] }");
    named_tables(top, words, each, |reset| &reset.name, found)
}

fn one(table: &DeTable<'_>, span: Range<usize>, text: &str, found: &mut Vec<Finding>) -> Option<ResetDecl> {
    let reader = Reader::new("a reset", table, span.clone(), KEYS, text, found);
    let name = reader.required("id", found, "id = \"new_journey\"").and_then(|item| reader.id(item, found));
    let title = reader.get("title").and_then(|item| reader.string(item, found)).map(str::to_string);
    let keeps = reader.get("keeps").is_some();
    if keeps == reader.get("erases").is_some() {
        let message = if keeps {
            "a reset has `erases` or `keeps`, not both"
        } else {
            "a reset needs `erases` or `keeps`"
        };
        let finding =
            Finding::error(Code::MissingKey, if keeps { reader.key_span("keeps") } else { span }, message);
        found.push(finding.instead("write `erases = [\"facts\"]`, or `keeps` with what stays"));
        return None;
    }
    let parts = reader.texts(if keeps { "keeps" } else { "erases" }, found);
    Some(ResetDecl { name: name?, title, keeps, parts })
}
