//! What may stand inside a field: declared structs, and the limits of items and members.

use crate::text::name::Name;
use crate::value::Value;
use crate::value::kind::Kind;

/// What one value may be, where its limits are written out: an item, a member of a shape.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Limits {
    /// The least it may be (numbers).
    pub min: Option<Value>,
    /// The most it may be (numbers).
    pub max: Option<Value>,
    /// The most characters (text) or bytes it may have.
    pub max_len: Option<usize>,
}

/// What is in a list, set or map.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Items {
    /// The kind of the items, of a map that of the values.
    pub of: Kind,
    /// The kind of the keys of a map.
    pub key: Option<Kind>,
    /// What each of them may be.
    pub limits: Limits,
    /// The most there may be.
    pub max_items: usize,
}

/// A declared struct.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct ShapeDef {
    /// Its id.
    pub name: Name,
    /// Its members, in order.
    pub members: Vec<MemberDef>,
}

/// A member of a shape.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct MemberDef {
    /// Its id.
    pub name: Name,
    /// What it is, for people.
    pub about: Option<String>,
    /// What it holds.
    pub kind: Kind,
    /// What it is in a shape that was not written.
    pub default: Value,
    /// What it may be.
    pub limits: Limits,
}

impl Limits {
    /// Between two numbers, of at most some length.
    #[must_use]
    pub fn between(min: Option<Value>, max: Option<Value>, max_len: Option<usize>) -> Limits {
        Limits { min, max, max_len }
    }
}
