//! Looking up names: a wrong name or type is reported here, once, with the right one.

use std::fmt;
use std::marker::PhantomData;

use crate::key::{
    Along, Chapter, Checkpoint, Difficulty, Field, FieldId, FieldPer, Item, Level, Moment, OnAxes, Reset,
    Unlock,
};
use crate::model::{Axis, FieldDef, MAX_AXES, Model};
use crate::text::name::{Name, nearest};
use crate::typed::{Constant, FieldType};

/// Why a look-up failed.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum LookupError {
    /// The name is not declared.
    Unknown {
        /// What was looked for: `field`, `level`, `checkpoint` or `difficulty`.
        what: &'static str,
        /// The name asked for.
        name: String,
        /// The declared name that was probably meant.
        nearest: Option<String>,
    },
    /// The field was looked up with another type than it is declared with.
    Mismatch {
        /// The field.
        name: Name,
        /// Its declared type.
        declared: String,
        /// The type it was looked up with.
        asked: String,
    },
}

crate::debug_as_display!(LookupError);

impl fmt::Display for LookupError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            LookupError::Unknown { what, name, nearest } => {
                write!(f, "`{name}` is not a declared {what}")?;
                nearest.as_ref().map_or(Ok(()), |nearest| write!(f, "; did you mean `{nearest}`?"))
            }
            LookupError::Mismatch { name, declared, asked } => {
                write!(f, "field `{name}` is declared as {declared}, but was looked up as {asked}")
            }
        }
    }
}

impl std::error::Error for LookupError {}

impl LookupError {
    /// Returns the error for a name that is not one of `known`.
    #[must_use]
    pub fn unknown<'a>(
        what: &'static str,
        name: &str,
        known: impl IntoIterator<Item = &'a Name>,
    ) -> LookupError {
        let nearest = nearest(name, known.into_iter().map(Name::as_str)).map(str::to_string);
        LookupError::Unknown { what, name: name.to_string(), nearest }
    }
}

fn described<'a>(holds: &str, may_be_unset: bool, axes: impl Iterator<Item = &'a str>) -> String {
    let axes: Vec<_> = axes.collect();
    let each = if axes.is_empty() { String::new() } else { format!(" per {}", axes.join(" and ")) };
    format!("{holds}{}{each}", if may_be_unset { " that may be unset" } else { "" })
}

fn along(axis: Axis) -> Along {
    match axis {
        Axis::Level => Along::Level,
        Axis::Difficulty => Along::Difficulty,
        Axis::List(_) => Along::Item,
    }
}

fn position<T: TryFrom<usize>>(index: usize) -> Option<T> {
    T::try_from(index).ok()
}

impl Model {
    fn field_of_type<T: FieldType>(&self, id: &str, per: &[Along]) -> Result<(&FieldDef, u32), LookupError> {
        let unknown = || LookupError::unknown("field", id, self.fields.iter().map(|field| &field.name));
        let (_, field) = self.field_named(id).ok_or_else(unknown)?;
        let may_be_unset = field.may_be_unset();
        if !T::fits(field.holds())
            || T::MAY_BE_UNSET.is_some_and(|may| may != may_be_unset)
            || !field.per.iter().map(|axis| along(*axis)).eq(per.iter().copied())
        {
            return Err(LookupError::Mismatch {
                name: field.name.clone(),
                declared: described(
                    &field.holds().to_string(),
                    may_be_unset,
                    field.per.iter().map(|axis| self.axis_name(*axis)),
                ),
                asked: described(
                    &T::declared(),
                    T::MAY_BE_UNSET == Some(true),
                    per.iter().map(|along| along.as_str()),
                ),
            });
        }
        Ok((field, position(field.cells.start).ok_or_else(unknown)?))
    }

    /// Looks up a field with one value.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared; [`LookupError::Mismatch`] if the field has another
    /// type, may be unset but `T` may not (or the other way round), or has axes.
    pub fn field<T: FieldType>(&self, id: &str) -> Result<Field<T>, LookupError> {
        let (_, cell) = self.field_of_type::<T>(id, &[])?;
        Ok(Field { cell, tag: self.tag, of: PhantomData })
    }

    /// Looks up a field with axes.
    ///
    /// # Errors
    /// As [`Model::field`]; the axes must be the declared ones in the declared order.
    pub fn field_per<T: FieldType, P: OnAxes>(&self, id: &str) -> Result<FieldPer<T, P>, LookupError> {
        let (field, first) = self.field_of_type::<T>(id, P::ALONG)?;
        let mut axes = [None; MAX_AXES];
        for (slot, axis) in axes.iter_mut().zip(&field.per) {
            *slot = position(self.axis_len(*axis)).map(|len| (*axis, len));
        }
        let seats = position(field.places).unwrap_or(1);
        Ok(FieldPer { first, axes, seats, tag: self.tag, of: PhantomData })
    }

    /// Looks up a level.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn level(&self, id: &str) -> Result<Level, LookupError> {
        let found = self.level_named(id).and_then(position).map(Level::of_index);
        found.ok_or_else(|| LookupError::unknown("level", id, self.levels.iter().map(|level| &level.name)))
    }

    /// Returns a level by its position in [`Model::levels`]; `None` if there is none.
    #[must_use]
    pub fn level_at(&self, index: usize) -> Option<Level> {
        self.levels.get(index).and(position(index)).map(Level::of_index)
    }

    /// Looks up a chapter.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn chapter(&self, id: &str) -> Result<Chapter, LookupError> {
        let found = self.chapter_named(id).and_then(|index| self.chapter_at(index));
        let known = self.chapters.iter().map(|chapter| &chapter.name);
        found.ok_or_else(|| LookupError::unknown("chapter", id, known))
    }

    /// Returns a chapter by its position in [`Model::chapters`]; `None` if there is none.
    #[must_use]
    pub fn chapter_at(&self, index: usize) -> Option<Chapter> {
        self.chapters.get(index).and(position(index)).map(Chapter::of_index)
    }

    /// Looks up a constant of levels.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared; [`LookupError::Mismatch`] for another type.
    pub fn constant<T: FieldType>(&self, id: &str) -> Result<Constant<T>, LookupError> {
        let known = self.constants.iter().map(|constant| &constant.name);
        let unknown = || LookupError::unknown("constant", id, known);
        let index = self.constant_named(id).ok_or_else(unknown)?;
        let found = self.constants.get(index).zip(position(index));
        let (constant, index) = found.ok_or_else(|| LookupError::unknown("constant", id, []))?;
        if T::fits(constant.kind.into()) && T::MAY_BE_UNSET != Some(true) {
            return Ok(Constant::of_index(index));
        }
        Err(LookupError::Mismatch {
            name: constant.name.clone(),
            declared: constant.kind.to_string(),
            asked: T::declared(),
        })
    }

    /// Looks up a difficulty.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn difficulty(&self, id: &str) -> Result<Difficulty, LookupError> {
        let found = self.difficulty_named(id).and_then(position).map(Difficulty::of_index);
        found.ok_or_else(|| LookupError::unknown("difficulty", id, &self.difficulties))
    }

    /// Returns a difficulty by its position in [`Model::difficulties`]; `None` if there is none.
    #[must_use]
    pub fn difficulty_at(&self, index: usize) -> Option<Difficulty> {
        self.difficulties.get(index).and(position(index)).map(Difficulty::of_index)
    }

    /// Looks up an item of a closed list.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a list that is not declared, or an item that it does not have.
    pub fn item(&self, list: &str, id: &str) -> Result<Item, LookupError> {
        let (index, list) =
            self.lists.iter().enumerate().find(|(_, def)| def.name.as_str() == list).ok_or_else(|| {
                LookupError::unknown("list", list, self.lists.iter().map(|list| &list.name))
            })?;
        let item = list.items.iter().position(|item| item.as_str() == id);
        let item = item.and_then(|item| Some(Item { list: position(index)?, index: position(item)? }));
        item.ok_or_else(|| LookupError::unknown("item", id, &list.items))
    }

    /// Looks up an unlock.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn unlock(&self, id: &str) -> Result<Unlock, LookupError> {
        let found = self.unlock_named(id).and_then(position).map(Unlock::of_index);
        found
            .ok_or_else(|| LookupError::unknown("unlock", id, self.unlocks.iter().map(|unlock| &unlock.name)))
    }

    /// Returns an unlock by its position in [`Model::unlocks`]; `None` if there is none.
    #[must_use]
    pub fn unlock_at(&self, index: usize) -> Option<Unlock> {
        self.unlocks.get(index).and(position(index)).map(Unlock::of_index)
    }

    /// Looks up a moment.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn moment(&self, id: &str) -> Result<Moment, LookupError> {
        let found = self.moments.iter().position(|moment| moment.name.as_str() == id);
        let unknown = || LookupError::unknown("moment", id, self.moments.iter().map(|moment| &moment.name));
        found.and_then(|index| self.moment_at(index)).ok_or_else(unknown)
    }

    /// Returns a moment by its position in [`Model::moments`]; `None` if there is none.
    #[must_use]
    pub fn moment_at(&self, index: usize) -> Option<Moment> {
        self.moments.get(index).and(position(index)).map(Moment::of_index)
    }

    /// Looks up a field by its id, whatever its type.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn field_id(&self, id: &str) -> Result<FieldId, LookupError> {
        let found = self.field_named(id).and_then(|(index, _)| position(index));
        let unknown = || LookupError::unknown("field", id, self.fields.iter().map(|field| &field.name));
        found.map(FieldId::of_index).ok_or_else(unknown)
    }

    /// Looks up a named reset.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that is not declared.
    pub fn reset(&self, id: &str) -> Result<Reset, LookupError> {
        let found = self.resets.iter().position(|reset| reset.name.as_str() == id);
        let unknown = || LookupError::unknown("reset", id, self.resets.iter().map(|reset| &reset.name));
        found.and_then(position).map(Reset::of_index).ok_or_else(unknown)
    }

    /// Looks up a checkpoint of a level.
    ///
    /// # Errors
    /// [`LookupError::Unknown`] for a name that the level does not declare.
    pub fn checkpoint(&self, level: Level, id: &str) -> Result<Checkpoint, LookupError> {
        let found =
            self.checkpoint_named(level.index(), id).and_then(|index| self.checkpoint_at(level, index));
        let known = self.levels.get(level.index()).map_or(&[][..], |level| &level.checkpoints);
        found.ok_or_else(|| LookupError::unknown("checkpoint", id, known))
    }

    /// Returns a checkpoint by its position among the level's checkpoints; `None` if there is none.
    #[must_use]
    pub fn checkpoint_at(&self, level: Level, index: usize) -> Option<Checkpoint> {
        self.levels.get(level.index())?.checkpoints.get(index)?;
        Some(Checkpoint::of_index(level.0, position(index)?))
    }
}
