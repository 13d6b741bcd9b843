//! Names looked up once, as typed handles: a wrong name or type is told at the look-up, and later uses need no name.
//! Handles hold a cell or position of one schema, and a tag by which a handle of another schema is told.

use std::fmt;
use std::marker::PhantomData;

use crate::model::{At, Axis, FieldDef, Schema};
use crate::name::{Name, nearest};
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
    cell: u32,
    tag: u32,
    of: PhantomData<fn() -> T>,
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
pub struct Level(u16);

/// A difficulty.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Difficulty(u16);

/// An unlock: what is not a level and opens.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Unlock(u16);

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
    level: u16,
    index: u16,
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
    first: u32,
    inner_len: u32,
    tag: u32,
    of: PhantomData<fn(P) -> T>,
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

/// Why a look-up gave no handle.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum LookupError {
    /// Nothing of that name is declared.
    Unknown {
        /// What was looked for: `field`, `level`, `checkpoint` or `difficulty`.
        what: &'static str,
        /// The name asked for.
        name: String,
        /// The declared name that was probably meant.
        nearest: Option<String>,
    },
    /// The field is declared as something else than it was asked for.
    Mismatch {
        /// The field.
        name: Name,
        /// What it is declared as.
        declared: String,
        /// What it was asked for as.
        asked: String,
    },
}

impl fmt::Display for LookupError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            LookupError::Unknown { what, name, nearest } => {
                write!(f, "no {what} `{name}` is declared")?;
                nearest.as_ref().map_or(Ok(()), |nearest| write!(f, "; did you mean `{nearest}`?"))
            }
            LookupError::Mismatch { name, declared, asked } => {
                write!(f, "field `{name}` is declared as {declared}, but was asked for as {asked}")
            }
        }
    }
}

impl std::error::Error for LookupError {}

impl LookupError {
    /// For a name that is none of `known`.
    #[must_use]
    pub fn unknown<'a>(
        what: &'static str,
        name: &str,
        known: impl IntoIterator<Item = &'a Name>,
    ) -> LookupError {
        let nearest = nearest(name, known.into_iter().map(Name::as_str)).map(str::to_string);
        LookupError::Unknown { what, name: name.to_string(), nearest }
    }
}

fn described(kind: Kind, may_be_unset: bool, per: &[Axis]) -> String {
    let axes: Vec<_> = per.iter().map(|axis| axis.as_str()).collect();
    let each = if axes.is_empty() { String::new() } else { format!(" for each {}", axes.join(" and ")) };
    format!("{kind}{}{each}", if may_be_unset { " that may be unset" } else { "" })
}

fn position<T: TryFrom<usize>>(index: usize) -> Option<T> {
    T::try_from(index).ok()
}

impl Schema {
    fn field_of_type<T: FieldType>(&self, id: &str, per: &[Axis]) -> Result<(&FieldDef, u32), LookupError> {
        let unknown = || LookupError::unknown("field", id, self.fields.iter().map(|field| &field.name));
        let (_, field) = self.field_named(id).ok_or_else(unknown)?;
        let may_be_unset = field.default == Value::Unset;
        if (field.kind, may_be_unset) != (T::KIND, T::MAY_BE_UNSET) || field.per != per {
            return Err(LookupError::Mismatch {
                name: field.name.clone(),
                declared: described(field.kind, may_be_unset, &field.per),
                asked: described(T::KIND, T::MAY_BE_UNSET, per),
            });
        }
        Ok((field, position(field.cells.start).ok_or_else(unknown)?))
    }

    /// A field with one value.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared; [`LookupError::Mismatch`] if the field is of another
    /// kind, may be unset where `T` may not (or the other way round), or has one value for each of something.
    pub fn field<T: FieldType>(&self, id: &str) -> Result<Field<T>, LookupError> {
        let (_, cell) = self.field_of_type::<T>(id, &[])?;
        Ok(Field { cell, tag: self.tag, of: PhantomData })
    }

    /// A field with one value for each place.
    ///
    /// # Errors
    /// As [`Schema::field`]; the axes must be the declared ones in the declared order.
    pub fn field_per<T: FieldType, P: Place>(&self, id: &str) -> Result<FieldPer<T, P>, LookupError> {
        let (field, first) = self.field_of_type::<T>(id, P::AXES)?;
        let inner_len = field.per.last().map_or(1, |axis| self.axis_len(*axis));
        let inner_len = position(inner_len).unwrap_or(u32::MAX);
        Ok(FieldPer { first, inner_len, tag: self.tag, of: PhantomData })
    }

    /// A level.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn level(&self, id: &str) -> Result<Level, LookupError> {
        let found = self.level_named(id).and_then(position).map(Level);
        found.ok_or_else(|| LookupError::unknown("level", id, self.levels.iter().map(|level| &level.name)))
    }

    /// A level by its position in [`Schema::levels`], `None` outside.
    #[must_use]
    pub fn level_at(&self, index: usize) -> Option<Level> {
        self.levels.get(index).and(position(index)).map(Level)
    }

    /// A difficulty.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn difficulty(&self, id: &str) -> Result<Difficulty, LookupError> {
        let found = self.difficulty_named(id).and_then(position).map(Difficulty);
        found.ok_or_else(|| LookupError::unknown("difficulty", id, &self.difficulties))
    }

    /// A difficulty by its position in [`Schema::difficulties`], `None` outside.
    #[must_use]
    pub fn difficulty_at(&self, index: usize) -> Option<Difficulty> {
        self.difficulties.get(index).and(position(index)).map(Difficulty)
    }

    /// An unlock.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn unlock(&self, id: &str) -> Result<Unlock, LookupError> {
        let found = self.unlock_named(id).and_then(position).map(Unlock);
        found
            .ok_or_else(|| LookupError::unknown("unlock", id, self.unlocks.iter().map(|unlock| &unlock.name)))
    }

    /// An unlock by its position in [`Schema::unlocks`], `None` outside.
    #[must_use]
    pub fn unlock_at(&self, index: usize) -> Option<Unlock> {
        self.unlocks.get(index).and(position(index)).map(Unlock)
    }

    /// A checkpoint of a level.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that the level does not declare.
    pub fn checkpoint(&self, level: Level, id: &str) -> Result<Checkpoint, LookupError> {
        let found =
            self.checkpoint_named(level.index(), id).and_then(|index| self.checkpoint_at(level, index));
        let known = self.levels.get(level.index()).map_or(&[][..], |level| &level.checkpoints);
        found.ok_or_else(|| LookupError::unknown("checkpoint", id, known))
    }

    /// A checkpoint by its position in the level's checkpoints, `None` outside.
    #[must_use]
    pub fn checkpoint_at(&self, level: Level, index: usize) -> Option<Checkpoint> {
        self.levels.get(level.index())?.checkpoints.get(index)?;
        Some(Checkpoint { level: level.0, index: position(index)? })
    }
}
