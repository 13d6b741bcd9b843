//! The layout: axes, places on them, and the cell of every value and fact.

use super::{FieldDef, Model};
use crate::text::name::Name;

/// The most axes a field can have.
pub const MAX_AXES: usize = 4;

/// An axis: what a field can have one value per.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Axis {
    /// One value per level.
    Level,
    /// One value per difficulty.
    Difficulty,
    /// One value per item of a list, as a position in [`Model::lists`].
    List(u16),
}

/// A closed list. Its items can be an axis of fields.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct ListDef {
    /// Its id.
    pub name: Name,
    /// Its items, in order.
    pub items: Vec<Name>,
}

/// A place on axes: a level, a difficulty and items, each if it is given. It selects a cell of a field with axes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct At {
    /// A level, as a position in [`Model::levels`].
    pub level: Option<usize>,
    /// A difficulty, as a position in [`Model::difficulties`].
    pub difficulty: Option<usize>,
    /// For each axis of the field that is a list, in the field's order: an item, as a position in the list.
    pub items: [Option<u16>; MAX_AXES],
}

impl At {
    /// Returns the place with a level and a difficulty, each if it is given.
    #[must_use]
    pub fn level(level: Option<usize>, difficulty: Option<usize>) -> At {
        At { level, difficulty, items: [None; MAX_AXES] }
    }

    /// Returns the same place on another difficulty.
    #[must_use]
    pub fn on(self, difficulty: Option<usize>) -> At {
        At { difficulty, ..self }
    }
}

impl Model {
    /// Returns how many values each level fact has: one per level, or one per level and difficulty.
    #[doc(hidden)]
    #[must_use]
    pub fn fact_count(&self) -> usize {
        self.levels.len() * self.fact_difficulties()
    }

    /// Returns the position of a level's facts among [`Model::fact_count`] ones.
    #[doc(hidden)]
    #[must_use]
    pub fn fact_index(&self, level: usize, difficulty: usize) -> usize {
        level * self.fact_difficulties() + if self.level_facts_per_difficulty { difficulty } else { 0 }
    }

    /// Returns the level, and the difficulty if facts are kept per difficulty, of a position in the facts.
    #[doc(hidden)]
    #[must_use]
    pub fn fact_place(&self, index: usize) -> At {
        let difficulties = self.fact_difficulties();
        let difficulty = self.level_facts_per_difficulty.then_some(index % difficulties);
        At::level(Some(index / difficulties), difficulty)
    }

    fn fact_difficulties(&self) -> usize {
        if self.level_facts_per_difficulty { self.difficulties.len().max(1) } else { 1 }
    }

    /// Returns how many positions an axis has.
    #[doc(hidden)]
    #[must_use]
    pub fn axis_len(&self, axis: Axis) -> usize {
        match axis {
            Axis::Level => self.levels.len(),
            Axis::Difficulty => self.difficulties.len(),
            Axis::List(list) => self.lists.get(usize::from(list)).map_or(0, |list| list.items.len()),
        }
    }

    /// Returns the id of a position on an axis.
    #[doc(hidden)]
    #[must_use]
    pub fn axis_id(&self, axis: Axis, index: usize) -> Option<&Name> {
        match axis {
            Axis::Level => self.levels.get(index).map(|level| &level.name),
            Axis::Difficulty => self.difficulties.get(index),
            Axis::List(list) => self.lists.get(usize::from(list))?.items.get(index),
        }
    }

    /// Returns the ids of all positions of an axis, in order.
    #[doc(hidden)]
    pub fn axis_ids(&self, axis: Axis) -> impl Iterator<Item = &Name> {
        (0..self.axis_len(axis)).filter_map(move |index| self.axis_id(axis, index))
    }

    /// Returns the word for an axis in a declaration.
    #[doc(hidden)]
    #[must_use]
    pub fn axis_name(&self, axis: Axis) -> &str {
        match axis {
            Axis::Level => "level",
            Axis::Difficulty => "difficulty",
            Axis::List(list) => self.lists.get(usize::from(list)).map_or("?", |list| list.name.as_str()),
        }
    }

    /// Returns the cell of a field at a place; `None` if the place lacks one of the field's axes or is outside.
    #[doc(hidden)]
    #[must_use]
    pub fn cell(&self, field: &FieldDef, at: At) -> Option<usize> {
        let mut offset = 0;
        let mut items = at.items.into_iter().flatten();
        for axis in &field.per {
            let index = match axis {
                Axis::Level => at.level,
                Axis::Difficulty => at.difficulty,
                Axis::List(_) => items.next().map(usize::from),
            }?;
            let len = self.axis_len(*axis);
            offset = if index < len { offset * len + index } else { return None };
        }
        Some(field.cells.start + offset * field.places)
    }

    /// Returns the field that a cell belongs to, and its place on the field's axes.
    #[doc(hidden)]
    #[must_use]
    pub fn cell_owner(&self, cell: usize) -> Option<(&FieldDef, At)> {
        let owner = usize::try_from(*self.owners.get(cell)?).ok()?;
        let field = self.fields.get(owner)?;
        let mut rest = (cell - field.cells.start) / field.places;
        let mut at = At::default();
        let lists = field.per.iter().filter(|axis| matches!(axis, Axis::List(_))).count();
        let mut items = at.items.get_mut(..lists).into_iter().flatten().rev();
        for axis in field.per.iter().rev() {
            let len = self.axis_len(*axis).max(1);
            match axis {
                Axis::Level => at.level = Some(rest % len),
                Axis::Difficulty => at.difficulty = Some(rest % len),
                Axis::List(_) => {
                    items.next().into_iter().for_each(|item| *item = u16::try_from(rest % len).ok());
                }
            }
            rest /= len;
        }
        Some((field, at))
    }

    /// Returns the field that a cell belongs to.
    #[doc(hidden)]
    #[must_use]
    #[inline]
    pub fn field_at(&self, cell: usize) -> Option<&FieldDef> {
        self.fields.get(self.field_of_cell(cell)?)
    }

    /// Returns the position of the field that a cell belongs to.
    #[doc(hidden)]
    #[must_use]
    #[inline]
    pub fn field_of_cell(&self, cell: usize) -> Option<usize> {
        usize::try_from(*self.owners.get(cell)?).ok()
    }

    /// Returns the position of a cell in its table of best values, from 1; 1 for every other cell.
    #[doc(hidden)]
    #[must_use]
    pub fn place_in_table(&self, cell: usize) -> usize {
        self.cell_owner(cell).map_or(1, |(field, _)| (cell - field.cells.start) % field.places + 1)
    }

    /// Returns the ids of a place on some axes, in their order, for the axes that it gives.
    #[doc(hidden)]
    pub fn place_ids(&self, per: &[Axis], at: At) -> impl Iterator<Item = &Name> {
        let mut items = at.items.into_iter();
        per.iter().filter_map(move |axis| {
            let index = match axis {
                Axis::Level => at.level,
                Axis::Difficulty => at.difficulty,
                Axis::List(_) => items.next().flatten().map(usize::from),
            };
            self.axis_id(*axis, index?)
        })
    }

    /// Returns a place as people write it, `reedgate, neap`; empty if it gives nothing.
    #[must_use]
    pub fn place_text(&self, per: &[Axis], at: At) -> String {
        self.place_ids(per, at).map(Name::as_str).collect::<Vec<_>>().join(", ")
    }
}
