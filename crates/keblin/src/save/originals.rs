//! Values that another build wrote, with what this one does not know in them: a member of a shape, an item of a closed
//! list, a number beyond a bound, further places of a table. What this build has not changed is written as it was; of
//! what it has changed, the parts that it does not know.

use std::cmp::Ordering;

use keblin_model::kind::{Holds, Kind};
use keblin_model::model::FieldDef;
use keblin_model::order::sort_by;
use keblin_model::{Keep, Model, Name, Value};
use minicbor::Encoder;

use super::cursor::Cursor;
use super::layout::SaveLimits;
use super::values::{self, Beyond};
use crate::grammar::encoded;
use crate::grammar::plan::ShapeOrder;
use crate::snapshot::Original;

/// The most entries of a table that are written: more places no declaration can have.
const MAX_ENTRIES: usize = 1_000;

/// What other builds wrote for a value of a field, that of the later save first.
#[derive(Clone, Copy)]
pub(super) struct Originals<'s> {
    pub(super) model: &'s Model,
    pub(super) field: &'s FieldDef,
    /// The order in which the members of the field's shape are written.
    pub(super) order: &'s ShapeOrder,
    pub(super) before: &'s [Original],
}

/// The type of a value inside another, with its value where another build has one that this build does not know.
#[derive(Clone, Copy)]
struct Inside<'s> {
    holds: Holds,
    order: &'s ShapeOrder,
    default: &'s Value,
}

/// An encoded item, and its value as far as this build knows it.
type Item<'b> = (Option<Value>, &'b [u8]);

impl<'s> Originals<'s> {
    /// Returns the bytes of the value now.
    pub(super) fn of_value(&self, now: &Value) -> Vec<u8> {
        let is_union = self.field.keep == Keep::Union && self.before.len() > 1;
        let same = self.before.iter().find(|before| !is_union && self.is_same(before, now));
        if let Some(same) = same {
            return same.bytes.to_vec();
        }
        let whole = Inside { holds: self.field.holds(), order: self.order, default: &self.field.default };
        match now {
            Value::Set(items) => {
                let of = whole.items();
                let held = self.before.iter().flat_map(|before| self.items_in(&before.bytes, of)).collect();
                self.items(items.iter().collect(), held, of, false)
            }
            now => self.before.first().map_or_else(Vec::new, |before| self.woven(now, whole, &before.bytes)),
        }
    }

    /// Returns the bytes of a table now: with the entries of both builds, in as many places as they need.
    pub(super) fn of_table(&self, now: &[Value]) -> Vec<u8> {
        let of = Inside { holds: self.field.holds(), order: self.order, default: &Value::Unset };
        let mut held: Vec<Item<'_>> =
            self.before.iter().flat_map(|before| self.entries_in(&before.bytes, of)).collect();
        let mut entries: Vec<(Value, Vec<u8>)> = Vec::new();
        for value in now.iter().filter(|value| **value != Value::Unset) {
            let same = held.iter().position(|(read, _)| read.as_ref() == Some(value));
            let bytes = same.map(|same| held.remove(same).1.to_vec());
            entries.push((value.clone(), bytes.unwrap_or_else(|| self.written(value, of))));
        }
        for (value, bytes) in held {
            let is_double = entries.iter().any(|(_, written)| written == bytes) && self.before.len() > 1;
            entries.extend(value.filter(|_| !is_double).map(|value| (value, bytes.to_vec())));
        }
        sort_by(&mut entries, |(one, _), (other, _)| {
            let order = one.order(other).unwrap_or(Ordering::Equal);
            if self.field.keep == Keep::Highest { order.reverse() } else { order }
        });
        entries.truncate(MAX_ENTRIES);
        array(entries.iter().map(|(_, bytes)| bytes.as_slice()))
    }

    /// Returns whether a value is as it was read: a bound of this build may have moved it.
    fn is_same(&self, before: &Original, now: &Value) -> bool {
        let read = before.read.first().unwrap_or(&Value::Unset);
        read == now || self.field.clamped_to_fixed(read).as_ref() == Some(now)
    }

    fn written(&self, value: &Value, of: Inside<'_>) -> Vec<u8> {
        encoded(|out| values::write_ordered(out, value, of.order))
    }

    /// Returns a value as this build reads it; `None` if it does not know it.
    fn read(&self, bytes: &[u8], of: Inside<'_>) -> Option<Value> {
        let beyond = Beyond::default();
        let with = values::Reading { schema: self.model, order: of.order, what: "", beyond: Some(&beyond) };
        let read = values::read(&mut Cursor::new("", 0, bytes), of.holds, with);
        read.ok().filter(|value| *value != Value::Unset)
    }

    /// Returns the bytes of a value with all that this build does not know of its original.
    fn woven(&self, now: &Value, of: Inside<'_>, before: &[u8]) -> Vec<u8> {
        let read = self.read(before, of);
        if read.as_ref().unwrap_or(of.default) == now {
            return before.to_vec();
        }
        match (now, of.holds.kind) {
            (Value::Shape(members), Kind::Shape(shape)) => self.shape(members, shape, of.order, before),
            (Value::List(items), Kind::List) => {
                let of = of.items();
                self.items(items.iter().collect(), self.items_in(before, of), of, true)
            }
            (Value::Set(items), Kind::Set) => {
                let of = of.items();
                self.items(items.iter().collect(), self.items_in(before, of), of, false)
            }
            (Value::Map(_), Kind::Map) => self.map(now, of, before),
            (Value::Best(best), _) => match (self.parts_in(before).as_slice(), &self.field.with) {
                ([value, with], Some(goes_with)) if self.read(value, of).as_ref() == Some(&best.value) => {
                    let shape = Inside { holds: Kind::Shape(goes_with.shape).into(), ..of };
                    array([*value, &self.woven(&best.with, shape, with)].into_iter())
                }
                _ => self.written(now, of),
            },
            _ => self.written(now, of),
        }
    }

    /// Returns the bytes of a shape: its members, and those that this build does not have.
    fn shape(&self, now: &[(Name, Value)], shape: u16, order: &ShapeOrder, before: &[u8]) -> Vec<u8> {
        let declared = self.model.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
        let mut held = pairs(before);
        let members = order.members.iter().filter_map(|at| {
            let ((_, value), member) = (now.get(at.index)?, declared.get(at.index)?);
            let of = Inside { holds: member.holds(), order: &at.inside, default: &member.default };
            let original = held.iter().position(|(key, _)| *key == at.key);
            let bytes = match original.map(|original| held.remove(original).1) {
                Some(original) => {
                    let read = self.read(original, of);
                    let limited = read.and_then(|read| self.model.kept_of_object(member, read).ok());
                    if limited.as_ref() == Some(value) {
                        original.to_vec()
                    } else {
                        self.woven(value, of, original)
                    }
                }
                None => self.written(value, of),
            };
            Some((at.key.clone(), bytes))
        });
        let mut members: Vec<(Vec<u8>, Vec<u8>)> = members.collect();
        members.extend(held.into_iter().map(|(key, value)| (key.to_vec(), value.to_vec())));
        map(members)
    }

    /// Returns the bytes of a list or set: its items, and those that this build does not know.
    fn items(&self, now: Vec<&Value>, held: Vec<Item<'_>>, of: Inside<'_>, is_list: bool) -> Vec<u8> {
        // An item that is equal at its place is that item, whatever equals it elsewhere.
        let known: Vec<usize> = (0..held.len()).filter(|at| value_at(&held, *at).is_some()).collect();
        let in_place = |(at, item): (usize, &&Value)| {
            known.get(at).copied().filter(|at| is_list && value_at(&held, *at) == Some(*item))
        };
        let mut exact: Vec<Option<usize>> = now.iter().enumerate().map(in_place).collect();
        let mut used = vec![false; held.len()];
        let use_up = |exact: &[Option<usize>], used: &mut [bool]| {
            exact.iter().flatten().for_each(|at| used.get_mut(*at).into_iter().for_each(|used| *used = true));
        };
        use_up(&exact, &mut used);
        let mut by_value = ByValue::of(&held, &used);
        for (exact, item) in exact.iter_mut().zip(&now).filter(|(exact, _)| exact.is_none()) {
            *exact = by_value.take(&held, item);
        }
        use_up(&exact, &mut used);
        let written = now.iter().zip(exact).enumerate().map(|(at, (item, exact))| {
            // In a list an item that was changed is where it was.
            let place = known.get(at).filter(|at| is_list && used.get(**at) == Some(&false));
            let changed = place.and_then(|at| held.get(*at));
            match (exact.and_then(|exact| held.get(exact)), changed) {
                (Some((_, exact)), _) => exact.to_vec(),
                (None, Some((_, original))) => self.woven(item, of, original),
                (None, None) => self.written(item, of),
            }
        });
        let mut items: Vec<Vec<u8>> = written.collect();
        // In a list each unknown item is where it was; two builds can have the same one in a set.
        let mut unknown: Vec<(usize, &[u8])> = held
            .iter()
            .enumerate()
            .filter(|(_, (read, _))| read.is_none())
            .map(|(at, (_, bytes))| (at, *bytes))
            .collect();
        if !is_list {
            sort_by(&mut unknown, |(_, one), (_, other)| one.cmp(other));
            unknown.dedup_by(|(_, one), (_, other)| one == other);
            items.extend(unknown.into_iter().map(|(_, bytes)| bytes.to_vec()));
            return array(items.iter().map(Vec::as_slice));
        }
        let (mut known, mut all) = (items.iter().map(Vec::as_slice), Vec::new());
        for (at, bytes) in unknown {
            all.extend(known.by_ref().take(at.saturating_sub(all.len())));
            all.push(bytes);
        }
        all.extend(known);
        array(all.into_iter())
    }

    /// Returns the bytes of a map: its entries, and those whose key or value this build does not know.
    fn map(&self, now: &Value, of: Inside<'_>, before: &[u8]) -> Vec<u8> {
        let Value::Map(now) = now else { return Vec::new() };
        let (key, of) = (Inside { holds: of.holds.key.unwrap_or(Kind::Text).into(), ..of }, of.items());
        let mut held = pairs(before);
        sort_by(&mut held, |(one, _), (other, _)| one.cmp(other));
        let mut names: Vec<Vec<u8>> = Vec::new();
        let entries = now.iter().map(|(name, value)| {
            let name = self.written(name, key);
            let original = held.binary_search_by(|(key, _)| (*key).cmp(&name)).ok();
            let value = match original.and_then(|at| held.get(at)) {
                Some((_, before)) => self.woven(value, of, before),
                None => self.written(value, of),
            };
            names.push(name.clone());
            (name, value)
        });
        let mut entries: Vec<(Vec<u8>, Vec<u8>)> = entries.collect();
        sort_by(&mut names, |one, other| one.cmp(other));
        for (name, value) in &held {
            let is_known = self.read(name, key).is_some() && self.read(value, of).is_some();
            let is_there = names.binary_search_by(|held| held.as_slice().cmp(name)).is_ok();
            if !is_known && !is_there {
                entries.push((name.to_vec(), value.to_vec()));
            }
        }
        self::map(entries)
    }

    /// Returns the items of a list or set.
    fn items_in<'b>(&self, bytes: &'b [u8], of: Inside<'_>) -> Vec<Item<'b>> {
        self.parts_in(bytes).into_iter().map(|item| (self.read(item, of), item)).collect()
    }

    /// Returns the entries of a table.
    fn entries_in<'b>(&self, bytes: &'b [u8], of: Inside<'_>) -> Vec<Item<'b>> {
        let Some(with) = &self.field.with else { return self.items_in(bytes, of) };
        let shape = Inside { holds: Kind::Shape(with.shape).into(), ..of };
        let entry = |item: &'b [u8]| {
            let parts = self.parts_in(item);
            let [value, with] = parts.as_slice() else { return (None, item) };
            let best = self.read(value, of).zip(self.read(with, shape));
            (best.map(|(value, with)| Value::Best(keblin_model::value::Best { value, with }.into())), item)
        };
        self.parts_in(bytes).into_iter().map(entry).collect()
    }

    /// Returns the items of an array.
    fn parts_in<'b>(&self, bytes: &'b [u8]) -> Vec<&'b [u8]> {
        let mut cursor = Cursor::new("", 0, bytes);
        let count = cursor.array("a list").unwrap_or(0);
        (0..count).map_while(|_| next(&mut cursor)).collect()
    }
}

impl<'s> Inside<'s> {
    /// Returns what a list, set or map contains.
    fn items(self) -> Inside<'s> {
        Inside { holds: self.holds.of.unwrap_or(Kind::Int).into(), default: &Value::Unset, ..self }
    }
}

/// The items that this build knows, by their values: each is taken once, equal ones in their order.
struct ByValue {
    /// Positions, in the order of the values.
    order: Vec<usize>,
    /// How many of some equal ones are taken, by the place of the first of them.
    taken: Vec<usize>,
}

impl ByValue {
    /// Returns the items that are not used yet.
    fn of(items: &[Item<'_>], used: &[bool]) -> ByValue {
        let is_left = |at: &usize| value_at(items, *at).is_some() && used.get(*at) == Some(&false);
        let mut order: Vec<usize> = (0..items.len()).filter(is_left).collect();
        sort_by(&mut order, |one, other| {
            value_at(items, *one).cmp(&value_at(items, *other)).then(one.cmp(other))
        });
        ByValue { taken: vec![0; order.len()], order }
    }

    /// Takes the next item of a value.
    fn take(&mut self, items: &[Item<'_>], value: &Value) -> Option<usize> {
        let first = self.order.partition_point(|at| value_at(items, *at) < Some(value));
        let taken = self.taken.get_mut(first)?;
        let at = *self.order.get(first + *taken)?;
        (value_at(items, at) == Some(value)).then(|| {
            *taken += 1;
            at
        })
    }
}

fn value_at<'i>(items: &'i [Item<'_>], at: usize) -> Option<&'i Value> {
    items.get(at)?.0.as_ref()
}

/// Returns the entries of a map.
fn pairs(bytes: &[u8]) -> Vec<(&[u8], &[u8])> {
    let mut cursor = Cursor::new("", 0, bytes);
    let count = cursor.map("a map").unwrap_or(0);
    (0..count).map_while(|_| Some((next(&mut cursor)?, next(&mut cursor)?))).collect()
}

/// Returns the next item as it is encoded.
fn next<'b>(cursor: &mut Cursor<'b>) -> Option<&'b [u8]> {
    let start = cursor.offset();
    cursor.skip("an item", &SaveLimits::default()).ok()?;
    Some(cursor.since(start))
}

/// Returns the bytes of an array.
fn array<'b>(items: impl ExactSizeIterator<Item = &'b [u8]>) -> Vec<u8> {
    encoded(|out: &mut Encoder<&mut Vec<u8>>| {
        out.array(items.len() as u64)?;
        items.for_each(|item| out.writer_mut().extend_from_slice(item));
        Ok(())
    })
}

/// Returns the bytes of a map, in the order of its keys.
fn map(mut entries: Vec<(Vec<u8>, Vec<u8>)>) -> Vec<u8> {
    sort_by(&mut entries, |(one, _), (other, _)| one.cmp(other));
    encoded(|out| {
        out.map(entries.len() as u64)?;
        entries
            .iter()
            .flat_map(|(key, value)| [key, value])
            .for_each(|part| out.writer_mut().extend_from_slice(part));
        Ok(())
    })
}
