//! `[[unlocks]]`: everything to unlock that is not a level.

use std::ops::Range;

use toml::de::DeTable;

use super::level::{ConditionDecl, condition};
use super::table::Reader;
use super::{Placed, named_tables};
use crate::model::UnlockDef;
use crate::text::finding::Finding;
use crate::text::name::Name;

/// An unlock as declared.
#[derive(Debug)]
pub(crate) struct UnlockDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) title: Option<String>,
    pub(crate) when: Option<ConditionDecl>,
    pub(crate) latch: bool,
}

impl UnlockDecl {
    /// Returns the unlock before its rule is compiled.
    pub(crate) fn def(&self) -> UnlockDef {
        UnlockDef {
            name: self.name.value.clone(),
            title: self.title.clone().unwrap_or_else(|| self.name.value.to_string()),
            when: None,
            latch: self.latch,
        }
    }
}

const KEYS: &[&str] = &["id", "title", "when", "latch"];

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<UnlockDecl> {
    let each = |table: &DeTable<'_>, span, found: &mut _| one(table, span, text, found);
    let words = ("unlocks", "unlock", "{ id = \"fog_lamp\", when = \"…\" }");
    named_tables(top, words, each, |unlock| &unlock.name, found)
}

fn one(table: &DeTable<'_>, span: Range<usize>, text: &str, found: &mut Vec<Finding>) -> Option<UnlockDecl> {
    let reader = Reader::new("an unlock", table, span, KEYS, text, found);
    let name = reader.required("id", found, "id = \"fog_lamp\"").and_then(|item| reader.id(item, found));
    let when = reader.required("when", found, "when = \"totals.all.stars >= 8\"");
    let when = when.and_then(|item| condition(&reader, item, found));
    let title = reader.get("title").and_then(|item| reader.string(item, found)).map(str::to_string);
    let latch = reader.yes_or_no("latch", found);
    Some(UnlockDecl { name: name?, title, when, latch: latch.unwrap_or(false) })
}
