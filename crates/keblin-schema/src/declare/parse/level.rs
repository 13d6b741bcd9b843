//! `[[levels]]` and `[lives]`: what each entry says. `chapter` puts the levels in order.

use std::ops::Range;

use toml::de::DeTable;

use super::constant;
use super::star::{StarsDecl, stars};
use super::table::{Item, Reader};
use super::{Placed, named_tables};
use crate::model::{AtZero, CheckpointOrder, ConstantDef, LevelDef};
use crate::name::Name;
use crate::text::finding::Finding;
use crate::value::Value;

/// What an entry of `[[levels]]` says, or a chapter says for all levels that it makes.
#[derive(Clone, Debug, Default)]
pub(super) struct LevelKeys {
    pub(super) title: Option<String>,
    pub(super) checkpoints: Option<Vec<Placed<Name>>>,
    pub(super) checkpoint_order: Option<CheckpointOrder>,
    pub(super) stars: Option<StarsDecl>,
    pub(super) unlock: Option<ConditionDecl>,
    pub(super) latch: Option<bool>,
    pub(super) counted: Option<bool>,
    pub(super) next: Option<Vec<Placed<String>>>,
    /// By position among the constants.
    pub(super) constants: Vec<Option<Value>>,
}

/// An entry of `[[levels]]`.
#[derive(Debug)]
pub(super) struct LevelEntry {
    pub(super) name: Placed<Name>,
    pub(super) chapter: Option<Placed<String>>,
    /// The level that it comes after.
    pub(super) after: Option<Placed<String>>,
    pub(super) keys: LevelKeys,
}

/// A level as declared: by its own entry, by its chapter, or by both.
#[derive(Debug)]
pub(crate) struct LevelDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) title: String,
    pub(crate) checkpoints: Vec<Placed<Name>>,
    pub(crate) checkpoint_order: CheckpointOrder,
    pub(crate) stars: StarsDecl,
    pub(crate) unlock: Option<ConditionDecl>,
    /// As a position among the chapters.
    pub(crate) chapter: Option<usize>,
    pub(crate) latch: bool,
    pub(crate) counted: bool,
    /// As positions among the levels.
    pub(crate) next: Option<Vec<usize>>,
    pub(crate) constants: Vec<Value>,
}

impl LevelKeys {
    /// Returns these keys, with those of another entry in place of the same ones.
    pub(super) fn with(self, other: LevelKeys) -> LevelKeys {
        let constants = self.constants.into_iter().zip(other.constants);
        LevelKeys {
            title: other.title.or(self.title),
            checkpoints: other.checkpoints.or(self.checkpoints),
            checkpoint_order: other.checkpoint_order.or(self.checkpoint_order),
            stars: other.stars.or(self.stars),
            unlock: other.unlock.or(self.unlock),
            latch: other.latch.or(self.latch),
            counted: other.counted.or(self.counted),
            next: other.next.or(self.next),
            constants: constants.map(|(own, other)| other.or(own)).collect(),
        }
    }

    /// Returns the level that they declare; the levels that come next are not known yet.
    pub(super) fn level(
        self,
        name: Placed<Name>,
        chapter: Option<usize>,
        constants: &[ConstantDef],
    ) -> LevelDecl {
        let constants = self.constants.into_iter().zip(constants);
        LevelDecl {
            title: self.title.unwrap_or_else(|| name.value.to_string()),
            name,
            checkpoints: self.checkpoints.unwrap_or_default(),
            checkpoint_order: self.checkpoint_order.unwrap_or(CheckpointOrder::Furthest),
            stars: self.stars.unwrap_or(StarsDecl::Given(0)),
            unlock: self.unlock,
            chapter,
            latch: self.latch.unwrap_or(false),
            counted: self.counted.unwrap_or(true),
            next: None,
            constants: constants.map(|(value, def)| value.unwrap_or_else(|| def.default.clone())).collect(),
        }
    }
}

impl LevelDecl {
    /// Returns the level before its rules are compiled.
    pub(crate) fn def(&self) -> LevelDef {
        LevelDef {
            name: self.name.value.clone(),
            title: self.title.clone(),
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
            lock: None,
            chapter: self.chapter,
            latch: self.latch,
            counted: self.counted,
            next: self.next.clone(),
            constants: self.constants.clone(),
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

const ENTRY_KEYS: [&str; 3] = ["id", "chapter", "after"];
const LEVEL_KEYS: [&str; 8] =
    ["title", "checkpoints", "checkpoint_order", "stars", "unlock", "latch", "counted", "next"];
const LIVES_KEYS: &[&str] = &["field", "at_zero"];

/// Returns the keys of a level, with those of some place.
pub(super) fn known_keys<'k>(own: &[&'k str], constants: &'k [ConstantDef]) -> Vec<&'k str> {
    let constants = constants.iter().map(|constant| constant.name.as_str());
    own.iter().copied().chain(LEVEL_KEYS).chain(constants).collect()
}

/// Returns whether a word is a key of a level, so that a constant cannot have it as its id.
pub(super) fn is_key(word: &str) -> bool {
    ENTRY_KEYS.iter().chain(&LEVEL_KEYS).any(|key| *key == word)
}

pub(super) fn entries(
    top: &Reader<'_, '_>,
    constants: &[ConstantDef],
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<LevelEntry> {
    let known = known_keys(&ENTRY_KEYS, constants);
    let each = |table: &DeTable<'_>, span: Range<usize>, found: &mut Vec<Finding>| {
        let reader = Reader::new("a level", table, span, &known, text, found);
        let name = reader.required("id", found, "id = \"first\"").and_then(|item| reader.id(item, found));
        Some(LevelEntry {
            chapter: reader.placed_text("chapter", found),
            after: reader.placed_text("after", found),
            keys: keys(&reader, constants, found),
            name: name?,
        })
    };
    named_tables(top, ("levels", "level", "{ id = \"first\" }"), each, |level| &level.name, found)
}

/// Reads the keys that a level and a chapter's levels have in common.
pub(super) fn keys(
    reader: &Reader<'_, '_>,
    constants: &[ConstantDef],
    found: &mut Vec<Finding>,
) -> LevelKeys {
    let given = |key: &str| reader.get(key).is_some();
    let next = reader.list("next", found);
    LevelKeys {
        title: reader.get("title").and_then(|item| reader.string(item, found)).map(str::to_string),
        checkpoints: given("checkpoints").then(|| reader.ids("checkpoints", "checkpoint", found)),
        checkpoint_order: reader.one_of(
            "checkpoint_order",
            CheckpointOrder::ALL,
            CheckpointOrder::as_str,
            found,
        ),
        stars: given("stars").then(|| stars(reader, found)),
        unlock: reader.get("unlock").and_then(|item| condition(reader, item, found)),
        latch: reader.yes_or_no("latch", found),
        counted: reader.yes_or_no("counted", found),
        next: next.map(|items| items.iter().filter_map(|item| reader.placed(item, found)).collect()),
        constants: constants.iter().map(|constant| constant::of_level(reader, constant, found)).collect(),
    }
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
    // After one quote, or after three.
    let starts = [span.start + 1, span.start + 3].into_iter();
    let text_start =
        starts.rev().find(|start| reader.text().get(*start..).is_some_and(|rest| rest.starts_with(text)));
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
