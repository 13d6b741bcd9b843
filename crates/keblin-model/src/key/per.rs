//! Places on the axes of a field, for compiled names: the compiler checks their number and kind.

use std::fmt::{self, Debug};
use std::marker::PhantomData;

use super::{Compiled, Difficulty, Field, Level, known};
use crate::model::{MAX_AXES, Model};

/// A compiled field with one value for each place `P` on its axes. Call [`at`](PerField::at) for the field at one
/// place. Looked-up fields use [`FieldPer`](crate::FieldPer) instead.
pub struct PerField<T, P, G> {
    first: u32,
    /// The number of positions on each axis, outermost first.
    lens: [u32; MAX_AXES],
    /// The number of cells per place: the size of its table of best values.
    seats: u32,
    of: PhantomData<fn(P) -> (T, G)>,
}

impl<T, P, G> Clone for PerField<T, P, G> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T, P, G> Copy for PerField<T, P, G> {}

impl<T, P, G> Debug for PerField<T, P, G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = |model: &Model| Some(model.cell_owner(self.first_cell())?.0.name.to_string());
        known::write::<G>(f, "PerField", name, format_args!("{}..", self.first))
    }
}

/// A compiled name that is a position on an axis.
#[diagnostic::on_unimplemented(message = "`{Self}` is not a place on an axis of a field")]
pub trait Axial: Copy {
    /// Returns the position on the axis.
    fn position(self) -> usize;
}

impl<G: Compiled> Axial for Level<G> {
    fn position(self) -> usize {
        self.index()
    }
}

impl<G: Compiled> Axial for Difficulty<G> {
    fn position(self) -> usize {
        self.index()
    }
}

impl<T, P, G> PerField<T, P, G> {
    /// Returns the cell of its first value.
    #[must_use]
    pub fn first_cell(self) -> usize {
        self.first as usize
    }
}

impl<T, P, G: Compiled> PerField<T, P, G> {
    /// Makes the field whose cells start here. For `schema!`, which knows its type and axes.
    #[doc(hidden)]
    #[must_use]
    pub const fn of_cells(first: u32, lens: [u32; MAX_AXES], seats: u32) -> PerField<T, P, G> {
        PerField { first, lens, seats, of: PhantomData }
    }

    fn cell(self, places: &[usize]) -> Field<T, G> {
        // A compiled name is a position on its own axis, so it is always within.
        let offset = places
            .iter()
            .zip(self.lens)
            .fold(0, |offset, (place, len)| offset * len + u32::try_from(*place).unwrap_or(0));
        Field::of_cell(self.first + offset * self.seats)
    }
}

impl<T, A: Axial, G: Compiled> PerField<T, (A,), G> {
    /// Returns the field at one place.
    #[must_use]
    pub fn at(self, a: A) -> Field<T, G> {
        self.cell(&[a.position()])
    }
}

impl<T, A: Axial, B: Axial, G: Compiled> PerField<T, (A, B), G> {
    /// Returns the field at one place on each axis.
    #[must_use]
    pub fn at(self, a: A, b: B) -> Field<T, G> {
        self.cell(&[a.position(), b.position()])
    }
}

impl<T, A: Axial, B: Axial, C: Axial, G: Compiled> PerField<T, (A, B, C), G> {
    /// Returns the field at one place on each axis.
    #[must_use]
    pub fn at(self, a: A, b: B, c: C) -> Field<T, G> {
        self.cell(&[a.position(), b.position(), c.position()])
    }
}

impl<T, A: Axial, B: Axial, C: Axial, D: Axial, G: Compiled> PerField<T, (A, B, C, D), G> {
    /// Returns the field at one place on each axis.
    #[must_use]
    pub fn at(self, a: A, b: B, c: C, d: D) -> Field<T, G> {
        self.cell(&[a.position(), b.position(), c.position(), d.position()])
    }
}
