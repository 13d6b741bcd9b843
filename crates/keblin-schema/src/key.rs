//! Typed handles of names that were looked up once, so that later uses need no name. Handles hold a cell or position
//! of one schema, and a tag by which a handle of another schema is told.

use std::marker::PhantomData;

use crate::model::{At, Axis, Schema};
use crate::value::{Kind, Time, Value};

/// A Rust type that a field can be read and written as: `bool`, `i64`, [`Time`], `String`, and `Option` of `i64` or
/// [`Time`] for records, which may be unset.
pub trait FieldType: sealed::Sealed + 'static {
    /// What a read gives.
    type Read<'a>;
    /// What a write takes.
    type Write;
    /// The declared kind that fits.
    const KIND: Kind;
    /// Whether the field may be unset.
    const MAY_BE_UNSET: bool;

    /// A stored value as this type; the type's own zero where the kinds differ, which a looked-up handle excludes.
    fn read(value: &Value) -> Self::Read<'_>;
    /// As a value to store.
    fn write(value: Self::Write) -> Value;
}

mod sealed {
    pub trait Sealed {}
    impl Sealed for bool {}
    impl Sealed for i64 {}
    impl Sealed for super::Time {}
    impl Sealed for String {}
    impl<T: Sealed> Sealed for Option<T> {}
}

impl FieldType for bool {
    type Read<'a> = bool;
    type Write = bool;
    const KIND: Kind = Kind::Bool;
    const MAY_BE_UNSET: bool = false;
    fn read(value: &Value) -> bool {
        matches!(value, Value::Bool(true))
    }
    fn write(value: bool) -> Value {
        Value::Bool(value)
    }
}

impl FieldType for i64 {
    type Read<'a> = i64;
    type Write = i64;
    const KIND: Kind = Kind::Int;
    const MAY_BE_UNSET: bool = false;
    fn read(value: &Value) -> i64 {
        value.number().unwrap_or(0)
    }
    fn write(value: i64) -> Value {
        Value::Int(value)
    }
}

impl FieldType for Time {
    type Read<'a> = Time;
    type Write = Time;
    const KIND: Kind = Kind::Time;
    const MAY_BE_UNSET: bool = false;
    fn read(value: &Value) -> Time {
        Time::from_nanos(value.number().unwrap_or(0))
    }
    fn write(value: Time) -> Value {
        Value::Time(value)
    }
}

impl FieldType for String {
    type Read<'a> = &'a str;
    type Write = String;
    const KIND: Kind = Kind::Text;
    const MAY_BE_UNSET: bool = false;
    fn read(value: &Value) -> &str {
        if let Value::Text(text) = value { text } else { "" }
    }
    fn write(value: String) -> Value {
        Value::text(&value)
    }
}

impl FieldType for Option<i64> {
    type Read<'a> = Option<i64>;
    type Write = i64;
    const KIND: Kind = Kind::Int;
    const MAY_BE_UNSET: bool = true;
    fn read(value: &Value) -> Option<i64> {
        value.number()
    }
    fn write(value: i64) -> Value {
        Value::Int(value)
    }
}

impl FieldType for Option<Time> {
    type Read<'a> = Option<Time>;
    type Write = Time;
    const KIND: Kind = Kind::Time;
    const MAY_BE_UNSET: bool = true;
    fn read(value: &Value) -> Option<Time> {
        value.number().map(Time::from_nanos)
    }
    fn write(value: Time) -> Value {
        Value::Time(value)
    }
}

/// One value of a field, read and written as `T`.
#[derive(Debug)]
pub struct Field<T> {
    pub(crate) cell: u32,
    pub(crate) tag: u32,
    pub(crate) of: PhantomData<fn() -> T>,
}

// Not derived: a handle is copied whether or not `T` can be.
impl<T> Clone for Field<T> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T> Copy for Field<T> {}

impl<T> Field<T> {
    /// Its cell in the layout of the schema it was looked up in.
    #[must_use]
    pub fn cell(self) -> usize {
        self.cell as usize
    }

    /// Whether it was looked up in this schema, or in one of the same layout.
    #[must_use]
    pub fn belongs_to(self, schema: &Schema) -> bool {
        self.tag == schema.tag
    }
}

/// A level.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Level(pub(crate) u16);

/// A difficulty.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Difficulty(pub(crate) u16);

/// An unlock: what is not a level and opens.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Unlock(pub(crate) u16);

impl Unlock {
    /// Its position in [`Schema::unlocks`].
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.0)
    }
}

/// A checkpoint of one level.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Checkpoint {
    pub(crate) level: u16,
    pub(crate) index: u16,
}

impl Level {
    /// Its position in [`Schema::levels`].
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.0)
    }
}

impl Difficulty {
    /// Its position in [`Schema::difficulties`].
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.0)
    }
}

impl Checkpoint {
    /// The level it stands in.
    #[must_use]
    pub fn level(self) -> Level {
        Level(self.level)
    }

    /// Its position in the level's checkpoints.
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.index)
    }
}

/// The place on a field's axes, as the types of handles: a level, a difficulty, or a pair in declared order.
pub trait Place: Copy {
    /// The axes, outermost first.
    const AXES: &'static [Axis];
    /// The place itself.
    fn at(self) -> At;
}

impl Place for Level {
    const AXES: &'static [Axis] = &[Axis::Level];
    fn at(self) -> At {
        At { level: Some(self.index()), difficulty: None }
    }
}

impl Place for Difficulty {
    const AXES: &'static [Axis] = &[Axis::Difficulty];
    fn at(self) -> At {
        At { level: None, difficulty: Some(self.index()) }
    }
}

impl Place for (Level, Difficulty) {
    const AXES: &'static [Axis] = &[Axis::Level, Axis::Difficulty];
    fn at(self) -> At {
        At { level: Some(self.0.index()), difficulty: Some(self.1.index()) }
    }
}

impl Place for (Difficulty, Level) {
    const AXES: &'static [Axis] = &[Axis::Difficulty, Axis::Level];
    fn at(self) -> At {
        (self.1, self.0).at()
    }
}

/// A field with one value for each place `P`.
#[derive(Clone, Copy, Debug)]
pub struct FieldPer<T, P> {
    pub(crate) first: u32,
    pub(crate) inner_len: u32,
    pub(crate) tag: u32,
    pub(crate) of: PhantomData<fn(P) -> T>,
}

impl<T, P: Place> FieldPer<T, P> {
    /// The value at one place.
    #[must_use]
    pub fn at(self, place: P) -> Field<T> {
        let at = place.at();
        let inner = match P::AXES.last() {
            Some(Axis::Difficulty) => (at.difficulty, at.level),
            _ => (at.level, at.difficulty),
        };
        let position = |index: Option<usize>| u32::try_from(index.unwrap_or(0)).unwrap_or(u32::MAX);
        let offset = position(inner.1).saturating_mul(self.inner_len).saturating_add(position(inner.0));
        Field { cell: self.first.saturating_add(offset), tag: self.tag, of: PhantomData }
    }
}
