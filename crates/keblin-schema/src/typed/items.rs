//! Lists, sets and maps, read as views and written as vectors.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::marker::PhantomData;
use std::sync::Arc;

use super::{FieldType, Scalar, sealed};
use crate::model::Model;
use crate::value::Value;
use crate::value::kind::{Holds, Kind};

/// The items of a list or set, or the keys or values of a map, as read from a field.
pub struct Listed<'a, T> {
    items: Vec<&'a Value>,
    of: PhantomData<fn() -> T>,
}

impl<T> fmt::Debug for Listed<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(&self.items).finish()
    }
}

impl<'a, T: Scalar> Listed<'a, T> {
    fn new(items: impl Iterator<Item = &'a Value>) -> Listed<'a, T> {
        Listed { items: items.collect(), of: PhantomData }
    }

    /// Returns the number of items.
    #[must_use]
    pub fn len(&self) -> usize {
        self.items.len()
    }

    /// Returns whether there are no items.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.items.is_empty()
    }

    /// Returns the item at a position.
    #[must_use]
    pub fn get(&self, index: usize) -> Option<T::Read<'a>> {
        self.items.get(index).map(|value| T::read(value))
    }

    /// Returns all items, in order.
    pub fn iter(&self) -> impl Iterator<Item = T::Read<'a>> {
        self.items.iter().map(|value| T::read(value))
    }
}

/// An iterator over the items of a list or set.
pub type ListedIter<'a, T> =
    std::iter::Map<std::vec::IntoIter<&'a Value>, fn(&'a Value) -> <T as FieldType>::Read<'a>>;

/// `for item in game.get(FIELD)`
impl<'a, T: Scalar> IntoIterator for Listed<'a, T> {
    type Item = T::Read<'a>;
    type IntoIter = ListedIter<'a, T>;

    fn into_iter(self) -> ListedIter<'a, T> {
        self.items.into_iter().map(T::read)
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
        Listed::new(items.iter())
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
        let items = if let Value::Set(items) = value { Some(items) } else { None };
        Listed::new(items.into_iter().flat_map(|items| items.iter()))
    }
    fn write(value: Vec<T::Write>, model: &Model) -> Option<Value> {
        let items: Option<BTreeSet<Value>> = value.into_iter().map(|item| T::write(item, model)).collect();
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
        let entries = if let Value::Map(entries) = value { Some(entries) } else { None };
        let both = || entries.into_iter().flat_map(|entries| entries.iter());
        Entries {
            keys: Listed::new(both().map(|(key, _)| key)),
            values: Listed::new(both().map(|(_, value)| value)),
        }
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
