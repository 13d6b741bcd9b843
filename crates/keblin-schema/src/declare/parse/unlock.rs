//! `[[unlocks]]`: everything to unlock that is not a level.

use std::ops::Range;

use toml::de::{DeTable, DeValue};

use super::level::{ConditionDecl, condition};
use super::table::Reader;
use super::{Placed, named_tables};
use crate::model::UnlockDef;
use crate::name::Name;
use crate::text::finding::{Code, Finding};
use crate::value::Value;

/// An unlock as declared.
#[derive(Debug)]
pub(crate) struct UnlockDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) title: Option<String>,
    pub(crate) when: Option<ConditionDecl>,
    pub(crate) latch: bool,
    /// What it costs: fields, and how much of each.
    pub(crate) costs: Vec<(Placed<String>, Placed<Value>)>,
}

impl UnlockDecl {
    /// Returns the unlock before its rule is compiled.
    pub(crate) fn def(&self) -> UnlockDef {
        UnlockDef {
            name: self.name.value.clone(),
            title: self.title.clone().unwrap_or_else(|| self.name.value.to_string()),
            when: None,
            // What is bought is given for good.
            latch: self.latch || !self.costs.is_empty(),
            costs: Vec::new(),
        }
    }
}

const KEYS: &[&str] = &["id", "title", "when", "latch", "costs"];

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<UnlockDecl> {
    let each = |table: &DeTable<'_>, span, found: &mut _| one(table, span, text, found);
    let words = ("unlocks", "unlock", "{ id = \"fog_lamp\", when = \"…\" }");
    named_tables(top, words, each, |unlock| &unlock.name, found)
}

fn one(table: &DeTable<'_>, span: Range<usize>, text: &str, found: &mut Vec<Finding>) -> Option<UnlockDecl> {
    let reader = Reader::new("an unlock", table, span, KEYS, text, found);
    let name = reader.required("id", found, "id = \"fog_lamp\"").and_then(|item| reader.id(item, found));
    let costs = costs(&reader, text, found);
    // What is bought need not ask for anything else.
    let when = match costs.is_empty() {
        true => reader.required("when", found, "when = \"totals.all.stars >= 8\""),
        false => reader.get("when"),
    };
    let when = when.and_then(|item| condition(&reader, item, found));
    let title = reader.get("title").and_then(|item| reader.string(item, found)).map(str::to_string);
    let latch = reader.yes_or_no("latch", found);
    Some(UnlockDecl { name: name?, title, when, latch: latch.unwrap_or(false), costs })
}

/// Reads `costs = { coppers = 80 }`. What the fields are is checked later.
fn costs(
    reader: &Reader<'_, '_>,
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<(Placed<String>, Placed<Value>)> {
    let Some((table, span)) = reader.table("costs", found) else { return Vec::new() };
    let prices = Reader::of_any_keys("the costs", table, span.clone(), text);
    let mut costs = Vec::new();
    for (name, item) in prices.entries() {
        let value = match item.get_ref() {
            DeValue::Integer(_) => prices.integer(item, found).map(Value::Int),
            DeValue::Float(digits) => digits.as_str().replace('_', "").parse().ok().and_then(Value::float),
            DeValue::String(time) => time.parse().ok().map(Value::Time),
            _ => None,
        };
        // What costs nothing is free without a price.
        let is_price = |value: &Value| value.negated().is_negative();
        match value.filter(is_price) {
            Some(value) => costs.push((
                Placed { value: name.get_ref().to_string(), span: name.span() },
                Placed { value, span: item.span() },
            )),
            None => {
                prices.wrong_type(item, "a price: a number, or a time such as \"90s\", of more than 0", found)
            }
        }
    }
    if costs.is_empty() && table.is_empty() {
        let finding = Finding::error(Code::MissingKey, span, "`costs` does not name any field");
        found.push(finding.instead("write `costs = { coppers = 80 }`, or leave it out"));
    }
    costs
}
