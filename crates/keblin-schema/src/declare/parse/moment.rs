//! `[[moments]]`: conditions that are reported once when they become true.

use std::ops::Range;

use toml::de::DeTable;

use super::level::{ConditionDecl, condition};
use super::table::Reader;
use super::{Placed, named_tables};
use crate::model::{Again, MomentDef};
use crate::name::Name;
use crate::text::finding::Finding;

/// A moment as declared.
#[derive(Debug)]
pub(crate) struct MomentDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) about: Option<String>,
    pub(crate) when: Option<ConditionDecl>,
    pub(crate) again: Again,
}

impl MomentDecl {
    /// Returns the moment before its rule is compiled.
    pub(crate) fn def(&self) -> MomentDef {
        MomentDef { name: self.name.value.clone(), about: self.about.clone(), when: None, again: self.again }
    }
}

const KEYS: &[&str] = &["id", "about", "when", "again"];

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<MomentDecl> {
    let each = |table: &DeTable<'_>, span, found: &mut _| one(table, span, text, found);
    let words = ("moments", "moment", "{ id = \"lamp_out\", when = \"…\" }");
    named_tables(top, words, each, |moment| &moment.name, found)
}

fn one(table: &DeTable<'_>, span: Range<usize>, text: &str, found: &mut Vec<Finding>) -> Option<MomentDecl> {
    let reader = Reader::new("a moment", table, span, KEYS, text, found);
    let name = reader.required("id", found, "id = \"lamp_out\"").and_then(|item| reader.id(item, found));
    let when = reader.required("when", found, "when = \"oil == 0\"");
    let when = when.and_then(|item| condition(&reader, item, found));
    let about = reader.get("about").and_then(|item| reader.string(item, found)).map(str::to_string);
    let again = reader.one_of("again", Again::ALL, Again::as_str, found);
    Some(MomentDecl { name: name?, about, when, again: again.unwrap_or(Again::EachTime) })
}
