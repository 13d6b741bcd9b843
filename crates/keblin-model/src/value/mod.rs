//! Values: the contents of one cell of progress. Bounds and keep rules are applied elsewhere.

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

use crate::text::date::{Date, Instant};
use crate::text::name::Name;
use crate::text::time::Time;

/// Keep rules: how a new value meets the stored one.
pub mod keep;

/// The types of values.
pub mod kind;

/// Finite numbers with a fraction.
mod finite;

/// Ids of objects of the world.
mod object;

/// The order of values, and their hash.
mod order;

/// Sets and maps of values.
mod sorted;

use kind::Ids;

pub use finite::{Float, Part};
pub use object::ObjectId;
pub use sorted::{Key, ValueMap, ValueSet};

/// The contents of one cell of progress. `Unset` means "never", which is not zero. Cheap to clone.
#[derive(Debug, PartialEq, Eq)]
pub enum Value {
    /// Unset.
    Unset,
    /// A bool.
    Bool(bool),
    /// A whole number.
    Int(i64),
    /// A number with a fraction.
    Float(Float),
    /// A duration.
    Time(Time),
    /// A calendar day.
    Date(Date),
    /// A point in time.
    Instant(Instant),
    /// Text.
    Text(Arc<str>),
    /// Bytes.
    Bytes(Arc<[u8]>),
    /// An id from a list.
    Id {
        /// The list.
        of: Ids,
        /// Its position in the list.
        index: u16,
        /// The id; for a checkpoint `LEVEL.CHECKPOINT`.
        name: Arc<str>,
    },
    /// Two numbers.
    Vec2([Part; 2]),
    /// Three numbers.
    Vec3([Part; 3]),
    /// A rotation: x, y, z, w.
    Quat([Part; 4]),
    /// A declared struct: its members in declared order.
    Shape(Arc<[(Name, Value)]>),
    /// Values in order, with repeats.
    List(Arc<[Value]>),
    /// Values without order or repeats.
    Set(Arc<ValueSet>),
    /// Values by key.
    Map(Arc<ValueMap>),
    /// The game's own bytes, never interpreted.
    Opaque(Arc<Opaque>),
    /// A value of a record, with what goes with it.
    Best(Arc<Best>),
    /// The id of an object.
    Object(ObjectId),
}

// Not derived: numbers, which are cloned most often, are copied without a call.
impl Clone for Value {
    #[inline]
    fn clone(&self) -> Value {
        match self {
            Value::Unset => Value::Unset,
            Value::Bool(yes) => Value::Bool(*yes),
            Value::Int(number) => Value::Int(*number),
            Value::Time(time) => Value::Time(*time),
            other => other.shared(),
        }
    }
}

/// A value of a record, with what goes with it: the initials and the day of a score.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Best {
    /// The value, by which records are compared.
    pub value: Value,
    /// A shape.
    pub with: Value,
}

/// The game's own bytes with their own version number: saved and verified, never interpreted.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Opaque {
    /// The game's version number for them.
    pub version: u32,
    /// The bytes.
    pub bytes: Arc<[u8]>,
}

impl Value {
    /// A clone of a value that is not a plain number; it shares its contents.
    fn shared(&self) -> Value {
        match self {
            Value::Unset => Value::Unset,
            Value::Bool(yes) => Value::Bool(*yes),
            Value::Int(number) => Value::Int(*number),
            Value::Time(time) => Value::Time(*time),
            Value::Float(number) => Value::Float(*number),
            Value::Date(date) => Value::Date(*date),
            Value::Instant(instant) => Value::Instant(*instant),
            Value::Text(text) => Value::Text(Arc::clone(text)),
            Value::Bytes(bytes) => Value::Bytes(Arc::clone(bytes)),
            Value::Id { of, index, name } => Value::Id { of: *of, index: *index, name: Arc::clone(name) },
            Value::Vec2(parts) => Value::Vec2(*parts),
            Value::Vec3(parts) => Value::Vec3(*parts),
            Value::Quat(parts) => Value::Quat(*parts),
            Value::Shape(members) => Value::Shape(Arc::clone(members)),
            Value::List(items) => Value::List(Arc::clone(items)),
            Value::Set(items) => Value::Set(Arc::clone(items)),
            Value::Map(entries) => Value::Map(Arc::clone(entries)),
            Value::Opaque(opaque) => Value::Opaque(Arc::clone(opaque)),
            Value::Best(best) => Value::Best(Arc::clone(best)),
            Value::Object(id) => Value::Object(*id),
        }
    }

    /// Returns a value of a record without what goes with it; any other value is returned unchanged.
    #[must_use]
    #[inline]
    pub fn alone(&self) -> &Value {
        if let Value::Best(best) = self { &best.value } else { self }
    }

    /// Returns what goes with a value of a record, as a shape; `None` if nothing does.
    #[must_use]
    pub fn with(&self) -> Option<&Value> {
        if let Value::Best(best) = self { Some(&best.with) } else { None }
    }

    /// Returns a text value.
    #[must_use]
    pub fn text(text: &str) -> Value {
        Value::Text(Arc::from(text))
    }

    /// Returns a number with a fraction; `None` if `number` is infinite or NaN.
    #[must_use]
    pub fn float(number: f64) -> Option<Value> {
        Float::new(number).map(Value::Float)
    }

    /// Returns the whole number of an int, or the nanoseconds of a time.
    #[must_use]
    pub fn number(&self) -> Option<i64> {
        match self {
            Value::Int(number) => Some(*number),
            Value::Time(time) => Some(time.as_nanos()),
            Value::Best(best) => best.value.number(),
            _ => None,
        }
    }

    /// Returns a value of the same type with another number, if it has a whole number.
    #[must_use]
    pub fn with_number(&self, number: i64) -> Value {
        match self {
            Value::Int(_) => Value::Int(number),
            Value::Time(_) => Value::Time(Time::from_nanos(number)),
            other => other.clone(),
        }
    }

    /// Compares two values of one type that have an order: ints, floats, times, days, instants. `None` for anything
    /// else.
    #[must_use]
    pub fn order(&self, other: &Value) -> Option<Ordering> {
        match (self, other) {
            (Value::Int(a), Value::Int(b)) => Some(a.cmp(b)),
            (Value::Best(best), other) | (other, Value::Best(best)) if other.with().is_none() => {
                let order = best.value.order(other)?;
                Some(if self.with().is_some() { order } else { order.reverse() })
            }
            (Value::Best(a), Value::Best(b)) => a.value.order(&b.value),
            (Value::Time(a), Value::Time(b)) => Some(a.cmp(b)),
            (Value::Float(a), Value::Float(b)) => Some(a.cmp(b)),
            (Value::Date(a), Value::Date(b)) => Some(a.cmp(b)),
            (Value::Instant(a), Value::Instant(b)) => Some(a.cmp(b)),
            _ => None,
        }
    }

    /// Returns the sum of two numbers of one type, and whether it was clamped to the range. `None` for anything else.
    #[must_use]
    pub fn plus(&self, amount: &Value) -> Option<(Value, bool)> {
        match (self, amount) {
            (Value::Int(a), Value::Int(b)) => {
                Some((Value::Int(a.saturating_add(*b)), a.checked_add(*b).is_none()))
            }
            (Value::Time(a), Value::Time(b)) => {
                Some((Value::Time(a.saturating_add(*b)), a.as_nanos().checked_add(b.as_nanos()).is_none()))
            }
            (Value::Float(a), Value::Float(b)) => {
                let sum = a.get() + b.get();
                let end = if sum > 0.0 { f64::MAX } else { f64::MIN };
                Some((Value::Float(Float::new(sum).unwrap_or(Float(end))), !sum.is_finite()))
            }
            _ => None,
        }
    }

    /// Returns the number with the other sign, clamped to the range. Anything else is returned unchanged.
    #[must_use]
    pub fn negated(&self) -> Value {
        match self {
            Value::Float(number) => Value::Float(Float(0.0 - number.get())),
            other => {
                other.number().map_or(other.clone(), |number| other.with_number(number.saturating_neg()))
            }
        }
    }

    /// Returns whether it is a number below zero.
    #[must_use]
    pub fn is_negative(&self) -> bool {
        match self {
            Value::Float(number) => number.get() < 0.0,
            other => other.number().is_some_and(|number| number < 0),
        }
    }

    /// Returns the text of a text or an id.
    #[must_use]
    pub fn as_text(&self) -> Option<&str> {
        match self {
            Value::Text(text) | Value::Id { name: text, .. } => Some(text),
            _ => None,
        }
    }

    /// Returns the number of characters, bytes or items; 0 for other types.
    #[must_use]
    pub fn len(&self) -> usize {
        match self {
            Value::Text(text) => text.chars().count(),
            Value::Bytes(bytes) => bytes.len(),
            Value::Opaque(opaque) => opaque.bytes.len(),
            Value::List(items) => items.len(),
            Value::Set(items) => items.len(),
            Value::Map(entries) => entries.len(),
            _ => 0,
        }
    }

    /// Returns whether it has no characters, bytes or items.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Returns whether a list or set contains this item, or a map this key. A text also matches an id.
    #[must_use]
    pub fn has(&self, item: &Value) -> bool {
        match self {
            Value::List(items) => items.iter().any(|held| held.same(item)),
            Value::Set(items) if item.is_like(items.first()) => items.contains(item),
            Value::Map(entries) if item.is_like(entries.keys().next()) => entries.contains_key(item),
            // A text among ids, or an id among texts.
            Value::Set(items) => items.iter().any(|held| held.same(item)),
            Value::Map(entries) => entries.keys().any(|held| held.same(item)),
            _ => false,
        }
    }

    /// Returns whether another value is of the same type, so that one can be found by its hash.
    fn is_like(&self, other: Option<&Value>) -> bool {
        other.is_some_and(|other| std::mem::discriminant(self) == std::mem::discriminant(other))
    }

    /// Returns whether two values are equal. A text also equals the id it names.
    #[must_use]
    pub fn same(&self, other: &Value) -> bool {
        match (self, other) {
            (Value::List(a), Value::List(b)) => {
                a.len() == b.len() && a.iter().zip(b.iter()).all(|(a, b)| a.same(b))
            }
            _ => self == other || self.as_text().is_some_and(|text| other.as_text() == Some(text)),
        }
    }
}

/// Written as people write it: `unset`, `true`, `31`, `0.5`, `1m32.4s`, `"F-04"`, `wick`, `["F-04", "F-11"]`.
impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Value::Unset => f.pad("unset"),
            Value::Bool(yes) => f.pad(if *yes { "true" } else { "false" }),
            Value::Int(number) => f.pad(&number.to_string()),
            Value::Float(number) => fmt::Display::fmt(number, f),
            Value::Time(time) => fmt::Display::fmt(time, f),
            Value::Date(date) => fmt::Display::fmt(date, f),
            Value::Instant(instant) => fmt::Display::fmt(instant, f),
            Value::Text(text) => f.pad(&format!("{text:?}")),
            Value::Bytes(bytes) => f.pad(&format!("{} bytes", bytes.len())),
            Value::Id { name, .. } => f.pad(name),
            Value::Vec2(parts) => f.pad(&row(("(", ")"), parts.iter())),
            Value::Vec3(parts) => f.pad(&row(("(", ")"), parts.iter())),
            Value::Quat(parts) => f.pad(&row(("(", ")"), parts.iter())),
            Value::Shape(members) => {
                f.pad(&row(("{", "}"), members.iter().map(|(name, value)| format!("{name}: {value}"))))
            }
            Value::List(items) => f.pad(&row(("[", "]"), items.iter())),
            Value::Set(items) => f.pad(&row(("{", "}"), items.iter())),
            Value::Map(entries) => {
                f.pad(&row(("{", "}"), entries.iter().map(|(key, value)| format!("{key}: {value}"))))
            }
            Value::Best(best) => f.pad(&format!("{} {}", best.value, best.with)),
            Value::Object(id) => fmt::Display::fmt(id, f),
            Value::Opaque(opaque) => {
                f.pad(&format!("{} bytes, version {}", opaque.bytes.len(), opaque.version))
            }
        }
    }
}

fn row((open, close): (&str, &str), items: impl Iterator<Item = impl fmt::Display>) -> String {
    let items: Vec<String> = items.map(|item| item.to_string()).collect();
    format!("{open}{}{close}", items.join(", "))
}
