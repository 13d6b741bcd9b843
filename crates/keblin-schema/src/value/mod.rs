//! Values: what one cell of progress holds. Bounds and keep rules are decided elsewhere.

use std::cmp::Ordering;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::sync::Arc;

use crate::text::name::Name;
use crate::text::time::Time;

/// Keep rules: how a new value meets the stored one.
pub mod keep;

/// Kinds: what a field can hold.
pub mod kind;

use kind::Ids;

/// What one cell of progress holds. `Unset` is "never", which is not zero. Cheap to clone.
#[derive(Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Value {
    /// Nothing yet.
    Unset,
    /// Yes or no.
    Bool(bool),
    /// A whole number.
    Int(i64),
    /// A number with a fraction.
    Float(Float),
    /// A length of time.
    Time(Time),
    /// Text.
    Text(Arc<str>),
    /// Bytes.
    Bytes(Arc<[u8]>),
    /// One of a list of ids.
    Id {
        /// Which list.
        of: Ids,
        /// Its position in the list.
        index: u16,
        /// The id; of a checkpoint `LEVEL.CHECKPOINT`.
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
    /// Values in order; one may be there twice.
    List(Arc<[Value]>),
    /// Values without order; each is there once.
    Set(Arc<BTreeSet<Value>>),
    /// Values by key.
    Map(Arc<BTreeMap<Value, Value>>),
    /// The game's own bytes, never looked into.
    Opaque(Arc<Opaque>),
}

// Not derived: numbers, which are copied all the time, take no call.
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

/// A finite number of 64 bits with a fraction. Negative zero is zero.
#[derive(Clone, Copy, Default)]
pub struct Float(f64);

/// A finite number of 32 bits with a fraction, as graphics and physics take them. Negative zero is zero.
#[derive(Clone, Copy, Default)]
pub struct Part(f32);

macro_rules! finite {
    ($name:ident, $number:ty) => {
        impl $name {
            /// The number; `None` for an infinite one or one that is none.
            #[must_use]
            pub fn new(number: $number) -> Option<$name> {
                // Adding zero turns the negative zero into the plain one.
                number.is_finite().then_some($name(number + 0.0))
            }

            /// The number itself.
            #[must_use]
            pub fn get(self) -> $number {
                self.0
            }
        }

        impl PartialEq for $name {
            fn eq(&self, other: &$name) -> bool {
                self.cmp(other) == Ordering::Equal
            }
        }

        impl Eq for $name {}

        impl std::hash::Hash for $name {
            fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
                self.0.to_bits().hash(state);
            }
        }

        impl PartialOrd for $name {
            fn partial_cmp(&self, other: &$name) -> Option<Ordering> {
                Some(self.cmp(other))
            }
        }

        impl Ord for $name {
            fn cmp(&self, other: &$name) -> Ordering {
                self.0.total_cmp(&other.0)
            }
        }

        impl fmt::Debug for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                fmt::Debug::fmt(&self.0, f)
            }
        }

        /// With a fraction or an exponent, so that it is not taken for a whole number.
        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.pad(&format!("{:?}", self.0))
            }
        }
    };
}

finite!(Float, f64);
finite!(Part, f32);

/// The game's own bytes with their own version number: kept and checked, never looked into.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Opaque {
    /// What the game calls their version.
    pub version: u32,
    /// The bytes.
    pub bytes: Arc<[u8]>,
}

impl Value {
    /// A value that is not only a number, sharing what it holds.
    fn shared(&self) -> Value {
        match self {
            Value::Unset => Value::Unset,
            Value::Bool(yes) => Value::Bool(*yes),
            Value::Int(number) => Value::Int(*number),
            Value::Time(time) => Value::Time(*time),
            Value::Float(number) => Value::Float(*number),
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
        }
    }

    /// A text value.
    #[must_use]
    pub fn text(text: &str) -> Value {
        Value::Text(Arc::from(text))
    }

    /// A number with a fraction; `None` for an infinite one or one that is none.
    #[must_use]
    pub fn float(number: f64) -> Option<Value> {
        Float::new(number).map(Value::Float)
    }

    /// The whole number behind an int (itself) or a time (nanoseconds).
    #[must_use]
    pub fn number(&self) -> Option<i64> {
        match self {
            Value::Int(number) => Some(*number),
            Value::Time(time) => Some(time.as_nanos()),
            _ => None,
        }
    }

    /// A value of the same kind as this one with another number, where it has a whole number at all.
    #[must_use]
    pub fn with_number(&self, number: i64) -> Value {
        match self {
            Value::Int(_) => Value::Int(number),
            Value::Time(_) => Value::Time(Time::from_nanos(number)),
            other => other.clone(),
        }
    }

    /// How two numbers of one kind are ordered: ints, floats, times. `None` for anything else.
    #[must_use]
    pub fn order(&self, other: &Value) -> Option<Ordering> {
        match (self, other) {
            (Value::Int(a), Value::Int(b)) => Some(a.cmp(b)),
            (Value::Time(a), Value::Time(b)) => Some(a.cmp(b)),
            (Value::Float(a), Value::Float(b)) => Some(a.cmp(b)),
            _ => None,
        }
    }

    /// The sum of two numbers of one kind, and whether it went over the end of what fits. `None` for anything else.
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

    /// The number with the other sign; stops at the end of what fits. Anything else as it is.
    #[must_use]
    pub fn negated(&self) -> Value {
        match self {
            Value::Float(number) => Value::Float(Float(0.0 - number.get())),
            other => {
                other.number().map_or(other.clone(), |number| other.with_number(number.saturating_neg()))
            }
        }
    }

    /// Whether it is a number below zero.
    #[must_use]
    pub fn is_negative(&self) -> bool {
        match self {
            Value::Float(number) => number.get() < 0.0,
            other => other.number().is_some_and(|number| number < 0),
        }
    }

    /// The text behind a text or an id.
    #[must_use]
    pub fn as_text(&self) -> Option<&str> {
        match self {
            Value::Text(text) | Value::Id { name: text, .. } => Some(text),
            _ => None,
        }
    }

    /// How many characters, bytes or items it has; 0 for what has none.
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

    /// Whether it has no characters, bytes or items.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Whether a list or set has this item, or a map this key. A text stands for the id it names.
    #[must_use]
    pub fn has(&self, item: &Value) -> bool {
        match self {
            Value::List(items) => items.iter().any(|held| held.same(item)),
            Value::Set(items) => items.iter().any(|held| held.same(item)),
            Value::Map(entries) => entries.keys().any(|held| held.same(item)),
            _ => false,
        }
    }

    /// Whether two values are equal, a text standing for the id it names.
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

/// Shown as people write it: `unset`, `true`, `31`, `0.5`, `1m32.4s`, `"F-04"`, `wick`, `["F-04", "F-11"]`.
impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Value::Unset => f.pad("unset"),
            Value::Bool(yes) => f.pad(if *yes { "true" } else { "false" }),
            Value::Int(number) => f.pad(&number.to_string()),
            Value::Float(number) => fmt::Display::fmt(number, f),
            Value::Time(time) => fmt::Display::fmt(time, f),
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
