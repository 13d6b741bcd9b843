//! Constants of levels, typed.

use std::fmt;
use std::marker::PhantomData;

use super::FieldType;
use crate::key::{AnyGame, Compiled, Level};
use crate::model::Model;
use crate::value::Value;

/// A constant that every level has, such as its par time. No save contains it.
pub struct Constant<T, G = AnyGame> {
    index: u16,
    of: PhantomData<fn() -> (T, G)>,
}

// Not derived: a handle is copied whether or not `T` can be.
impl<T, G> Clone for Constant<T, G> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T, G> Copy for Constant<T, G> {}

impl<T, G> fmt::Debug for Constant<T, G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Constant({})", self.index)
    }
}

impl<T, G> Constant<T, G> {
    #[doc(hidden)]
    #[must_use]
    pub const fn of_index(index: u16) -> Constant<T, G> {
        Constant { index, of: PhantomData }
    }
}

impl<T: FieldType, G: Compiled> Constant<T, G> {
    /// Returns its value in a level.
    ///
    /// ```text
    /// let par: Time = constants::PAR.at(levels::REEDGATE);
    /// ```
    #[must_use]
    pub fn at(self, level: Level<G>) -> T::Read<'static> {
        read::<T>(G::model(), self.index, level.index())
    }
}

impl<T: FieldType> Constant<T> {
    /// Returns its value in a level of a schema in which it was looked up.
    #[must_use]
    pub fn of_level(self, model: &Model, level: Level) -> T::Read<'_> {
        read::<T>(model, self.index, level.index())
    }
}

fn read<T: FieldType>(model: &Model, constant: u16, level: usize) -> T::Read<'_> {
    let constant = usize::from(constant);
    let said = model.levels.get(level).and_then(|level| level.constants.get(constant));
    let default = model.constants.get(constant).map(|constant| &constant.default);
    T::read(said.or(default).unwrap_or(&Value::Unset))
}
