//! Positions by id, so that looking up one of thousands of names is fast.

use std::collections::HashMap;
use std::fmt;

use super::Model;
use crate::text::name::Name;

/// Positions by id.
#[derive(Clone, Default, PartialEq, Eq)]
pub struct Index {
    pub(crate) fields: Positions,
    pub(crate) levels: Positions,
    pub(crate) unlocks: Positions,
}

impl Index {
    /// Returns the positions of the names of a model.
    #[must_use]
    pub fn of(model: &Model) -> Index {
        Index {
            fields: Positions::of(model.fields.iter().map(|field| &field.name)),
            levels: Positions::of(model.levels.iter().map(|level| &level.name)),
            unlocks: Positions::of(model.unlocks.iter().map(|unlock| &unlock.name)),
        }
    }
}

/// The positions of one list.
#[derive(Clone, Default, PartialEq, Eq)]
pub(crate) struct Positions(HashMap<Name, usize>);

impl Positions {
    fn of<'n>(names: impl Iterator<Item = &'n Name>) -> Positions {
        Positions(names.enumerate().map(|(at, name)| (name.clone(), at)).collect())
    }

    /// Returns the position of an id among names; without an index they are searched one by one.
    pub(crate) fn position<'n>(
        &self,
        id: &str,
        mut names: impl ExactSizeIterator<Item = &'n Name>,
    ) -> Option<usize> {
        if self.0.len() == names.len() {
            return self.0.get(id).copied();
        }
        names.position(|name| name.as_str() == id)
    }
}

/// The index only repeats what the lists say.
impl fmt::Debug for Index {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Index")
    }
}
