//! Kinds: what a field can hold.

use std::fmt;

/// Which list an id is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
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
    /// The lists that are there without being declared in `[lists]`, with the words for them.
    pub const BUILT_IN: [(&'static str, Ids); 4] = [
        ("levels", Ids::Levels),
        ("checkpoints", Ids::Checkpoints),
        ("difficulties", Ids::Difficulties),
        ("unlocks", Ids::Unlocks),
    ];
}

/// What a value is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Kind {
    /// Yes or no.
    Bool,
    /// A whole number, 64 bits with sign.
    Int,
    /// A finite number with a fraction, 64 bits.
    Float,
    /// A length of time, in whole nanoseconds with sign.
    Time,
    /// Text, at most `max_len` characters.
    Text,
    /// Bytes, at most `max_len`.
    Bytes,
    /// One of a list of ids.
    Id(Ids),
    /// Two numbers of 32 bits with a fraction.
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
}

impl Kind {
    /// The words of all kinds that need no list or shape to be named, in the order in which complaints list them.
    pub const PLAIN: [(&'static str, Kind); 13] = [
        ("bool", Kind::Bool),
        ("int", Kind::Int),
        ("float", Kind::Float),
        ("time", Kind::Time),
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

    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Kind::Id(_) => "id",
            Kind::Shape(_) => "shape",
            plain => Kind::PLAIN.iter().find(|(_, kind)| *kind == plain).map_or("", |(word, _)| word),
        }
    }

    /// The word with its article, for sentences.
    #[must_use]
    pub fn with_article(self) -> String {
        let article = if matches!(self, Kind::Int | Kind::Id(_) | Kind::Opaque) { "an" } else { "a" };
        let word = if self == Kind::Bytes { "row of bytes" } else { self.as_str() };
        format!("{article} {word}")
    }

    /// Whether it is a number, which can have bounds and be the highest or lowest.
    #[must_use]
    pub fn is_number(self) -> bool {
        matches!(self, Kind::Int | Kind::Float | Kind::Time)
    }

    /// Whether it has items.
    #[must_use]
    pub fn has_items(self) -> bool {
        matches!(self, Kind::List | Kind::Set | Kind::Map)
    }

    /// Whether it has a length that must be bounded.
    #[must_use]
    pub fn has_length(self) -> bool {
        matches!(self, Kind::Text | Kind::Bytes | Kind::Opaque)
    }

    /// Whether it can be an item of a list or set, a value of a map, or a member of a shape.
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

/// What a field holds: its kind and, of a list, set or map, the kinds of what is in it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Holds {
    /// The kind.
    pub kind: Kind,
    /// The kind of the items of a list or set, or of the values of a map.
    pub of: Option<Kind>,
    /// The kind of the keys of a map.
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
