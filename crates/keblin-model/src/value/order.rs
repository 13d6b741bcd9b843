//! The order of values in sets and maps, and in every file: by type, then by content. And their hash, by which they are
//! looked up. Both are written by hand: keys that games look up are compared without a call, and an id is hashed by its
//! position.

use std::cmp::Ordering;
use std::hash::{Hash, Hasher};

use super::Value;

impl Ord for Value {
    #[inline]
    fn cmp(&self, other: &Value) -> Ordering {
        match (self, other) {
            (Value::Int(a), Value::Int(b)) => a.cmp(b),
            (Value::Text(a), Value::Text(b)) => a.cmp(b),
            _ => self.in_order(other),
        }
    }
}

impl PartialOrd for Value {
    #[inline]
    fn partial_cmp(&self, other: &Value) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Value {
    fn in_order(&self, other: &Value) -> Ordering {
        match (self, other) {
            (Value::Bool(a), Value::Bool(b)) => a.cmp(b),
            (Value::Int(a), Value::Int(b)) => a.cmp(b),
            (Value::Float(a), Value::Float(b)) => a.cmp(b),
            (Value::Time(a), Value::Time(b)) => a.cmp(b),
            (Value::Date(a), Value::Date(b)) => a.cmp(b),
            (Value::Instant(a), Value::Instant(b)) => a.cmp(b),
            (Value::Text(a), Value::Text(b)) => a.cmp(b),
            (Value::Bytes(a), Value::Bytes(b)) => a.cmp(b),
            (
                Value::Id { of: list_a, index: a, name: name_a },
                Value::Id { of: list_b, index: b, name: name_b },
            ) => list_a.cmp(list_b).then(a.cmp(b)).then_with(|| name_a.cmp(name_b)),
            (Value::Vec2(a), Value::Vec2(b)) => a.cmp(b),
            (Value::Vec3(a), Value::Vec3(b)) => a.cmp(b),
            (Value::Quat(a), Value::Quat(b)) => a.cmp(b),
            (Value::Shape(a), Value::Shape(b)) => a.cmp(b),
            (Value::List(a), Value::List(b)) => a.cmp(b),
            (Value::Set(a), Value::Set(b)) => a.cmp(b),
            (Value::Map(a), Value::Map(b)) => a.cmp(b),
            (Value::Opaque(a), Value::Opaque(b)) => a.cmp(b),
            (Value::Best(a), Value::Best(b)) => a.cmp(b),
            _ => self.place().cmp(&other.place()),
        }
    }

    /// The place of its type among all types.
    fn place(&self) -> u8 {
        match self {
            Value::Unset => 0,
            Value::Bool(_) => 1,
            Value::Int(_) => 2,
            Value::Float(_) => 3,
            Value::Time(_) => 4,
            Value::Date(_) => 5,
            Value::Instant(_) => 6,
            Value::Text(_) => 7,
            Value::Bytes(_) => 8,
            Value::Id { .. } => 9,
            Value::Vec2(_) => 10,
            Value::Vec3(_) => 11,
            Value::Quat(_) => 12,
            Value::Shape(_) => 13,
            Value::List(_) => 14,
            Value::Set(_) => 15,
            Value::Map(_) => 16,
            Value::Opaque(_) => 17,
            Value::Best(_) => 18,
            Value::Object(_) => 19,
        }
    }
}

/// The values of a set, and the keys of a map, are of one type, so their types need not be told apart.
impl Hash for Value {
    #[inline]
    fn hash<H: Hasher>(&self, state: &mut H) {
        match self {
            Value::Int(number) => state.write_i64(*number),
            Value::Text(text) => hash_text(text, state),
            Value::Id { index, .. } => hash_id(*index, state),
            other => other.hash_rare(state),
        }
    }
}

/// Adds a text to a hash, as the value that it is.
#[inline]
pub(super) fn hash_text(text: &str, state: &mut impl Hasher) {
    state.write(text.as_bytes());
}

/// Adds an id to a hash, as the value that it is. Its name follows from its position.
#[inline]
pub(super) fn hash_id(index: u16, state: &mut impl Hasher) {
    state.write_u16(index);
}

impl Value {
    fn hash_rare(&self, state: &mut impl Hasher) {
        match self {
            Value::Unset => {}
            Value::Bool(yes) => yes.hash(state),
            Value::Int(number) => number.hash(state),
            Value::Float(number) => number.hash(state),
            Value::Time(time) => time.hash(state),
            Value::Date(date) => date.hash(state),
            Value::Instant(instant) => instant.hash(state),
            Value::Text(text) => text.hash(state),
            Value::Bytes(bytes) => bytes.hash(state),
            Value::Id { index, .. } => index.hash(state),
            Value::Vec2(parts) => parts.hash(state),
            Value::Vec3(parts) => parts.hash(state),
            Value::Quat(parts) => parts.hash(state),
            Value::Shape(members) => members.hash(state),
            Value::List(items) => items.hash(state),
            Value::Set(items) => items.hash(state),
            Value::Map(entries) => entries.hash(state),
            Value::Opaque(opaque) => opaque.hash(state),
            Value::Best(best) => best.hash(state),
            Value::Object(id) => id.hash(state),
        }
    }
}
