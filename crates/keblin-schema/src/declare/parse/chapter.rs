//! `[[chapters]]`: some levels with a title and a lock of their own, and levels by the dozen. Puts all levels in order.

use std::cell::Cell;
use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::Range;

use toml::de::{DeTable, DeValue};

use super::level::{ConditionDecl, LevelDecl, LevelEntry, LevelKeys, condition, keys, known_keys};
use super::table::{Item, Reader};
use super::{Placed, constant, named_tables};
use crate::model::{ChapterDef, ConstantDef};
use crate::name::{Name, nearest};
use crate::text::finding::{Code, Finding};
use crate::value::Value;

/// A chapter as declared.
#[derive(Debug)]
pub(crate) struct ChapterDecl {
    pub(crate) name: Placed<Name>,
    pub(crate) title: String,
    pub(crate) unlock: Option<ConditionDecl>,
    /// The levels that it makes.
    made: Vec<(Placed<Name>, LevelKeys)>,
}

const KEYS: &[&str] = &["id", "title", "unlock", "levels"];
const MADE_KEYS: [&str; 2] = ["prefix", "count"];

/// The most levels that one chapter can make, and all chapters together.
const MAX_MADE: usize = 9999;

impl ChapterDecl {
    /// Returns the chapter before its rule is compiled.
    pub(crate) fn def(&self) -> ChapterDef {
        ChapterDef { name: self.name.value.clone(), title: self.title.clone(), unlock: None }
    }
}

pub(super) fn all(
    top: &Reader<'_, '_>,
    constants: &[ConstantDef],
    text: &str,
    found: &mut Vec<Finding>,
) -> Vec<ChapterDecl> {
    let made_before = Cell::new(0);
    let each = |table: &DeTable<'_>, span: Range<usize>, found: &mut Vec<Finding>| {
        let reader = Reader::new("a chapter", table, span, KEYS, text, found);
        let name = reader.required("id", found, "id = \"fens\"").and_then(|item| reader.id(item, found))?;
        let title = reader.get("title").and_then(|item| reader.string(item, found));
        let title = title.map_or_else(|| name.value.to_string(), str::to_string);
        let made = reader.table("levels", found);
        let made = made.map(|(table, span)| {
            let known = known_keys(&MADE_KEYS, constants);
            make(
                &Reader::new("the levels of a chapter", table, span, &known, text, found),
                &title,
                constants,
                &made_before,
                found,
            )
        });
        let unlock = reader.get("unlock").and_then(|item| condition(&reader, item, found));
        Some(ChapterDecl { name, title, unlock, made: made.unwrap_or_default() })
    };
    let words = ("chapters", "chapter", "{ id = \"fens\" }");
    named_tables(top, words, each, |chapter| &chapter.name, found)
}

/// Makes the levels of `levels = { prefix = "fens_", count = 24 }`: `fens_01` and so on.
fn make(
    reader: &Reader<'_, '_>,
    title: &str,
    constants: &[ConstantDef],
    made_before: &Cell<usize>,
    found: &mut Vec<Finding>,
) -> Vec<(Placed<Name>, LevelKeys)> {
    let prefix = reader.required("prefix", found, "prefix = \"fens_\"");
    let prefix = prefix.and_then(|item| reader.placed(item, found));
    let count = reader.required("count", found, "count = 24").and_then(|item| {
        let number = reader.integer(item, found)?;
        let count = usize::try_from(number).ok().filter(|count| (1..=MAX_MADE).contains(count));
        if count.is_none() {
            let message = format!("`count` must be from 1 to {MAX_MADE}, but found {number}");
            found.push(Finding::error(Code::OutOfRange, item.span(), message));
        }
        let all = made_before.get() + count?;
        if all > MAX_MADE {
            let message =
                format!("chapters can make at most {MAX_MADE} levels, and with this one it is {all}");
            found.push(Finding::error(Code::OutOfRange, item.span(), message));
            return None;
        }
        made_before.set(all);
        count
    });
    // A constant with one value for each level is a list.
    let (listed, single): (Vec<_>, Vec<_>) = constants.iter().partition(|constant| is_list(reader, constant));
    let single: Vec<ConstantDef> = single.into_iter().cloned().collect();
    let read = keys(reader, &single, found);
    let (Some(prefix), Some(count)) = (prefix, count) else { return Vec::new() };
    let lists: BTreeMap<&str, Vec<_>> = listed
        .into_iter()
        .map(|constant| (constant.name.as_str(), list(reader, constant, count, found)))
        .collect();
    let width = count.to_string().len().max(2);
    let mut made = Vec::new();
    for number in 1..=count {
        let id = format!("{}{number:0width$}", prefix.value);
        let name = match Name::new(&id) {
            Ok(value) => Placed { value, span: prefix.span.clone() },
            Err(fault) => {
                let message = format!("`{id}` is not an id: {fault}");
                found.push(Finding::error(Code::BadId, prefix.span.clone(), message));
                break;
            }
        };
        let value = |constant: &ConstantDef| match lists.get(constant.name.as_str()) {
            Some(values) => values.get(number - 1).cloned().flatten(),
            None => {
                let at = single.iter().position(|single| single.name == constant.name)?;
                read.constants.get(at).cloned().flatten()
            }
        };
        let title = Some(format!("{} {number}", read.title.as_deref().unwrap_or(title)));
        let constants = constants.iter().map(value).collect();
        made.push((name, LevelKeys { title, constants, ..read.clone() }));
    }
    made
}

fn is_list(reader: &Reader<'_, '_>, constant: &ConstantDef) -> bool {
    reader.get(constant.name.as_str()).is_some_and(|item| matches!(item.get_ref(), DeValue::Array(_)))
}

/// Reads the values that a chapter lists for a constant.
fn list(
    reader: &Reader<'_, '_>,
    constant: &ConstantDef,
    count: usize,
    found: &mut Vec<Finding>,
) -> Vec<Option<Value>> {
    let key = constant.name.as_str();
    let items: &[Item<'_>] = reader.list(key, found).unwrap_or_default();
    if items.len() != count {
        let message = format!(
            "`{key}` needs {count} values, one for each level of the chapter, but found {}",
            items.len()
        );
        let finding = Finding::error(Code::OutOfRange, reader.key_span(key), message);
        found.push(finding.instead("add the others, or write one value for all levels"));
    }
    items.iter().map(|item| constant::of_item(reader, constant, item, found)).collect()
}

/// Puts the levels in order: first the entries of `[[levels]]`, then the levels that each chapter makes, and every entry
/// with `after` after the level that it names. An entry with the id of a made level changes that level.
pub(super) fn in_order(
    chapters: &[ChapterDecl],
    entries: Vec<LevelEntry>,
    constants: &[ConstantDef],
    found: &mut Vec<Finding>,
) -> Vec<LevelDecl> {
    let mut made: Vec<(Placed<Name>, usize, LevelKeys)> = Vec::new();
    let mut places: HashMap<Name, usize> = HashMap::new();
    for (index, chapter) in chapters.iter().enumerate() {
        for (name, keys) in &chapter.made {
            if !places.contains_key(&name.value) {
                places.insert(name.value.clone(), made.len());
                made.push((name.clone(), index, keys.clone()));
                continue;
            }
            let message = format!("level `{}` is made by two chapters", name.value);
            let finding = Finding::error(Code::SameId, name.span.clone(), message);
            found.push(finding.instead("give one of the chapters another `prefix`"));
            break;
        }
    }
    let (mut first, mut put_in, mut nexts) = (Vec::new(), Vec::new(), Vec::new());
    for entry in entries {
        let chapter = entry.chapter.as_ref().and_then(|chapter| of_chapter(chapters, chapter, found));
        nexts.extend(entry.keys.next.clone().map(|next| (entry.name.value.clone(), next)));
        let place = places.get(&entry.name.value);
        if let Some((_, _, keys)) = place.and_then(|place| made.get_mut(*place)) {
            for key in [&entry.chapter, &entry.after].into_iter().flatten() {
                let message = "the chapter that makes this level says where it is";
                let finding = Finding::error(Code::MeaninglessKey, key.span.clone(), message);
                found.push(finding.instead("leave it out"));
            }
            *keys = std::mem::take(keys).with(entry.keys);
        } else if let Some(after) = entry.after {
            put_in.push((after, chapter, entry.name, entry.keys));
        } else {
            let makes = chapter.and_then(|chapter| chapters.get(chapter)).filter(|own| !own.made.is_empty());
            if let (Some(own), Some(key)) = (makes, &entry.chapter) {
                let message =
                    format!("`{}` makes levels; say which of them this level comes after", own.name.value);
                let finding = Finding::error(Code::MissingKey, key.span.clone(), message);
                let last = own.made.last().map_or("LEVEL", |(name, _)| name.value.as_str());
                found.push(finding.instead(format!("add `after = \"{last}\"`")));
            }
            first.push(entry.keys.level(entry.name, chapter, constants));
        }
    }
    let made = made.into_iter().map(|(name, chapter, keys)| keys.level(name, Some(chapter), constants));
    let mut levels: Vec<LevelDecl> = first.into_iter().chain(made).collect();
    put_levels_in(&mut levels, put_in, constants, found);
    name_next(&mut levels, nexts, found);
    levels
}

/// An entry with `after`: the level that it names, the chapter, and the rest.
type PutIn = (Placed<String>, Option<usize>, Placed<Name>, LevelKeys);

/// Puts each level right after the one that it names, or after those that were put there before. A level may name
/// another one that is put in, wherever that is declared.
fn put_levels_in(
    levels: &mut Vec<LevelDecl>,
    mut waiting: Vec<PutIn>,
    constants: &[ConstantDef],
    found: &mut Vec<Finding>,
) {
    let mut put: BTreeMap<String, String> = BTreeMap::new();
    let mut placed: HashSet<String> = levels.iter().map(|level| level.name.value.to_string()).collect();
    loop {
        let (ready, later): (Vec<PutIn>, Vec<PutIn>) =
            waiting.into_iter().partition(|(after, ..)| placed.contains(&after.value));
        waiting = later;
        if ready.is_empty() {
            break;
        }
        for (after, chapter, name, keys) in ready {
            // Several after one level are in declared order.
            let last = put.insert(after.value.clone(), name.value.to_string());
            let position = |id: &str| levels.iter().position(|level| level.name.value.as_str() == id);
            let Some(at) = position(last.as_ref().unwrap_or(&after.value)) else { continue };
            let chapter = chapter.or_else(|| levels.get(at)?.chapter);
            placed.insert(name.value.to_string());
            levels.insert(at + 1, keys.level(name, chapter, constants));
        }
    }
    for (after, ..) in &waiting {
        let of_circle = waiting.iter().any(|(_, _, name, _)| name.value.as_str() == after.value);
        if of_circle {
            let message = format!("`{}` comes after this level in turn", after.value);
            let finding = Finding::error(Code::UnknownName, after.span.clone(), message);
            found.push(finding.instead("name a level that has a place of its own"));
        } else {
            unknown("level", after, levels.iter().map(|level| level.name.value.as_str()), found);
        }
    }
}

fn of_chapter(chapters: &[ChapterDecl], named: &Placed<String>, found: &mut Vec<Finding>) -> Option<usize> {
    let at = chapters.iter().position(|chapter| chapter.name.value.as_str() == named.value);
    if at.is_none() {
        unknown("chapter", named, chapters.iter().map(|chapter| chapter.name.value.as_str()), found);
    }
    at
}

/// Resolves the levels that come next by name.
fn name_next(levels: &mut [LevelDecl], nexts: Vec<(Name, Vec<Placed<String>>)>, found: &mut Vec<Finding>) {
    let ids: Vec<String> = levels.iter().map(|level| level.name.value.to_string()).collect();
    for (name, next) in nexts {
        let mut at = Vec::new();
        for named in &next {
            match ids.iter().position(|id| *id == named.value) {
                Some(index) => at.push(index),
                None => unknown("level", named, ids.iter().map(String::as_str), found),
            }
        }
        let level = levels.iter_mut().find(|level| level.name.value == name);
        level.into_iter().for_each(|level| level.next = Some(at.clone()));
    }
}

fn unknown<'n>(
    what: &str,
    named: &Placed<String>,
    known: impl Iterator<Item = &'n str>,
    found: &mut Vec<Finding>,
) {
    let message = format!("`{}` is not a declared {what}", named.value);
    let finding = Finding::error(Code::UnknownName, named.span.clone(), message);
    found.push(match nearest(&named.value, known) {
        Some(near) => finding.instead(format!("did you mean `{near}`?")),
        None => finding,
    });
}
