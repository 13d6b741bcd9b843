//! Handles of kinds of objects, their fields, and areas.

use std::fmt::{self, Debug};
use std::marker::PhantomData;

use super::{AnyGame, Compiled, OfGame, known};
use crate::model::Model;

/// An area of the world.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Area<G = AnyGame>(u32, PhantomData<G>);

impl<G> Area<G> {
    #[doc(hidden)]
    #[must_use]
    pub const fn of_index(index: u32) -> Area<G> {
        Area(index, PhantomData)
    }

    /// Returns the position among the areas; of a grid, row by row.
    #[must_use]
    pub fn index(self) -> usize {
        usize::try_from(self.0).unwrap_or(usize::MAX)
    }

    /// Converts the handle to any game, for code that works with a schema at run time.
    #[must_use]
    pub fn of_any(self) -> Area {
        Area::of_index(self.0)
    }
}

impl<G: Compiled> Area<G> {
    /// Returns the id: `west`; of a grid `cell_3_17`.
    #[must_use]
    pub fn id(self) -> String {
        G::model().areas.id(self.index()).unwrap_or_default()
    }

    /// Returns every area, in declared order; of a grid, row by row.
    pub fn all() -> impl ExactSizeIterator<Item = Area<G>> {
        let len = u32::try_from(G::model().areas.len()).unwrap_or(u32::MAX);
        (0..len).map(Area::of_index)
    }

    /// Returns the area with an id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Area<G>> {
        let index = G::model().areas.position(id)?;
        u32::try_from(index).ok().map(Area::of_index)
    }

    /// Returns the area of a grid in a column and a row; `None` outside the grid.
    #[must_use]
    pub fn at(place: [u16; 2]) -> Option<Area<G>> {
        let index = G::model().areas.at(place)?;
        u32::try_from(index).ok().map(Area::of_index)
    }
}

impl<G> Debug for Area<G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let index = Area::<AnyGame>::of_index(self.0).index();
        known::write::<G>(f, "Area", |model: &Model| model.areas.id(index), self.0)
    }
}

impl<G> OfGame<G> for Area {
    type Of = Area<G>;
    fn of_game(self) -> Area<G> {
        Area::of_index(self.0)
    }
}

/// A field of a kind of objects, read and written as `T`.
pub struct ObjectField<T, G = AnyGame> {
    kind: u16,
    index: u16,
    of: PhantomData<fn() -> (T, G)>,
}

impl<T, G> ObjectField<T, G> {
    #[doc(hidden)]
    #[must_use]
    pub const fn of_index(kind: u16, index: u16) -> ObjectField<T, G> {
        ObjectField { kind, index, of: PhantomData }
    }

    /// Returns the kind, as a position in [`Model::object_kinds`].
    #[must_use]
    pub fn kind(self) -> usize {
        usize::from(self.kind)
    }

    /// Returns the position among the fields of its kind.
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.index)
    }
}

impl<T, G> Clone for ObjectField<T, G> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T, G> Copy for ObjectField<T, G> {}

impl<T, G> Debug for ObjectField<T, G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let id = |model: &Model| {
            let kind = model.object_kinds.get(self.kind())?;
            Some(format!("{}.{}", kind.name, kind.fields.get(self.index())?.name))
        };
        known::write::<G>(f, "ObjectField", id, format_args!("{}.{}", self.kind, self.index))
    }
}
