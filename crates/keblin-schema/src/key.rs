//! Typed handles of names that were looked up once, so that later uses need no name. Handles hold a cell or position
//! of one schema, and a tag by which a handle of another schema is told.

use std::fmt::{self, Debug};
use std::hash::Hash;
use std::marker::PhantomData;
use std::sync::Arc;

use crate::model::{Axis, MAX_AXES, Schema};
use crate::name::Name;

/// A game with a schema of its own, as a type: what keeps its names apart from those of other games. The macro `schema!`
/// makes one.
pub trait Game: Copy + Ord + Hash + Debug + Send + Sync + 'static {
    /// Its schema.
    fn schema() -> &'static Arc<Schema>;
}

/// The game of handles that are looked up while the program runs: whichever schema they were looked up in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum AnyGame {}

/// One value of a field, read and written as `T`.
pub struct Field<T, G = AnyGame> {
    pub(crate) cell: u32,
    pub(crate) tag: u32,
    pub(crate) of: PhantomData<fn() -> (T, G)>,
}

// Not derived: a handle is copied whether or not `T` can be.
impl<T, G> Clone for Field<T, G> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T, G> Copy for Field<T, G> {}

impl<T, G> Debug for Field<T, G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Field({})", self.cell)
    }
}

impl<T> Field<T> {
    /// Whether it was looked up in this schema, or in one of the same layout.
    #[must_use]
    pub fn belongs_to(self, schema: &Schema) -> bool {
        self.tag == schema.tag
    }
}

impl<T, G> Field<T, G> {
    /// Its cell in the layout of the schema it was looked up in.
    #[must_use]
    pub fn cell(self) -> usize {
        self.cell as usize
    }
}

impl<T, G: Game> Field<T, G> {
    /// The field of a cell, for `schema!`, which knows that its type is `T`.
    #[doc(hidden)]
    #[must_use]
    pub const fn of_cell(cell: u32) -> Field<T, G> {
        Field { cell, tag: 0, of: PhantomData }
    }

    /// The field, read and written as a [`Value`](crate::Value), as events that systems queue take it.
    #[must_use]
    pub const fn as_value(self) -> Field<crate::Value, G> {
        Field { cell: self.cell, tag: self.tag, of: PhantomData }
    }

    /// As a handle that was looked up in the game's schema.
    #[must_use]
    pub fn looked_up(self) -> Field<T> {
        Field { cell: self.cell, tag: G::schema().tag, of: PhantomData }
    }
}

macro_rules! position {
    ($(#[$doc:meta])* $name:ident, $list:literal, |$schema:ident, $index:ident| $id:expr) => {
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name<G = AnyGame>(pub(crate) u16, PhantomData<G>);

        impl<G> $name<G> {
            #[doc(hidden)]
            #[must_use]
            pub const fn of_index(index: u16) -> $name<G> {
                $name(index, PhantomData)
            }

            #[doc = concat!("Its position in [`Schema::", $list, "`].")]
            #[must_use]
            pub fn index(self) -> usize {
                usize::from(self.0)
            }

            /// The same of any game, as a schema gives it that is looked into while the program runs.
            #[must_use]
            pub fn of_any(self) -> $name {
                $name::of_index(self.0)
            }
        }

        impl<G> Debug for $name<G> {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, concat!(stringify!($name), "({})"), self.0)
            }
        }

        impl<G: Game> $name<G> {
            /// Its id.
            #[must_use]
            pub fn id(self) -> &'static str {
                let ($schema, $index) = (G::schema(), self.index());
                $id.map_or("", Name::as_str)
            }
        }

        impl<G: Game> OfGame<G> for $name {
            type Of = $name<G>;
            fn of_game(self) -> $name<G> {
                $name::of_index(self.0)
            }
        }
    };
}

/// What can be said in a game's own names once it is known to be of that game.
pub trait OfGame<G> {
    /// The same in the game's names.
    type Of;
    /// Says it in the game's names.
    fn of_game(self) -> Self::Of;
}

impl<G, T: OfGame<G>> OfGame<G> for Option<T> {
    type Of = Option<T::Of>;
    fn of_game(self) -> Option<T::Of> {
        self.map(T::of_game)
    }
}

impl<G, T: OfGame<G>> OfGame<G> for Vec<T> {
    type Of = Vec<T::Of>;
    fn of_game(self) -> Vec<T::Of> {
        self.into_iter().map(T::of_game).collect()
    }
}

impl<G, T: OfGame<G>> OfGame<G> for Box<T> {
    type Of = Box<T::Of>;
    fn of_game(self) -> Box<T::Of> {
        Box::new((*self).of_game())
    }
}

position!(
    /// A level.
    Level,
    "levels",
    |schema, index| schema.levels.get(index).map(|level| &level.name)
);
position!(
    /// A difficulty.
    Difficulty,
    "difficulties",
    |schema, index| schema.difficulties.get(index)
);
position!(
    /// An unlock: what is not a level and opens.
    Unlock,
    "unlocks",
    |schema, index| schema.unlocks.get(index).map(|unlock| &unlock.name)
);
position!(
    /// A moment: a condition that is told once when it turns true.
    Moment,
    "moments",
    |schema, index| schema.moments.get(index).map(|moment| &moment.name)
);

/// A checkpoint of one level.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Checkpoint<G = AnyGame> {
    pub(crate) level: u16,
    pub(crate) index: u16,
    of: PhantomData<G>,
}

impl<G> Checkpoint<G> {
    #[doc(hidden)]
    #[must_use]
    pub const fn of_index(level: u16, index: u16) -> Checkpoint<G> {
        Checkpoint { level, index, of: PhantomData }
    }

    /// The level it stands in.
    #[must_use]
    pub fn level(self) -> Level<G> {
        Level::of_index(self.level)
    }

    /// Its position in the level's checkpoints.
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.index)
    }

    /// The same of any game, as a schema gives it that is looked into while the program runs.
    #[must_use]
    pub fn of_any(self) -> Checkpoint {
        Checkpoint::of_index(self.level, self.index)
    }
}

impl<G: Game> Checkpoint<G> {
    /// Its id, which is its own within its level.
    #[must_use]
    pub fn id(self) -> &'static str {
        let level = G::schema().levels.get(usize::from(self.level));
        level.and_then(|level| level.checkpoints.get(self.index())).map_or("", Name::as_str)
    }
}

impl<G> Debug for Checkpoint<G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Checkpoint({}.{})", self.level, self.index)
    }
}

impl<G: Game> OfGame<G> for Checkpoint {
    type Of = Checkpoint<G>;
    fn of_game(self) -> Checkpoint<G> {
        Checkpoint::of_index(self.level, self.index)
    }
}

/// An item of a closed list.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Item {
    pub(crate) list: u16,
    pub(crate) index: u16,
}

impl Item {
    /// The list, as a position in [`Schema::lists`].
    #[must_use]
    pub fn list(self) -> usize {
        usize::from(self.list)
    }

    /// Its position in the list.
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.index)
    }
}

/// What a handle stands for on an axis.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Along {
    /// A level.
    Level,
    /// A difficulty.
    Difficulty,
    /// An item of a list.
    Item,
}

impl Along {
    /// The word for it in complaints.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Along::Level => "level",
            Along::Difficulty => "difficulty",
            Along::Item => "item of a list",
        }
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
pub trait Place: Copy {
    /// The axes, outermost first.
    const ALONG: &'static [Along];
    /// The place itself.
    fn steps(self) -> [Option<Step>; MAX_AXES];
}

impl<A: OnAxis> Place for A {
    const ALONG: &'static [Along] = &[A::ALONG];
    fn steps(self) -> [Option<Step>; MAX_AXES] {
        [Some((self.axis(), self.position())), None, None, None]
    }
}

impl<A: OnAxis, B: OnAxis> Place for (A, B) {
    const ALONG: &'static [Along] = &[A::ALONG, B::ALONG];
    fn steps(self) -> [Option<Step>; MAX_AXES] {
        let (a, b) = self;
        [Some((a.axis(), a.position())), Some((b.axis(), b.position())), None, None]
    }
}

impl<A: OnAxis, B: OnAxis, C: OnAxis> Place for (A, B, C) {
    const ALONG: &'static [Along] = &[A::ALONG, B::ALONG, C::ALONG];
    fn steps(self) -> [Option<Step>; MAX_AXES] {
        let (a, b, c) = self;
        let [first, second, ..] = (a, b).steps();
        [first, second, Some((c.axis(), c.position())), None]
    }
}

impl<A: OnAxis, B: OnAxis, C: OnAxis, D: OnAxis> Place for (A, B, C, D) {
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
    pub(crate) tag: u32,
    pub(crate) of: PhantomData<fn(P) -> T>,
}

impl<T, P: Place> FieldPer<T, P> {
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
        Field { cell: self.first + offset, tag: self.tag, of: PhantomData }
    }
}

/// A field of a game with one value for each place `P` on its axes, a tuple of what `schema!` has names for. One of them is
/// [`at`](PerField::at) a place.
pub struct PerField<T, P, G> {
    first: u32,
    /// How many positions each axis has, outermost first.
    lens: [u32; MAX_AXES],
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
        write!(f, "PerField({}..)", self.first)
    }
}

/// What a name of a game stands for on an axis of a field.
#[diagnostic::on_unimplemented(message = "`{Self}` is no place on an axis of a field")]
pub trait Axial: Copy {
    /// Its position on the axis.
    fn position(self) -> usize;
}

impl<G: Game> Axial for Level<G> {
    fn position(self) -> usize {
        self.index()
    }
}

impl<G: Game> Axial for Difficulty<G> {
    fn position(self) -> usize {
        self.index()
    }
}

impl<T, P, G: Game> PerField<T, P, G> {
    /// The field whose cells begin here, for `schema!`, which knows its type and its axes.
    #[doc(hidden)]
    #[must_use]
    pub const fn of_cells(first: u32, lens: [u32; MAX_AXES]) -> PerField<T, P, G> {
        PerField { first, lens, of: PhantomData }
    }

    /// The cell of its first value.
    #[must_use]
    pub fn first_cell(self) -> usize {
        self.first as usize
    }

    fn cell(self, places: &[usize]) -> Field<T, G> {
        // A name stands for a position on its own axis alone, so it lies within.
        let offset = places
            .iter()
            .zip(self.lens)
            .fold(0, |offset, (place, len)| offset * len + u32::try_from(*place).unwrap_or(0));
        Field::of_cell(self.first + offset)
    }
}

impl<T, A: Axial, G: Game> PerField<T, (A,), G> {
    /// The value at one place.
    #[must_use]
    pub fn at(self, a: A) -> Field<T, G> {
        self.cell(&[a.position()])
    }
}

impl<T, A: Axial, B: Axial, G: Game> PerField<T, (A, B), G> {
    /// The value at one place on each of the axes.
    #[must_use]
    pub fn at(self, a: A, b: B) -> Field<T, G> {
        self.cell(&[a.position(), b.position()])
    }
}

impl<T, A: Axial, B: Axial, C: Axial, G: Game> PerField<T, (A, B, C), G> {
    /// The value at one place on each of the axes.
    #[must_use]
    pub fn at(self, a: A, b: B, c: C) -> Field<T, G> {
        self.cell(&[a.position(), b.position(), c.position()])
    }
}

impl<T, A: Axial, B: Axial, C: Axial, D: Axial, G: Game> PerField<T, (A, B, C, D), G> {
    /// The value at one place on each of the axes.
    #[must_use]
    pub fn at(self, a: A, b: B, c: C, d: D) -> Field<T, G> {
        self.cell(&[a.position(), b.position(), c.position(), d.position()])
    }
}
