//! Typed handles: names that were looked up once, so that later calls need no name. A handle holds a cell or position
//! of one schema, and a tag that tells handles of two schemas apart.

/// Places on the axes of a field.
mod axes;

/// Games whose schema is loaded, for `Debug`.
pub(crate) mod known;

/// Places on axes, for compiled names.
mod per;

/// Objects and areas of the world.
mod world;

use std::fmt::{self, Debug};
use std::hash::Hash;
use std::marker::PhantomData;

use crate::model::Model;
use crate::text::name::Name;
use crate::value::Value;

pub use axes::{Along, FieldPer, OnAxes, OnAxis};
#[doc(hidden)]
pub use known::know;
pub use per::{Axial, PerField};
pub use world::{Area, ObjectField};

/// A game with compiled names, as a type: it keeps the names of other games out. The macro `schema!` implements it.
pub trait Compiled: Copy + Ord + Hash + Debug + Send + Sync + 'static {
    /// Returns its declaration.
    fn model() -> &'static Model;
}

/// The game of looked-up handles, which may belong to any schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum AnyGame {}

/// The tag of compiled names. No schema has it.
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
        let name = |model: &Model| Some(model.cell_owner(self.cell())?.0.name.to_string());
        known::write::<G>(f, "Field", name, self.cell)
    }
}

impl<T, G> Field<T, G> {
    /// Returns whether the handle was looked up in this schema, or in one with the same layout. A compiled name
    /// always belongs to its game's schema; the compiler checks that it is used with no other.
    #[must_use]
    pub fn belongs_to(self, model: &Model) -> bool {
        self.tag == COMPILED || self.tag == model.tag
    }

    /// Converts the handle to any game, unchecked: the caller must know that it belongs to the game it is used with.
    #[doc(hidden)]
    #[must_use]
    pub fn of_any(self) -> Field<T> {
        Field { cell: self.cell, tag: self.tag, of: PhantomData }
    }

    /// Returns the cell in the layout of its schema.
    #[must_use]
    pub fn cell(self) -> usize {
        self.cell as usize
    }
}

impl<T, G: Compiled> Field<T, G> {
    /// Makes the field of a cell. For `schema!`, which knows that its type is `T`.
    #[doc(hidden)]
    #[must_use]
    pub const fn of_cell(cell: u32) -> Field<T, G> {
        Field { cell, tag: COMPILED, of: PhantomData }
    }

    /// Returns a looked-up handle of the game's schema; using it with another schema panics.
    #[must_use]
    pub fn looked_up(self) -> Field<T> {
        Field { cell: self.cell, tag: G::model().tag, of: PhantomData }
    }

    /// Returns the field with its values as [`Value`], for events that systems queue.
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

        #[doc = concat!("Returns the position in [`Model::", $list, "`].")]
            #[must_use]
            pub fn index(self) -> usize {
                usize::from(self.0)
            }

            /// Converts the handle to any game, for code that works with a schema at run time.
            #[must_use]
            pub fn of_any(self) -> $name {
                $name::of_index(self.0)
            }
        }

        impl<G> Debug for $name<G> {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                let id = |$model: &'static Model| {
                    let $index = usize::from(self.0);
                    $id.map(Name::to_string)
                };
                known::write::<G>(f, stringify!($name), id, self.0)
            }
        }

        impl<G: Compiled> $name<G> {
            /// Returns the id.
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

/// Types whose untyped handles can be converted to the typed handles of game `G`.
pub trait OfGame<G> {
    /// The typed handle.
    type Of;
    /// Converts to the typed handle.
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
    /// A chapter: some levels with a title and a lock of their own.
    Chapter,
    "chapters",
    |model, index| model.chapters.get(index).map(|chapter| &chapter.name)
);
position!(
    /// A difficulty.
    Difficulty,
    "difficulties",
    |model, index| model.difficulties.get(index)
);
position!(
    /// An unlock: something to unlock that is not a level.
    Unlock,
    "unlocks",
    |model, index| model.unlocks.get(index).map(|unlock| &unlock.name)
);
position!(
    /// A moment: a condition that is reported once when it becomes true.
    Moment,
    "moments",
    |model, index| model.moments.get(index).map(|moment| &moment.name)
);
position!(
    /// A field by its id alone, whatever its type: to walk the fields, for a console or an overlay. A value is read and
    /// written by the field itself.
    FieldId,
    "fields",
    |model, index| model.fields.get(index).map(|field| &field.name)
);
position!(
    /// A kind of objects in the world.
    ObjectKind,
    "object_kinds",
    |model, index| model.object_kinds.get(index).map(|kind| &kind.name)
);
position!(
    /// A named reset: what of a profile one call erases.
    Reset,
    "resets",
    |model, index| model.resets.get(index).map(|reset| &reset.name)
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

    /// Returns the level of the checkpoint.
    #[must_use]
    pub fn level(self) -> Level<G> {
        Level::of_index(self.level)
    }

    /// Returns the position among the level's checkpoints.
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.index)
    }

    /// Converts the handle to any game, for code that works with a schema at run time.
    #[must_use]
    pub fn of_any(self) -> Checkpoint {
        Checkpoint::of_index(self.level, self.index)
    }
}

impl<G: Compiled> Checkpoint<G> {
    /// Returns the id, which is unique within the level.
    #[must_use]
    pub fn id(self) -> &'static str {
        let level = G::model().levels.get(usize::from(self.level));
        level.and_then(|level| level.checkpoints.get(self.index())).map_or("", Name::as_str)
    }
}

impl<G> Debug for Checkpoint<G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let id = |model: &Model| {
            let level = model.levels.get(usize::from(self.level))?;
            Some(format!("{}.{}", level.name, level.checkpoints.get(usize::from(self.index))?))
        };
        known::write::<G>(f, "Checkpoint", id, format_args!("{}.{}", self.level, self.index))
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
    /// Returns the list, as a position in [`Model::lists`].
    #[must_use]
    pub fn list(self) -> usize {
        usize::from(self.list)
    }

    /// Returns the position in the list.
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.index)
    }
}
