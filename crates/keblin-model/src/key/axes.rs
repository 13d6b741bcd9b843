//! Places on the axes of a field, for handles that were looked up.

use std::marker::PhantomData;

use super::{Difficulty, Field, Item, Level};
use crate::model::{Axis, MAX_AXES};

crate::words! {
    /// The kind of an axis.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    pub enum Along {
        /// A level.
        Level = "level",
        /// A difficulty.
        Difficulty = "difficulty",
        /// An item of a list.
        Item = "item of a list",
    }
}

/// A handle that is a position on one axis: a [`Level`], a [`Difficulty`] or an [`Item`].
pub trait OnAxis: Copy {
    /// The kind of axis.
    const ALONG: Along;
    /// The axis itself.
    fn axis(self) -> Axis;
    /// The position on the axis.
    fn position(self) -> u16;
}

impl OnAxis for Level {
    const ALONG: Along = Along::Level;
    fn axis(self) -> Axis {
        Axis::Level
    }
    fn position(self) -> u16 {
        self.0
    }
}

impl OnAxis for Difficulty {
    const ALONG: Along = Along::Difficulty;
    fn axis(self) -> Axis {
        Axis::Difficulty
    }
    fn position(self) -> u16 {
        self.0
    }
}

impl OnAxis for Item {
    const ALONG: Along = Along::Item;
    fn axis(self) -> Axis {
        Axis::List(self.list)
    }
    fn position(self) -> u16 {
        self.index
    }
}

/// A position on an axis.
type Step = (Axis, u16);

/// A place on a field's axes: a level, a difficulty or an item, or a tuple of these in the declared order of the
/// axes.
pub trait OnAxes: Copy {
    /// The kinds of the axes, outermost first.
    const ALONG: &'static [Along];
    /// The positions on the axes.
    fn steps(self) -> [Option<Step>; MAX_AXES];
}

impl<A: OnAxis> OnAxes for A {
    const ALONG: &'static [Along] = &[A::ALONG];
    fn steps(self) -> [Option<Step>; MAX_AXES] {
        [Some((self.axis(), self.position())), None, None, None]
    }
}

impl<A: OnAxis, B: OnAxis> OnAxes for (A, B) {
    const ALONG: &'static [Along] = &[A::ALONG, B::ALONG];
    fn steps(self) -> [Option<Step>; MAX_AXES] {
        let (a, b) = self;
        [Some((a.axis(), a.position())), Some((b.axis(), b.position())), None, None]
    }
}

impl<A: OnAxis, B: OnAxis, C: OnAxis> OnAxes for (A, B, C) {
    const ALONG: &'static [Along] = &[A::ALONG, B::ALONG, C::ALONG];
    fn steps(self) -> [Option<Step>; MAX_AXES] {
        let (a, b, c) = self;
        let [first, second, ..] = (a, b).steps();
        [first, second, Some((c.axis(), c.position())), None]
    }
}

impl<A: OnAxis, B: OnAxis, C: OnAxis, D: OnAxis> OnAxes for (A, B, C, D) {
    const ALONG: &'static [Along] = &[A::ALONG, B::ALONG, C::ALONG, D::ALONG];
    fn steps(self) -> [Option<Step>; MAX_AXES] {
        let (a, b, c, d) = self;
        let [first, second, third, _] = (a, b, c).steps();
        [first, second, third, Some((d.axis(), d.position()))]
    }
}

/// A looked-up field with one value for each place `P`. Call [`at`](FieldPer::at) for the field at one place. The
/// compiled names of a game use [`PerField`](crate::PerField) instead.
#[derive(Clone, Copy, Debug)]
pub struct FieldPer<T, P> {
    pub(crate) first: u32,
    /// The axes with their lengths, outermost first.
    pub(crate) axes: [Option<(Axis, u16)>; MAX_AXES],
    /// The number of cells per place: the size of its table of best values.
    pub(crate) seats: u32,
    pub(crate) tag: u32,
    pub(crate) of: PhantomData<fn(P) -> T>,
}

impl<T, P: OnAxes> FieldPer<T, P> {
    /// Returns the field at one place.
    ///
    /// # Panics
    /// If the place is not on the field's axes: an item of another list, or a handle of another schema.
    #[must_use]
    pub fn at(self, place: P) -> Field<T> {
        let mut offset = 0;
        for (axis, step) in self.axes.iter().flatten().zip(place.steps().iter().flatten()) {
            let ((axis, len), (along, index)) = (*axis, *step);
            assert!(axis == along && index < len, "this field does not have a value at this place");
            offset = offset * u32::from(len) + u32::from(index);
        }
        Field { cell: self.first + offset * self.seats, tag: self.tag, of: PhantomData }
    }
}
