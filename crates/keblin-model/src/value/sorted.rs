//! Sets and maps of values: in order, so that the same contents give the same bytes, and with an index by hash, so that
//! a look-up does not walk.

use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};

use foldhash::fast::RandomState;
use indexmap::{Equivalent, IndexMap, IndexSet};

use super::Value;
use super::kind::Ids;
use super::order::{hash_id, hash_text};

/// Values without repeats, in the order of values.
#[derive(Clone, Default)]
pub struct ValueSet(IndexSet<Value, RandomState>);

/// Values by key, in the order of the keys.
#[derive(Clone, Default)]
pub struct ValueMap(IndexMap<Value, Value, RandomState>);

/// A value to look up, as cheaply as a game has it.
#[derive(Clone, Debug)]
pub enum Key {
    /// A text.
    Text(String),
    /// An id, by its position in its list.
    Id(Ids, u16),
    /// Another value.
    Value(Value),
}

// As the value that it is the key of.
impl Hash for Key {
    #[inline]
    fn hash<H: Hasher>(&self, state: &mut H) {
        match self {
            Key::Text(text) => hash_text(text, state),
            Key::Id(_, index) => hash_id(*index, state),
            Key::Value(value) => value.hash(state),
        }
    }
}

impl Equivalent<Value> for Key {
    #[inline]
    fn equivalent(&self, held: &Value) -> bool {
        match (self, held) {
            (Key::Text(text), Value::Text(held)) => **held == **text,
            (Key::Id(list, at), Value::Id { of, index, .. }) => (list, at) == (of, index),
            (Key::Value(Value::Int(key)), Value::Int(held)) => key == held,
            (Key::Value(key), held) => key == held,
            _ => false,
        }
    }
}

impl ValueSet {
    /// Returns the number of values.
    #[must_use]
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Returns whether it is empty.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Returns the values, in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = &Value> + DoubleEndedIterator + Clone {
        self.0.iter()
    }

    /// Returns the value at a position.
    #[must_use]
    pub fn get_index(&self, index: usize) -> Option<&Value> {
        self.0.get_index(index)
    }

    /// Returns the first value.
    #[must_use]
    pub fn first(&self) -> Option<&Value> {
        self.0.first()
    }

    /// Returns whether it has a value.
    #[must_use]
    pub fn contains(&self, value: &(impl Equivalent<Value> + Hash)) -> bool {
        self.0.contains(value)
    }

    /// Returns whether all its values are in another set.
    #[must_use]
    pub fn is_subset(&self, other: &ValueSet) -> bool {
        self.0.is_subset(&other.0)
    }

    /// Returns the values of both sets.
    #[must_use]
    pub fn union(&self, other: &ValueSet) -> ValueSet {
        self.iter().chain(other.iter()).cloned().collect()
    }

    /// Adds a value, and returns whether it is new.
    pub fn insert(&mut self, value: Value) -> bool {
        self.0.insert_sorted(value).1
    }

    /// Takes a value out, and returns it if it was there.
    pub fn take(&mut self, value: &Value) -> Option<Value> {
        self.0.shift_take(value)
    }
}

impl ValueMap {
    /// Returns the number of entries.
    #[must_use]
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Returns whether it is empty.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Returns the entries, in the order of their keys.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = (&Value, &Value)> + DoubleEndedIterator + Clone {
        self.0.iter()
    }

    /// Returns the entry at a position.
    #[must_use]
    pub fn get_index(&self, index: usize) -> Option<(&Value, &Value)> {
        self.0.get_index(index)
    }

    /// Returns the keys, in order.
    pub fn keys(&self) -> impl ExactSizeIterator<Item = &Value> + DoubleEndedIterator + Clone {
        self.0.keys()
    }

    /// Returns the values, in the order of their keys.
    pub fn values(&self) -> impl ExactSizeIterator<Item = &Value> + DoubleEndedIterator + Clone {
        self.0.values()
    }

    /// Returns the value of a key.
    #[must_use]
    pub fn get(&self, key: &(impl Equivalent<Value> + Hash)) -> Option<&Value> {
        self.0.get(key)
    }

    /// Returns whether it has a key.
    #[must_use]
    pub fn contains_key(&self, key: &(impl Equivalent<Value> + Hash)) -> bool {
        self.0.contains_key(key)
    }

    /// Sets the value of a key, and returns the one before.
    pub fn insert(&mut self, key: Value, value: Value) -> Option<Value> {
        self.0.insert_sorted(key, value).1
    }

    /// Removes a key, and returns its value.
    pub fn remove(&mut self, key: &Value) -> Option<Value> {
        self.0.shift_remove(key)
    }
}

impl FromIterator<Value> for ValueSet {
    fn from_iter<I: IntoIterator<Item = Value>>(values: I) -> ValueSet {
        let mut set: IndexSet<Value, RandomState> = values.into_iter().collect();
        set.sort_unstable();
        ValueSet(set)
    }
}

/// Of a repeated key the last value stays.
impl FromIterator<(Value, Value)> for ValueMap {
    fn from_iter<I: IntoIterator<Item = (Value, Value)>>(entries: I) -> ValueMap {
        let mut map: IndexMap<Value, Value, RandomState> = entries.into_iter().collect();
        map.sort_unstable_keys();
        ValueMap(map)
    }
}

macro_rules! in_order {
    ($($name:ident)*) => {$(
        impl PartialEq for $name {
            fn eq(&self, other: &$name) -> bool {
                self.len() == other.len() && self.iter().eq(other.iter())
            }
        }

        impl Eq for $name {}

        impl PartialOrd for $name {
            fn partial_cmp(&self, other: &$name) -> Option<Ordering> {
                Some(self.cmp(other))
            }
        }

        impl Ord for $name {
            fn cmp(&self, other: &$name) -> Ordering {
                self.iter().cmp(other.iter())
            }
        }

        impl Hash for $name {
            fn hash<H: Hasher>(&self, state: &mut H) {
                self.len().hash(state);
                self.iter().for_each(|one| one.hash(state));
            }
        }
    )*};
}
in_order!(ValueSet ValueMap);

impl fmt::Debug for ValueSet {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_set().entries(self.iter()).finish()
    }
}

impl fmt::Debug for ValueMap {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_map().entries(self.iter()).finish()
    }
}
