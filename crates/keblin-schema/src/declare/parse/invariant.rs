//! `[[invariants]]`: conditions that must always be true.

use std::ops::Range;

use toml::de::DeTable;

use super::level::{ConditionDecl, condition};
use super::table::Reader;
use super::{Placed, named_tables};
use crate::model::InvariantDef;
use crate::name::Name;
use crate::text::finding::Finding;

/// An invariant as declared.
#[derive(Debug)]
pub(crate) struct InvariantDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) about: Option<String>,
    pub(crate) holds: Option<ConditionDecl>,
}

impl InvariantDecl {
    /// Returns the invariant before its rule is compiled.
    pub(crate) fn def(&self) -> InvariantDef {
        InvariantDef { name: self.name.value.clone(), about: self.about.clone(), holds: None }
    }
}

const KEYS: &[&str] = &["id", "about", "holds"];

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<InvariantDecl> {
    let each = |table: &DeTable<'_>, span, found: &mut _| one(table, span, text, found);
    let words = ("invariants", "invariant", "{ id = \"oil_fits\", holds = \"…\" }");
    named_tables(top, words, each, |invariant| &invariant.name, found)
}

fn one(
    table: &DeTable<'_>,
    span: Range<usize>,
    text: &str,
    found: &mut Vec<Finding>,
) -> Option<InvariantDecl> {
    let reader = Reader::new("an invariant", table, span, KEYS, text, found);
    let name = reader.required("id", found, "id = \"oil_fits\"").and_then(|item| reader.id(item, found));
    let holds = reader.required("holds", found, "holds = \"oil <= oil_cap\"");
    let holds = holds.and_then(|item| condition(&reader, item, found));
    let about = reader.get("about").and_then(|item| reader.string(item, found)).map(str::to_string);
    Some(InvariantDecl { name: name?, about, holds })
}
