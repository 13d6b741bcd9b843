//! The types an expression can have.

use std::fmt;

use crate::value::kind::{Holds, Kind};

/// The type of an expression.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Type {
    /// A number with a fraction.
    Float,
    /// A list; the type of its items, `None` for an empty literal.
    List(Option<Kind>),
    /// A set, or a map asked for its keys; the type of its contents.
    Items(Kind),
    /// A value that conditions can only read in part, or not at all.
    Whole(Kind),
    /// A bool.
    Bool,
    /// A whole number.
    Int,
    /// A duration.
    Time,
    /// A calendar day.
    Date,
    /// A point in time.
    Instant,
    /// Text; an id is text.
    Text,
    /// Only unset.
    Null,
}

impl fmt::Display for Type {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Type::Bool => "true or false",
            Type::Int => "a whole number",
            Type::Float => "a number with a fraction",
            Type::List(_) => "a list",
            Type::Items(_) => "a set or map",
            Type::Whole(kind) => return f.write_str(&kind.with_article()),
            Type::Time => "a time",
            Type::Date => "a day",
            Type::Instant => "an instant",
            Type::Text => "a text",
            Type::Null => "null",
        })
    }
}

impl From<Holds> for Type {
    fn from(holds: Holds) -> Type {
        match holds.kind {
            Kind::Bool => Type::Bool,
            Kind::Int => Type::Int,
            Kind::Float => Type::Float,
            Kind::Time => Type::Time,
            Kind::Date => Type::Date,
            Kind::Instant => Type::Instant,
            Kind::Text | Kind::Id(_) => Type::Text,
            Kind::List => Type::List(holds.of),
            Kind::Set => Type::Items(holds.of.unwrap_or(Kind::Text)),
            Kind::Map => Type::Items(holds.key.unwrap_or(Kind::Text)),
            other => Type::Whole(other),
        }
    }
}
