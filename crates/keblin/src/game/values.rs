//! Values in a game's names. Each call is that of the same name of [`Progress`](crate::Progress).

use keblin_schema::Game;
use keblin_schema::typed::FieldType;

use super::{FieldOf, HasProgress, ListOf, MapOf, Of, SetOf, UnsettableOf};
use crate::progress::{Amount, Change, Refused};

/// What a field is read as.
type Read<'a, F, G> = <<F as FieldOf<G>>::Of as FieldType>::Read<'a>;

/// What a field is written as.
pub(super) type Write<F, G> = <<F as FieldOf<G>>::Of as FieldType>::Write;

impl<G: Game, P: HasProgress> Of<G, P> {
    /// The value of a field, as [`Progress::get`](crate::Progress::get).
    #[must_use]
    #[inline]
    pub fn get<F: FieldOf<G>>(&self, field: F) -> Read<'_, F, G> {
        self.progress().get(field.looked_up())
    }

    /// Sets a field, as [`Progress::set`](crate::Progress::set).
    #[inline]
    pub fn set<F: FieldOf<G>>(&mut self, field: F, value: Write<F, G>) -> Change {
        self.progress_mut().set(field.looked_up(), value)
    }

    /// Adds to a field, as [`Progress::add`](crate::Progress::add).
    #[inline]
    pub fn add<F: FieldOf<G, Of: Amount>>(&mut self, field: F, amount: Write<F, G>) -> Change {
        self.progress_mut().add(field.looked_up(), amount)
    }

    /// Spends some of a field, as [`Progress::spend`](crate::Progress::spend).
    ///
    /// # Errors
    /// As [`Progress::spend`](crate::Progress::spend).
    pub fn spend<F: FieldOf<G, Of: Amount>>(
        &mut self,
        field: F,
        amount: Write<F, G>,
    ) -> Result<Change, Refused> {
        self.progress_mut().spend(field.looked_up(), amount)
    }

    /// Makes a field that may be unset so again, as [`Progress::unset`](crate::Progress::unset).
    pub fn unset<F: UnsettableOf<G>>(&mut self, field: F) -> Change {
        self.progress_mut().unset(field.looked_up())
    }

    /// Offers a record a value that the game measured itself, as [`Progress::submit`](crate::Progress::submit).
    pub fn submit<F: UnsettableOf<G, Held: Amount>>(
        &mut self,
        field: F,
        value: <F::Held as FieldType>::Write,
    ) -> Change {
        self.progress_mut().submit(field.looked_up(), value)
    }

    /// The table of a record's best values, as [`Progress::table`](crate::Progress::table).
    pub fn table<F: UnsettableOf<G>>(
        &self,
        field: F,
    ) -> impl Iterator<Item = <F::Held as FieldType>::Read<'_>> {
        self.progress().table(field.looked_up())
    }

    /// Puts an item at the end of a list, as [`Progress::push`](crate::Progress::push).
    pub fn push<F: ListOf<G>>(&mut self, field: F, item: <F::Item as FieldType>::Write) -> Change {
        self.progress_mut().push(field.looked_up(), item)
    }

    /// Takes the item at a position out of a list, as [`Progress::remove_at`](crate::Progress::remove_at).
    pub fn remove_at<F: ListOf<G>>(&mut self, field: F, index: usize) -> Change {
        self.progress_mut().remove_at(field.looked_up(), index)
    }

    /// Puts an item into a set, as [`Progress::insert`](crate::Progress::insert).
    pub fn insert<F: SetOf<G>>(&mut self, field: F, item: <F::Item as FieldType>::Write) -> Change {
        self.progress_mut().insert(field.looked_up(), item)
    }

    /// Takes an item out of a set, as [`Progress::remove`](crate::Progress::remove).
    pub fn remove<F: SetOf<G>>(&mut self, field: F, item: <F::Item as FieldType>::Write) -> Change {
        self.progress_mut().remove(field.looked_up(), item)
    }

    /// Puts a value under a key of a map, as [`Progress::put_entry`](crate::Progress::put_entry).
    pub fn put_entry<F: MapOf<G>>(
        &mut self,
        field: F,
        key: <F::Key as FieldType>::Write,
        value: <F::Item as FieldType>::Write,
    ) -> Change {
        self.progress_mut().put_entry(field.looked_up(), key, value)
    }

    /// Takes a key and its value out of a map, as [`Progress::take_entry`](crate::Progress::take_entry).
    pub fn take_entry<F: MapOf<G>>(&mut self, field: F, key: <F::Key as FieldType>::Write) -> Change {
        self.progress_mut().take_entry(field.looked_up(), key)
    }

    /// Puts a value in place for a test or a tool, as [`Progress::suppose`](crate::Progress::suppose). With the feature
    /// `testing`.
    ///
    /// # Errors
    /// As [`Progress::suppose`](crate::Progress::suppose).
    #[cfg(feature = "testing")]
    pub fn suppose<F: FieldOf<G>>(&mut self, field: F, value: Write<F, G>) -> Result<(), Refused> {
        self.progress_mut().suppose(field.looked_up(), value)
    }
}
