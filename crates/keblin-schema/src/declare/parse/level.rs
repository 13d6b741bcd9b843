//! `[[levels]]` and `[lives]`.

use std::ops::Range;

use toml::de::DeTable;

use super::star::{StarsDecl, stars};
use super::table::{Item, Reader};
use super::{Placed, named_tables};
use crate::model::{AtZero, CheckpointOrder, LevelDef};
use crate::text::finding::Finding;
use crate::text::name::Name;

/// A level as declared.
#[derive(Debug)]
pub(crate) struct LevelDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) title: Option<String>,
    pub(crate) checkpoints: Vec<Placed<Name>>,
    pub(crate) checkpoint_order: CheckpointOrder,
    pub(crate) stars: StarsDecl,
    pub(crate) unlock: Option<ConditionDecl>,
}

impl LevelDecl {
    /// Returns the level before its rules are compiled.
    pub(crate) fn def(&self) -> LevelDef {
        LevelDef {
            name: self.name.value.clone(),
            title: self.title.clone().unwrap_or_else(|| self.name.value.to_string()),
            checkpoints: self.checkpoints.iter().map(|checkpoint| checkpoint.value.clone()).collect(),
            checkpoint_order: self.checkpoint_order,
            stars: match &self.stars {
                StarsDecl::Given(stars) => *stars,
                StarsDecl::Rules { rules, .. } => u8::try_from(rules.len()).unwrap_or(u8::MAX),
            },
            star_rules: Vec::new(),
            star_ids: match &self.stars {
                StarsDecl::Given(_) => Vec::new(),
                StarsDecl::Rules { ids, .. } => ids.iter().map(|id| id.value.clone()).collect(),
            },
            unlock: None,
        }
    }
}

/// The text of a condition and its place.
#[derive(Clone, Debug)]
pub(crate) struct ConditionDecl {
    pub(crate) text: String,
    /// The place of the whole value, with its quotes.
    pub(crate) span: Range<usize>,
    /// The place of the condition's first character; `None` if escapes move its characters.
    pub(crate) text_start: Option<usize>,
}

/// The lives rule as declared.
#[derive(Debug)]
pub(crate) struct LivesDecl {
    pub(crate) field: Option<Placed<String>>,
    pub(crate) at_zero: AtZero,
}

const LEVEL_KEYS: &[&str] = &["id", "title", "checkpoints", "checkpoint_order", "stars", "unlock"];
const LIVES_KEYS: &[&str] = &["field", "at_zero"];

pub(super) fn all(top: &Reader<'_, '_>, text: &str, found: &mut Vec<Finding>) -> Vec<LevelDecl> {
    let each = |table: &DeTable<'_>, span, found: &mut _| one(table, span, text, found);
    named_tables(top, ("levels", "level", "{ id = \"first\" }"), each, |level| &level.name, found)
}

fn one(table: &DeTable<'_>, span: Range<usize>, text: &str, found: &mut Vec<Finding>) -> Option<LevelDecl> {
    let reader = Reader::new("a level", table, span, LEVEL_KEYS, text, found);
    let name = reader.required("id", found, "id = \"first\"").and_then(|item| reader.id(item, found));
    let title = reader.get("title").and_then(|item| reader.string(item, found)).map(str::to_string);
    let checkpoints = reader.ids("checkpoints", "checkpoint", found);
    let checkpoint_order = reader
        .one_of("checkpoint_order", CheckpointOrder::ALL, CheckpointOrder::as_str, found)
        .unwrap_or(CheckpointOrder::Furthest);
    let stars = stars(&reader, found);
    let unlock = unlock(&reader, found);
    Some(LevelDecl { name: name?, title, checkpoints, checkpoint_order, stars, unlock })
}

fn unlock(reader: &Reader<'_, '_>, found: &mut Vec<Finding>) -> Option<ConditionDecl> {
    condition(reader, reader.get("unlock")?, found)
}

/// Reads a text that should be a condition.
pub(crate) fn condition(
    reader: &Reader<'_, '_>,
    item: &Item<'_>,
    found: &mut Vec<Finding>,
) -> Option<ConditionDecl> {
    let Some(text) = item.get_ref().as_str() else {
        reader.wrong_type(item, "a condition as a text", found);
        return None;
    };
    let span = item.span();
    let written_plainly = reader.text().get(span.start + 1..).is_some_and(|rest| rest.starts_with(text));
    let text_start = written_plainly.then_some(span.start + 1);
    Some(ConditionDecl { text: text.to_string(), span, text_start })
}

pub(super) fn lives(
    table: &DeTable<'_>,
    span: Range<usize>,
    text: &str,
    found: &mut Vec<Finding>,
) -> LivesDecl {
    let reader = Reader::new("the lives rule", table, span, LIVES_KEYS, text, found);
    let field = reader.required("field", found, "field = \"lives\"");
    LivesDecl {
        field: field
            .and_then(|item| Some((reader.string(item, found)?, item.span())))
            .map(|(value, span)| Placed { value: value.to_string(), span }),
        at_zero: reader.one_of("at_zero", AtZero::ALL, AtZero::as_str, found).unwrap_or(AtZero::EndRun),
    }
}
