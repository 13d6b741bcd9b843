//! Typed handles of names that were looked up once, so that later uses need no name. Handles hold a cell or position
//! of one schema, and a tag by which a handle of another schema is told.

/// Places on the axes of a field.
mod axes;

/// The same in the names of a game.
mod per;

use std::fmt::{self, Debug};
use std::hash::Hash;
use std::marker::PhantomData;

use crate::model::Model;
use crate::text::name::Name;
use crate::value::Value;

pub use axes::{Along, FieldPer, OnAxes, OnAxis};
pub use per::{Axial, PerField};

/// A game whose names were compiled in, as a type: what keeps them apart from those of other games. The macro `schema!`
/// makes one.
pub trait Compiled: Copy + Ord + Hash + Debug + Send + Sync + 'static {
    /// What it declares.
    fn model() -> &'static Model;
}

/// The game of handles that are looked up while the program runs: whichever schema they were looked up in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum AnyGame {}

/// The tag of what was compiled in. No schema has it.
pub(crate) const COMPILED: u32 = 0;

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

impl<T, G> Field<T, G> {
    /// Whether it was looked up in this schema, or in one of the same layout. A name that was compiled in belongs to the
    /// schema of its game, and the compiler sees to it that it is used with no other.
    #[must_use]
    pub fn belongs_to(self, model: &Model) -> bool {
        self.tag == COMPILED || self.tag == model.tag
    }

    /// The same of any game, which the caller must know to be the game it is used with: a compiled name is not checked.
    #[doc(hidden)]
    #[must_use]
    pub fn of_any(self) -> Field<T> {
        Field { cell: self.cell, tag: self.tag, of: PhantomData }
    }

    /// Its cell in the layout of the schema it was looked up in.
    #[must_use]
    pub fn cell(self) -> usize {
        self.cell as usize
    }
}

impl<T, G: Compiled> Field<T, G> {
    /// The field of a cell, for `schema!`, which knows that its type is `T`.
    #[doc(hidden)]
    #[must_use]
    pub const fn of_cell(cell: u32) -> Field<T, G> {
        Field { cell, tag: COMPILED, of: PhantomData }
    }

    /// As a handle that was looked up in the game's schema: using it with another schema panics.
    #[must_use]
    pub fn looked_up(self) -> Field<T> {
        Field { cell: self.cell, tag: G::model().tag, of: PhantomData }
    }

    /// The field, read and written as a [`Value`], as events that systems queue take it.
    #[must_use]
    pub const fn as_value(self) -> Field<Value, G> {
        Field { cell: self.cell, tag: self.tag, of: PhantomData }
    }
}

macro_rules! position {
    ($(#[$doc:meta])* $name:ident, $list:literal, |$model:ident, $index:ident| $id:expr) => {
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name<G = AnyGame>(pub(crate) u16, PhantomData<G>);

        impl<G> $name<G> {
            #[doc(hidden)]
            #[must_use]
            pub const fn of_index(index: u16) -> $name<G> {
                $name(index, PhantomData)
            }

            #[doc = concat!("Its position in [`Model::", $list, "`].")]
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

        impl<G: Compiled> $name<G> {
            /// Its id.
            #[must_use]
            pub fn id(self) -> &'static str {
                let ($model, $index) = (G::model(), self.index());
                $id.map_or("", Name::as_str)
            }
        }

        impl<G> OfGame<G> for $name {
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
    |model, index| model.levels.get(index).map(|level| &level.name)
);
position!(
    /// A difficulty.
    Difficulty,
    "difficulties",
    |model, index| model.difficulties.get(index)
);
position!(
    /// An unlock: what is not a level and opens.
    Unlock,
    "unlocks",
    |model, index| model.unlocks.get(index).map(|unlock| &unlock.name)
);
position!(
    /// A moment: a condition that is told once when it turns true.
    Moment,
    "moments",
    |model, index| model.moments.get(index).map(|moment| &moment.name)
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

impl<G: Compiled> Checkpoint<G> {
    /// Its id, which is its own within its level.
    #[must_use]
    pub fn id(self) -> &'static str {
        let level = G::model().levels.get(usize::from(self.level));
        level.and_then(|level| level.checkpoints.get(self.index())).map_or("", Name::as_str)
    }
}

impl<G> Debug for Checkpoint<G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Checkpoint({}.{})", self.level, self.index)
    }
}

impl<G> OfGame<G> for Checkpoint {
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
    /// The list, as a position in [`Model::lists`].
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
