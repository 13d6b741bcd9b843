//! Ids and lists of ids: each checked on its own, and against the others of its list.

use std::collections::{HashMap, HashSet};
use std::ops::Range;

use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue};

use super::Placed;
use super::table::{Item, Reader};
use crate::name::{Name, NameFault, as_people_read, one_letter_apart, repaired};
use crate::text::finding::{Code, Finding};
use keblin_model::Severity;

impl<'a, 'i> Reader<'a, 'i> {
    /// Reads the value of a key as an id.
    pub(super) fn id(&self, item: &'a Item<'i>, found: &mut Vec<Finding>) -> Option<Placed<Name>> {
        placed(Name::new, self.string(item, found)?, item.span(), found)
    }

    /// Reads a key as an id.
    pub(super) fn key_id(
        &self,
        key: &Spanned<DeString<'i>>,
        found: &mut Vec<Finding>,
    ) -> Option<Placed<Name>> {
        placed(Name::new, key.get_ref(), key.span(), found)
    }

    /// Reads a key as the id of a member.
    pub(super) fn member_id(
        &self,
        key: &Spanned<DeString<'i>>,
        found: &mut Vec<Finding>,
    ) -> Option<Placed<Name>> {
        placed(Name::of_part, key.get_ref(), key.span(), found)
    }

    /// Reads a key that takes the items of a list, which must not clash.
    pub(super) fn items(&self, key: &str, found: &mut Vec<Finding>) -> Vec<Placed<Name>> {
        let items = self.list(key, found).unwrap_or_default();
        let id = |item, found: &mut _| placed(Name::of_part, self.string(item, found)?, item.span(), found);
        let ids = items.iter().filter_map(|item| id(item, found)).collect();
        clashes("item", ids, found)
    }

    /// Reads a key that takes a list of names of other things; what they are is checked later.
    pub(super) fn texts(&self, key: &str, found: &mut Vec<Finding>) -> Vec<Placed<String>> {
        let items = self.list(key, found).unwrap_or_default();
        let text = |item, found: &mut _| {
            Some(Placed { value: self.string(item, found)?.to_string(), span: item.span() })
        };
        items.iter().filter_map(|item| text(item, found)).collect()
    }

    /// Reads a key that takes a list of ids, which must not clash; `what` is the word for one of them in messages.
    pub(super) fn ids(&self, key: &str, what: &str, found: &mut Vec<Finding>) -> Vec<Placed<Name>> {
        let items = self.list(key, found).unwrap_or_default();
        let ids = items.iter().filter_map(|item| self.id(item, found)).collect();
        clashes(what, ids, found)
    }
}

fn placed(
    id: fn(&str) -> Result<Name, NameFault>,
    text: &str,
    span: Range<usize>,
    found: &mut Vec<Finding>,
) -> Option<Placed<Name>> {
    match id(text) {
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

/// Reports ids of one list that a person cannot tell apart, and leaves the later ones out.
pub(crate) fn clashes(what: &str, ids: Vec<Placed<Name>>, found: &mut Vec<Finding>) -> Vec<Placed<Name>> {
    let mut apart: Vec<Placed<Name>> = Vec::new();
    let (mut as_read, mut near) = (HashMap::new(), NearIds::default());
    for id in ids {
        let name = id.value.as_str();
        if let Some(other) = as_read.get(&as_people_read(name)).and_then(|at: &usize| apart.get(*at)) {
            let message = match other.value.as_str() == name {
                true => format!("{what} `{name}` is declared twice"),
                false => format!("{what} `{name}` differs from `{}` only in underscores", other.value),
            };
            let finding = Finding::error(Code::SameId, id.span.clone(), message).after(other.span.clone());
            found.push(finding.instead("give one of them another id, or leave one out"));
            continue;
        }
        as_read.insert(as_people_read(name), apart.len());
        if let Some(other) = near.among(name, &apart) {
            let message = format!("{what} `{name}` is one letter away from `{}`", other.value);
            let finding = Finding::error(Code::NearId, id.span.clone(), message).as_severity(Severity::Hint);
            found.push(finding.instead("ignore this if both are intended"));
        }
        apart.push(id);
    }
    apart
}

/// The most ids that one id is compared with when looking for near misses, so that a list of thousands of similar ids
/// stays fast.
const MAX_COMPARED: usize = 32;

/// Ids by what remains when one letter is left out: two that are one letter apart have a remainder in common.
#[derive(Default)]
struct NearIds {
    by_part: HashMap<u64, Vec<usize>>,
}

impl NearIds {
    /// Returns the first id that is one letter away, and adds this id to the set.
    fn among<'i>(&mut self, name: &str, others: &'i [Placed<Name>]) -> Option<&'i Placed<Name>> {
        let mut candidates = Vec::new();
        for part in parts(name) {
            let held = self.by_part.entry(part).or_default();
            candidates.extend_from_slice(held);
            if held.len() < MAX_COMPARED {
                held.push(others.len());
            }
        }
        candidates.sort_unstable();
        candidates.dedup();
        let candidates = candidates.into_iter().filter_map(|at| others.get(at));
        candidates.take(MAX_COMPARED).find(|other| one_letter_apart(other.value.as_str(), name))
    }
}

/// Returns hashes of an id, and of the id without each of its characters.
fn parts(name: &str) -> Vec<u64> {
    let bytes = name.as_bytes();
    let without = |left_out: usize| {
        let kept = bytes.iter().enumerate().filter(|(at, _)| *at != left_out).map(|(_, byte)| byte);
        // FNV-1a, 64 bits: ids that share a hash by chance are compared and found different.
        kept.fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| {
            (hash ^ u64::from(*byte)).wrapping_mul(0x0100_0000_01b3)
        })
    };
    let mut parts: Vec<u64> = (0..=bytes.len()).map(without).collect();
    parts.sort_unstable();
    parts.dedup();
    parts
}

/// Reads a list of tables that have an id each, such as `[[levels]]`: every valid one whose id does not clash with an
/// earlier one. The words are the key, the name of an entry in messages, and an example.
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
    let apart: HashSet<usize> = clashes(what, names, found).into_iter().map(|name| name.span.start).collect();
    declared.retain(|one| apart.contains(&name(one).span.start));
    declared
}
