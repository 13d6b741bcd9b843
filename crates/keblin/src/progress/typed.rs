//! Types that calls take for a field: the fields of one game, or looked-up ones. The compiler's messages about other
//! types are written here.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::snapshot::Schema;
use keblin_model::typed::{FieldType, Scalar};
use keblin_model::{AnyGame, Compiled, Field, PerField};

/// A game with a schema of its own, as a type. The macro [`schema!`](crate::schema) makes one.
pub trait Game: Compiled {
    /// Returns its schema.
    fn schema() -> &'static Arc<Schema>;
}

/// The type that a field is read as.
pub(super) type Read<'a, F, G> = <<F as FieldOf<G>>::Of as FieldType>::Read<'a>;

/// The type that a field is written as.
pub(crate) type Write<F, G> = <<F as FieldOf<G>>::Of as FieldType>::Write;

/// A field of a game with one value.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a field of this game with one value",
    label = "expected a field of this game with one value",
    note = "write `fields::NAME`; for a field with one value per level or difficulty `fields::NAME.at(levels::ID)`, with one argument for each axis",
    note = "a field of another game's schema does not fit here, and a level or checkpoint is not a field"
)]
pub trait FieldOf<G>: Copy {
    /// The type it is read and written as.
    type Of: FieldType;
    /// Converts the field to any game.
    #[doc(hidden)]
    fn of_any(self) -> Field<Self::Of>;
}

impl<T: FieldType, G> FieldOf<G> for Field<T, G> {
    type Of = T;
    fn of_any(self) -> Field<T> {
        Field::of_any(self)
    }
}

/// A field that was looked up in a game's schema is checked at run time.
impl<T: FieldType, G: Game> FieldOf<G> for Field<T, AnyGame> {
    type Of = T;
    fn of_any(self) -> Field<T> {
        self
    }
}

/// A field of a game that may be unset: a record, or an id without a default.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a field of this game that may be unset",
    label = "expected a record, or an id without a default",
    note = "a record is declared with `keep = \"highest\"` or `keep = \"lowest\"`; a field that always has a value is written with `set` or `add`"
)]
pub trait UnsettableOf<G>: Copy {
    /// The type of its value when it is set.
    type Held: Scalar;
    /// Converts the field to any game.
    #[doc(hidden)]
    fn of_any(self) -> Field<Option<Self::Held>>;
}

impl<T: Scalar, G> UnsettableOf<G> for Field<Option<T>, G> {
    type Held = T;
    fn of_any(self) -> Field<Option<T>> {
        Field::of_any(self)
    }
}

/// A list of a game.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a list of this game",
    label = "expected a field of the type `list`",
    note = "a set takes items with `insert` and `remove`, a map with `put_entry` and `take_entry`"
)]
pub trait ListOf<G>: Copy {
    /// The type of its items.
    type Item: Scalar;
    /// Converts the field to any game.
    #[doc(hidden)]
    fn of_any(self) -> Field<Vec<Self::Item>>;
}

impl<T: Scalar, G> ListOf<G> for Field<Vec<T>, G> {
    type Item = T;
    fn of_any(self) -> Field<Vec<T>> {
        Field::of_any(self)
    }
}

/// A set of a game.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a set of this game",
    label = "expected a field of the type `set`",
    note = "a list takes items with `push` and `remove_at`, a map with `put_entry` and `take_entry`"
)]
pub trait SetOf<G>: Copy {
    /// The type of its items.
    type Item: Scalar;
    /// Converts the field to any game.
    #[doc(hidden)]
    fn of_any(self) -> Field<BTreeSet<Self::Item>>;
}

impl<T: Scalar, G> SetOf<G> for Field<BTreeSet<T>, G> {
    type Item = T;
    fn of_any(self) -> Field<BTreeSet<T>> {
        Field::of_any(self)
    }
}

/// A map of a game.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a map of this game",
    label = "expected a field of the type `map`",
    note = "a list takes items with `push` and `remove_at`, a set with `insert` and `remove`"
)]
pub trait MapOf<G>: Copy {
    /// The type of its keys.
    type Key: Scalar;
    /// The type of its values.
    type Item: Scalar;
    /// Converts the field to any game.
    #[doc(hidden)]
    fn of_any(self) -> Field<BTreeMap<Self::Key, Self::Item>>;
}

impl<K: Scalar, T: Scalar, G> MapOf<G> for Field<BTreeMap<K, T>, G> {
    type Key = K;
    type Item = T;
    fn of_any(self) -> Field<BTreeMap<K, T>> {
        Field::of_any(self)
    }
}

/// A list, set or map of a game.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a list, set or map of this game",
    label = "expected a field of the type `list`, `set` or `map`"
)]
pub trait CollectionOf<G>: Copy {
    /// The type it is read and written as.
    type Of: FieldType<Write = Vec<Self::Entry>>;
    /// One item as it is written; of a map, key and value.
    type Entry;
    /// Converts the field to any game.
    #[doc(hidden)]
    fn of_any(self) -> Field<Self::Of>;
}

impl<T: Scalar, G> CollectionOf<G> for Field<Vec<T>, G> {
    type Of = Vec<T>;
    type Entry = T::Write;
    fn of_any(self) -> Field<Vec<T>> {
        Field::of_any(self)
    }
}

impl<T: Scalar, G> CollectionOf<G> for Field<BTreeSet<T>, G> {
    type Of = BTreeSet<T>;
    type Entry = T::Write;
    fn of_any(self) -> Field<BTreeSet<T>> {
        Field::of_any(self)
    }
}

impl<K: Scalar, T: Scalar, G> CollectionOf<G> for Field<BTreeMap<K, T>, G> {
    type Of = BTreeMap<K, T>;
    type Entry = (K::Write, T::Write);
    fn of_any(self) -> Field<BTreeMap<K, T>> {
        Field::of_any(self)
    }
}

/// A field of a game, with or without axes.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a field of this game",
    label = "expected a field of this game",
    note = "write `fields::NAME`"
)]
pub trait WholeField<G>: Copy {
    /// Returns the cell of its first value.
    fn first_cell(self) -> usize;
}

impl<T, G> WholeField<G> for Field<T, G> {
    fn first_cell(self) -> usize {
        self.cell()
    }
}

impl<T, P, G: Compiled> WholeField<G> for PerField<T, P, G> {
    fn first_cell(self) -> usize {
        PerField::first_cell(self)
    }
}

/// A record of a game, with or without axes.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a record of this game",
    label = "expected a record",
    note = "a record is declared with `keep = \"highest\"` or `keep = \"lowest\"`"
)]
pub trait RecordOf<G>: WholeField<G> {
    /// The type of its values.
    type Held: Scalar;
    /// It has one place on its axes, not all of them.
    #[doc(hidden)]
    const ONE_PLACE: bool;
}

impl<T: Scalar, G> RecordOf<G> for Field<Option<T>, G> {
    type Held = T;
    const ONE_PLACE: bool = true;
}

impl<T: Scalar, P, G: Compiled> RecordOf<G> for PerField<Option<T>, P, G> {
    type Held = T;
    const ONE_PLACE: bool = false;
}
