//! Lists, sets and maps, read as views and written as vectors.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::marker::PhantomData;
use std::ops::Range;
use std::sync::Arc;

use super::{FieldType, Scalar, sealed};
use crate::model::Model;
use crate::value::kind::{Holds, Kind};
use crate::value::{Value, ValueMap, ValueSet};

/// The items of a list or set, or the keys or values of a map, as read from a field: a view, without a copy.
pub struct Listed<'a, T> {
    items: Items<'a>,
    of: PhantomData<fn() -> T>,
}

/// Where the items are.
#[derive(Clone, Copy)]
enum Items<'a> {
    List(&'a [Value]),
    Set(&'a ValueSet),
    Keys(&'a ValueMap),
    Values(&'a ValueMap),
}

impl<'a> Items<'a> {
    fn len(self) -> usize {
        match self {
            Items::List(items) => items.len(),
            Items::Set(items) => items.len(),
            Items::Keys(map) | Items::Values(map) => map.len(),
        }
    }

    fn get(self, index: usize) -> Option<&'a Value> {
        match self {
            Items::List(items) => items.get(index),
            Items::Set(items) => items.get_index(index),
            Items::Keys(map) => map.get_index(index).map(|(key, _)| key),
            Items::Values(map) => map.get_index(index).map(|(_, value)| value),
        }
    }
}

impl<T> Clone for Listed<'_, T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for Listed<'_, T> {}

impl<T> fmt::Debug for Listed<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let mut list = f.debug_list();
        for value in (0..self.items.len()).filter_map(|index| self.items.get(index)) {
            // As people read it: an id is its text.
            list.entry(&format_args!("{value}"));
        }
        list.finish()
    }
}

impl<'a, T: Scalar> Listed<'a, T> {
    fn new(items: Items<'a>) -> Listed<'a, T> {
        Listed { items, of: PhantomData }
    }

    /// Returns the number of items.
    #[must_use]
    pub fn len(&self) -> usize {
        self.items.len()
    }

    /// Returns whether the list, set or map is empty.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Returns the item at a position.
    #[must_use]
    pub fn get(&self, index: usize) -> Option<T::Read<'a>> {
        self.items.get(index).map(|value| T::read(value))
    }

    /// Returns all items, in order.
    #[must_use]
    pub fn iter(&self) -> ListedIter<'a, T> {
        ListedIter { listed: *self, left: 0..self.len() }
    }
}

/// An iterator over the items of a list or set.
#[derive(Debug)]
pub struct ListedIter<'a, T> {
    listed: Listed<'a, T>,
    left: Range<usize>,
}

impl<'a, T: Scalar> Iterator for ListedIter<'a, T> {
    type Item = T::Read<'a>;

    fn next(&mut self) -> Option<T::Read<'a>> {
        self.listed.get(self.left.next()?)
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.left.size_hint()
    }
}

impl<T: Scalar> DoubleEndedIterator for ListedIter<'_, T> {
    fn next_back(&mut self) -> Option<Self::Item> {
        self.listed.get(self.left.next_back()?)
    }
}

impl<T: Scalar> ExactSizeIterator for ListedIter<'_, T> {}

/// `for item in game.get(FIELD)`
impl<'a, T: Scalar> IntoIterator for Listed<'a, T> {
    type Item = T::Read<'a>;
    type IntoIter = ListedIter<'a, T>;

    fn into_iter(self) -> ListedIter<'a, T> {
        self.iter()
    }
}

impl<T: Scalar> sealed::Sealed for Vec<T> {}
impl<T: Scalar> FieldType for Vec<T> {
    type Read<'a> = Listed<'a, T>;
    type Write = Vec<T::Write>;
    const MAY_BE_UNSET: Option<bool> = Some(false);
    fn fits(holds: Holds) -> bool {
        holds.kind == Kind::List && holds.of.is_some_and(|of| T::fits(of.into()))
    }
    fn declared() -> String {
        format!("list of {}", T::declared())
    }
    fn read(value: &Value) -> Listed<'_, T> {
        let items = if let Value::List(items) = value { items.as_ref() } else { &[] };
        Listed::new(Items::List(items))
    }
    fn write(value: Vec<T::Write>, model: &Model) -> Option<Value> {
        let items: Option<Vec<Value>> = value.into_iter().map(|item| T::write(item, model)).collect();
        Some(Value::List(items?.into()))
    }
    fn taken(value: &Value, model: &Model) -> Option<Vec<T::Write>> {
        let items = if let Value::List(items) = value { items.as_ref() } else { &[] };
        items.iter().map(|item| T::taken(item, model)).collect()
    }
}

impl<T: Scalar> sealed::Sealed for BTreeSet<T> {}
impl<T: Scalar> FieldType for BTreeSet<T> {
    type Read<'a> = Listed<'a, T>;
    type Write = Vec<T::Write>;
    const MAY_BE_UNSET: Option<bool> = Some(false);
    fn fits(holds: Holds) -> bool {
        holds.kind == Kind::Set && holds.of.is_some_and(|of| T::fits(of.into()))
    }
    fn declared() -> String {
        format!("set of {}", T::declared())
    }
    fn read(value: &Value) -> Listed<'_, T> {
        Listed::new(if let Value::Set(items) = value { Items::Set(items) } else { Items::List(&[]) })
    }
    fn write(value: Vec<T::Write>, model: &Model) -> Option<Value> {
        let items: Option<ValueSet> = value.into_iter().map(|item| T::write(item, model)).collect();
        Some(Value::Set(Arc::new(items?)))
    }
    fn taken(value: &Value, model: &Model) -> Option<Vec<T::Write>> {
        let items = if let Value::Set(items) = value { Some(items) } else { None };
        items.into_iter().flat_map(|items| items.iter()).map(|item| T::taken(item, model)).collect()
    }
}

/// The entries of a map, as read from a field.
#[derive(Debug)]
pub struct Entries<'a, K, T> {
    /// The keys, in order.
    pub keys: Listed<'a, K>,
    /// The values, in the order of the keys.
    pub values: Listed<'a, T>,
}

impl<'a, K: Scalar, T: Scalar> Entries<'a, K, T> {
    /// Returns the number of entries.
    #[must_use]
    pub fn len(&self) -> usize {
        self.keys.len()
    }

    /// Returns whether the map is empty.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.keys.is_empty()
    }

    /// Returns the key and value of every entry, in the order of the keys.
    pub fn iter(&self) -> impl Iterator<Item = (K::Read<'a>, T::Read<'a>)> {
        self.keys.iter().zip(self.values.iter())
    }
}

/// `for (key, item) in game.get(FIELD)`
impl<'a, K: Scalar, T: Scalar> IntoIterator for Entries<'a, K, T> {
    type Item = (K::Read<'a>, T::Read<'a>);
    type IntoIter = std::iter::Zip<ListedIter<'a, K>, ListedIter<'a, T>>;

    fn into_iter(self) -> Self::IntoIter {
        self.keys.into_iter().zip(self.values)
    }
}

impl<K: Scalar, T: Scalar> sealed::Sealed for BTreeMap<K, T> {}
impl<K: Scalar, T: Scalar> FieldType for BTreeMap<K, T> {
    type Read<'a> = Entries<'a, K, T>;
    type Write = Vec<(K::Write, T::Write)>;
    const MAY_BE_UNSET: Option<bool> = Some(false);
    fn fits(holds: Holds) -> bool {
        let is = |kind: Option<Kind>, fits: fn(Holds) -> bool| kind.is_some_and(|kind| fits(kind.into()));
        holds.kind == Kind::Map && is(holds.of, T::fits) && is(holds.key, K::fits)
    }
    fn declared() -> String {
        format!("map of {} by {}", T::declared(), K::declared())
    }
    fn read(value: &Value) -> Entries<'_, K, T> {
        let (keys, values) = match value {
            Value::Map(map) => (Items::Keys(map), Items::Values(map)),
            _ => (Items::List(&[]), Items::List(&[])),
        };
        Entries { keys: Listed::new(keys), values: Listed::new(values) }
    }
    fn write(value: Vec<(K::Write, T::Write)>, model: &Model) -> Option<Value> {
        let entries =
            value.into_iter().map(|(key, item)| Some((K::write(key, model)?, T::write(item, model)?)));
        Some(Value::Map(Arc::new(entries.collect::<Option<_>>()?)))
    }
    fn taken(value: &Value, model: &Model) -> Option<Vec<(K::Write, T::Write)>> {
        let entries = if let Value::Map(entries) = value { Some(entries) } else { None };
        let entries = entries.into_iter().flat_map(|entries| entries.iter());
        entries.map(|(key, item)| Some((K::taken(key, model)?, T::taken(item, model)?))).collect()
    }
}
