//! The types of values.

use std::fmt;

/// The list that an id is from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Ids {
    /// A closed list, as a position in [`Model::lists`](crate::Model::lists).
    List(u16),
    /// The levels.
    Levels,
    /// The checkpoints of all levels, as `LEVEL.CHECKPOINT`.
    Checkpoints,
    /// The difficulties.
    Difficulties,
    /// The unlocks.
    Unlocks,
}

impl Ids {
    /// The built-in lists, with their words.
    pub const BUILT_IN: [(&'static str, Ids); 4] = [
        ("levels", Ids::Levels),
        ("checkpoints", Ids::Checkpoints),
        ("difficulties", Ids::Difficulties),
        ("unlocks", Ids::Unlocks),
    ];
}

/// The type of a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Kind {
    /// A bool.
    Bool,
    /// A whole number, 64 bits, signed.
    Int,
    /// A finite number with a fraction, 64 bits.
    Float,
    /// A duration, in whole nanoseconds, signed.
    Time,
    /// A calendar day.
    Date,
    /// A point in time, in whole milliseconds.
    Instant,
    /// Text, at most `max_len` characters.
    Text,
    /// Bytes, at most `max_len`.
    Bytes,
    /// An id from a list.
    Id(Ids),
    /// Two 32-bit numbers with a fraction.
    Vec2,
    /// Three of them.
    Vec3,
    /// A rotation: x, y, z, w.
    Quat,
    /// A declared struct, as a position in [`Model::shapes`](crate::Model::shapes).
    Shape(u16),
    /// Values in order, at most `max_items`.
    List,
    /// Values without order, each once, at most `max_items`.
    Set,
    /// Values by key, at most `max_items`.
    Map,
    /// The game's own bytes with their own version, at most `max_len`.
    Opaque,
    /// The id of an object of a kind, as a position in [`Model::object_kinds`](crate::Model::object_kinds).
    Object(u16),
}

impl Kind {
    /// The words of all types that do not name a list, shape or kind of objects, in the order in which messages list them.
    pub const PLAIN: [(&'static str, Kind); 15] = [
        ("bool", Kind::Bool),
        ("int", Kind::Int),
        ("float", Kind::Float),
        ("time", Kind::Time),
        ("date", Kind::Date),
        ("instant", Kind::Instant),
        ("text", Kind::Text),
        ("bytes", Kind::Bytes),
        ("vec2", Kind::Vec2),
        ("vec3", Kind::Vec3),
        ("quat", Kind::Quat),
        ("list", Kind::List),
        ("set", Kind::Set),
        ("map", Kind::Map),
        ("opaque", Kind::Opaque),
    ];

    /// Returns the word in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Kind::Id(_) => "id",
            Kind::Shape(_) => "shape",
            Kind::Object(_) => "object",
            plain => Kind::PLAIN.iter().find(|(_, kind)| *kind == plain).map_or("", |(word, _)| word),
        }
    }

    /// Returns the word with its article, for sentences.
    #[must_use]
    pub fn with_article(self) -> String {
        let article =
            if matches!(self, Kind::Int | Kind::Id(_) | Kind::Instant | Kind::Opaque | Kind::Object(_)) {
                "an"
            } else {
                "a"
            };
        let word = if self == Kind::Bytes { "row of bytes" } else { self.as_str() };
        format!("{article} {word}")
    }

    /// Returns whether one value can be greater than another, so that a field can keep the highest or lowest.
    #[must_use]
    pub fn is_ordered(self) -> bool {
        self.is_number() || matches!(self, Kind::Date | Kind::Instant)
    }

    /// Returns whether it starts unset if nothing else is declared, because no value of it means nothing.
    #[must_use]
    pub fn starts_unset(self) -> bool {
        matches!(self, Kind::Id(_) | Kind::Date | Kind::Instant | Kind::Object(_))
    }

    /// Returns whether it is a number, which can have bounds and be added up.
    #[must_use]
    pub fn is_number(self) -> bool {
        matches!(self, Kind::Int | Kind::Float | Kind::Time)
    }

    /// Returns whether it has items.
    #[must_use]
    pub fn has_items(self) -> bool {
        matches!(self, Kind::List | Kind::Set | Kind::Map)
    }

    /// Returns whether it has a length that must be limited.
    #[must_use]
    pub fn has_length(self) -> bool {
        matches!(self, Kind::Text | Kind::Bytes | Kind::Opaque)
    }

    /// Returns whether it can be an item of a list or set, a value of a map, or a member of a shape.
    #[must_use]
    pub fn is_scalar(self) -> bool {
        !self.has_items() && !matches!(self, Kind::Opaque | Kind::Shape(_))
    }
}

impl fmt::Display for Kind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.as_str())
    }
}

/// The type of a field, with the types of its contents for a list, set or map.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Holds {
    /// The type.
    pub kind: Kind,
    /// The type of the items of a list or set, or of the values of a map.
    pub of: Option<Kind>,
    /// The type of the keys of a map.
    pub key: Option<Kind>,
}

impl From<Kind> for Holds {
    fn from(kind: Kind) -> Holds {
        Holds { kind, of: None, key: None }
    }
}

/// As people say it: `int`, `list of text`, `map of int by text`.
impl fmt::Display for Holds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.kind)?;
        self.of.map_or(Ok(()), |of| write!(f, " of {of}"))?;
        self.key.map_or(Ok(()), |key| write!(f, " by {key}"))
    }
}
