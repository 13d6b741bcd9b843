//! A game's own names. The macro [`schema!`](crate::schema) reads a declaration while the game is compiled and makes a
//! constant of every name in it, and types of [`Progress`] and [`Keeper`] that take no others: a
//! misspelt name, a value of the wrong type, a missing place on an axis, or a name of another game does not compile.
//!
//! Everything here gives its work to the [`Progress`] inside; it only turns names into handles on the way in, and handles
//! into names on the way out.

/// Values in a game's names.
mod values;

/// Events in a game's names.
mod events;

/// What events answer, in a game's names.
mod outcomes;

/// A game's own struct, tied to fields.
pub mod carry;

/// A keeper that is reached from anywhere.
pub mod installed;

/// What `schema!` writes into a game.
#[doc(hidden)]
pub mod made;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::marker::PhantomData;
use std::ops::{Deref, DerefMut};
use std::sync::Arc;

use keblin_schema::typed::{FieldType, Scalar};
use keblin_schema::{Field, Game, PerField};

use crate::progress::{Notice, Progress};
use crate::save::ReadError;
use crate::snapshot::Snapshot;
use crate::store::{Keeper, OpenError, SaveError, Saved, Slot, SwitchError};

pub use carry::{Carried, Carry, With};
pub use installed::{InstallError, Installed, InstalledGuard};

/// Progress, or a keeper of it, that speaks in the names of one game: `fen_post::Progress` and `fen_post::Keeper` are names
/// for it. What takes or gives no name of the game is that of the [`Progress`] or [`Keeper`] inside.
///
/// [`Keeper`]: crate::Keeper
pub struct Of<G, P> {
    inner: P,
    of: PhantomData<G>,
}

/// What has progress in it.
pub trait HasProgress {
    /// The progress.
    fn progress(&self) -> &Progress;
    /// The progress, to be changed.
    fn progress_mut(&mut self) -> &mut Progress;
}

impl HasProgress for Progress {
    fn progress(&self) -> &Progress {
        self
    }
    fn progress_mut(&mut self) -> &mut Progress {
        self
    }
}

impl HasProgress for Keeper {
    fn progress(&self) -> &Progress {
        self
    }
    fn progress_mut(&mut self) -> &mut Progress {
        self
    }
}

/// A field of a game with one value.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a field of this game with one value",
    label = "expected a field of this game with one value",
    note = "write `fields::NAME`; of a field with a value for each level or difficulty `fields::NAME.at(levels::ID)`, with as many places as it has axes",
    note = "a field of another game's schema does not fit here, and a level or checkpoint is no field"
)]
pub trait FieldOf<G>: Copy {
    /// The type it is read and written as.
    type Of: FieldType;
    /// As a handle that was looked up in the game's schema.
    fn looked_up(self) -> Field<Self::Of>;
}

impl<T: FieldType, G: Game> FieldOf<G> for Field<T, G> {
    type Of = T;
    fn looked_up(self) -> Field<T> {
        Field::looked_up(self)
    }
}

/// A field of a game that may be unset: a record, or an id without a default.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is no field of this game that may be unset",
    label = "expected a record, or an id without a default",
    note = "a record is declared with `keep = \"highest\"` or `keep = \"lowest\"`; what always has a value is written with `set` or `add`"
)]
pub trait UnsettableOf<G>: Copy {
    /// The type of what it holds when it is set.
    type Held: Scalar;
    /// As a handle that was looked up in the game's schema.
    fn looked_up(self) -> Field<Option<Self::Held>>;
}

impl<T: Scalar, G: Game> UnsettableOf<G> for Field<Option<T>, G> {
    type Held = T;
    fn looked_up(self) -> Field<Option<T>> {
        Field::looked_up(self)
    }
}

/// A list of a game.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is no list of this game",
    label = "expected a field of the type `list`",
    note = "a set takes items with `insert` and `remove`, a map with `put_entry` and `take_entry`"
)]
pub trait ListOf<G>: Copy {
    /// The type of its items.
    type Item: Scalar;
    /// As a handle that was looked up in the game's schema.
    fn looked_up(self) -> Field<Vec<Self::Item>>;
}

impl<T: Scalar, G: Game> ListOf<G> for Field<Vec<T>, G> {
    type Item = T;
    fn looked_up(self) -> Field<Vec<T>> {
        Field::looked_up(self)
    }
}

/// A set of a game.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is no set of this game",
    label = "expected a field of the type `set`",
    note = "a list takes items with `push` and `remove_at`, a map with `put_entry` and `take_entry`"
)]
pub trait SetOf<G>: Copy {
    /// The type of its items.
    type Item: Scalar;
    /// As a handle that was looked up in the game's schema.
    fn looked_up(self) -> Field<BTreeSet<Self::Item>>;
}

impl<T: Scalar, G: Game> SetOf<G> for Field<BTreeSet<T>, G> {
    type Item = T;
    fn looked_up(self) -> Field<BTreeSet<T>> {
        Field::looked_up(self)
    }
}

/// A map of a game.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is no map of this game",
    label = "expected a field of the type `map`",
    note = "a list takes items with `push` and `remove_at`, a set with `insert` and `remove`"
)]
pub trait MapOf<G>: Copy {
    /// The type of its keys.
    type Key: Scalar;
    /// The type of its values.
    type Item: Scalar;
    /// As a handle that was looked up in the game's schema.
    fn looked_up(self) -> Field<BTreeMap<Self::Key, Self::Item>>;
}

impl<K: Scalar, T: Scalar, G: Game> MapOf<G> for Field<BTreeMap<K, T>, G> {
    type Key = K;
    type Item = T;
    fn looked_up(self) -> Field<BTreeMap<K, T>> {
        Field::looked_up(self)
    }
}

/// A field of a game, with one value or with one for each place.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not a field of this game",
    label = "expected a field of this game",
    note = "write `fields::NAME`"
)]
pub trait WholeField<G>: Copy {
    /// The cell of its first value.
    fn first_cell(self) -> usize;
}

impl<T, G: Game> WholeField<G> for Field<T, G> {
    fn first_cell(self) -> usize {
        self.cell()
    }
}

impl<T, P, G: Game> WholeField<G> for PerField<T, P, G> {
    fn first_cell(self) -> usize {
        PerField::first_cell(self)
    }
}

impl<G, P> Deref for Of<G, P> {
    type Target = P;
    fn deref(&self) -> &P {
        &self.inner
    }
}

impl<G, P> DerefMut for Of<G, P> {
    fn deref_mut(&mut self) -> &mut P {
        &mut self.inner
    }
}

impl<G, P: Clone> Clone for Of<G, P> {
    fn clone(&self) -> Self {
        Of::holding(self.inner.clone())
    }
}

impl<G, P: fmt::Debug> fmt::Debug for Of<G, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.inner.fmt(f)
    }
}

impl<G, P> Of<G, P> {
    fn holding(inner: P) -> Of<G, P> {
        Of { inner, of: PhantomData }
    }
}

impl<G: Game> Of<G, Progress> {
    /// Progress without a save, as [`Progress::new`].
    #[must_use]
    #[expect(
        clippy::new_without_default,
        reason = "progress without a save is a first run, which nobody asks for by default"
    )]
    pub fn new() -> Of<G, Progress> {
        Of::holding(Progress::new(Arc::clone(G::schema())))
    }

    /// Progress as it was saved, as [`Progress::restored`].
    ///
    /// # Panics
    /// If the snapshot is of another game.
    #[must_use]
    pub fn restored(snapshot: Snapshot) -> Of<G, Progress> {
        assert!(snapshot.schema().game == G::schema().game, "a snapshot of another game");
        Of::holding(Progress::restored(snapshot))
    }
}

impl<G: Game> Of<G, Keeper> {
    /// Opens a slot to be played, as [`Keeper::open`].
    ///
    /// # Errors
    /// As [`Keeper::open`].
    pub fn open(slot: &Slot) -> Result<Of<G, Keeper>, OpenError> {
        Ok(Of::holding(Keeper::open(slot, G::schema())?))
    }

    /// Looks at a slot, as [`Keeper::view`].
    ///
    /// # Errors
    /// As [`Keeper::view`].
    pub fn view(slot: &Slot) -> Result<Of<G, Keeper>, OpenError> {
        Ok(Of::holding(Keeper::view(slot, G::schema())?))
    }

    /// Bytes that the game keeps itself, as [`Keeper::from_bytes`].
    ///
    /// # Errors
    /// As [`Keeper::from_bytes`].
    pub fn from_bytes(bytes: Option<&[u8]>) -> Result<Of<G, Keeper>, ReadError> {
        Ok(Of::holding(Keeper::from_bytes(G::schema(), bytes)?))
    }

    /// A keeper that was opened in another way, for the game whose schema it was opened with.
    ///
    /// # Panics
    /// If it is of another game.
    #[must_use]
    pub fn of_keeper(keeper: Keeper) -> Of<G, Keeper> {
        assert!(Arc::ptr_eq(keeper.schema(), G::schema()), "a keeper of another schema than this game's");
        Of::holding(keeper)
    }

    /// Goes on to another slot, or opens this one anew, as [`Keeper::switch_to`].
    ///
    /// # Errors
    /// As [`Keeper::switch_to`].
    pub fn switch_to(&mut self, slot: &Slot) -> Result<(), SwitchError> {
        self.inner.switch_to(slot)
    }

    /// Saves and gives up the slot, as [`Keeper::close`].
    ///
    /// # Errors
    /// As [`Keeper::close`].
    pub fn close(self) -> Result<Option<Saved>, SaveError> {
        self.inner.close()
    }
}

impl<G: Game, P: HasProgress> Of<G, P> {
    /// The progress inside, which takes handles that were looked up.
    #[must_use]
    pub fn progress(&self) -> &Progress {
        self.inner.progress()
    }

    /// Makes several changes, all of them or none, as [`Progress::all_or_nothing`]. Of a keeper, nothing is saved in
    /// between.
    ///
    /// # Errors
    /// The error of `change`.
    pub fn all_or_nothing<T, E>(
        &mut self,
        change: impl FnOnce(&mut Of<G, Progress>) -> Result<T, E>,
    ) -> Result<T, E> {
        let before = self.progress().duplicate();
        let mut changing = Of::holding(std::mem::replace(self.progress_mut(), before));
        let done = change(&mut changing)?;
        *self.progress_mut() = changing.inner;
        Ok(done)
    }

    pub(crate) fn progress_mut(&mut self) -> &mut Progress {
        self.inner.progress_mut()
    }

    /// Takes the notices that were not taken yet, oldest first.
    pub fn drain_notices(&mut self) -> impl Iterator<Item = Notice<G>> {
        self.progress_mut().drain_notices().map(keblin_schema::OfGame::of_game)
    }
}
