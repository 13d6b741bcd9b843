//! The contents of fields: declared structs, and the limits of items and members.

use crate::text::name::Name;
use crate::value::Value;
use crate::value::kind::{Holds, Kind};

/// The limits of one value inside a field, as literals: an item, or a member of a shape.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub struct Limits {
    /// The lower bound (numbers).
    pub min: Option<Value>,
    /// The upper bound (numbers).
    pub max: Option<Value>,
    /// The most characters (text) or bytes.
    pub max_len: Option<usize>,
}

/// The contents of a list, set or map.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Items {
    /// The type of the items; for a map, of the values.
    pub of: Kind,
    /// The type of the keys of a map.
    pub key: Option<Kind>,
    /// The limits of each item.
    pub limits: Limits,
    /// The most items.
    pub max_items: usize,
}

/// A declared struct.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct ShapeDef {
    /// Its id.
    pub name: Name,
    /// Its members, in order.
    pub members: Vec<MemberDef>,
}

/// A member of a shape.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct MemberDef {
    /// Its id.
    pub name: Name,
    /// A description for people.
    pub about: Option<String>,
    /// Its type.
    pub kind: Kind,
    /// Its value in a shape that was not written.
    pub default: Value,
    /// Its limits; for a list, set or map those of `items`.
    pub limits: Limits,
    /// Its contents (lists, sets, maps).
    pub items: Option<Items>,
}

impl MemberDef {
    /// Returns its type, with the type of its items.
    #[must_use]
    pub fn holds(&self) -> Holds {
        let of = self.items.as_ref();
        Holds { kind: self.kind, of: of.map(|items| items.of), key: of.and_then(|items| items.key) }
    }
}

impl Limits {
    /// Returns limits with two bounds and a length.
    #[must_use]
    pub fn between(min: Option<Value>, max: Option<Value>, max_len: Option<usize>) -> Limits {
        Limits { min, max, max_len }
    }
}
