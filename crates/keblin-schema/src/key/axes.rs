//! Places on the axes of a field, as handles that were looked up name them.

use std::marker::PhantomData;

use super::{Difficulty, Field, Item, Level};
use crate::model::{Axis, MAX_AXES};

crate::words! {
    /// What a handle stands for on an axis.
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

/// A handle that is a place on one axis: a [`Level`], a [`Difficulty`] or an [`Item`].
pub trait OnAxis: Copy {
    /// On which kind of axis.
    const ALONG: Along;
    /// The axis itself.
    fn axis(self) -> Axis;
    /// The position on it.
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

/// One step along an axis: which, and how far.
type Step = (Axis, u16);

/// The place on a field's axes, as the types of handles: a level, a difficulty or an item, or several of them in the
/// declared order of the axes.
pub trait OnAxes: Copy {
    /// The axes, outermost first.
    const ALONG: &'static [Along];
    /// The place itself.
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

/// A field with one value for each place `P`.
#[derive(Clone, Copy, Debug)]
pub struct FieldPer<T, P> {
    pub(crate) first: u32,
    /// The axes with their lengths, outermost first.
    pub(crate) axes: [Option<(Axis, u16)>; MAX_AXES],
    /// How many cells each place has: those of its table of best values.
    pub(crate) seats: u32,
    pub(crate) tag: u32,
    pub(crate) of: PhantomData<fn(P) -> T>,
}

impl<T, P: OnAxes> FieldPer<T, P> {
    /// The value at one place.
    ///
    /// # Panics
    /// If the place lies outside the field's axes: an item of another list, or a handle of another schema.
    #[must_use]
    pub fn at(self, place: P) -> Field<T> {
        let mut offset = 0;
        for (axis, step) in self.axes.iter().flatten().zip(place.steps().iter().flatten()) {
            let ((axis, len), (along, index)) = (*axis, *step);
            assert!(axis == along && index < len, "a place was used with a field that has no value there");
            offset = offset * u32::from(len) + u32::from(index);
        }
        Field { cell: self.first + offset * self.seats, tag: self.tag, of: PhantomData }
    }
}
