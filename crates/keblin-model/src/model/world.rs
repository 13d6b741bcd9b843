//! The world: kinds of objects, and areas.

use super::{MemberDef, Model, OnDeath, OnReset, OnRetry};
use crate::text::name::Name;

/// The start of the id of an area of a grid: `cell_3_17`.
const CELL: &str = "cell_";

/// A kind of objects.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct ObjectKindDef {
    /// Its id.
    pub name: Name,
    /// A description for people.
    pub about: Option<String>,
    /// What a death does to its objects, in every area; by default nothing.
    pub on_death: OnDeath,
    /// What restarting a level does.
    pub on_retry: OnRetry,
    /// What a new run does.
    pub on_new_run: OnReset,
    /// Whether its objects are given the time that they were away, once their area is recalled.
    pub time_away: bool,
    /// What is kept of each object, in declared order.
    pub fields: Vec<MemberDef>,
}

/// An area: a part of the world that is loaded and unloaded as a whole.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct AreaDef {
    /// Its id.
    pub name: Name,
    /// Its name for people; the id if none is declared.
    pub title: String,
    /// The kinds of objects in it, as positions in [`Model::object_kinds`]; `None` if it may have all.
    pub kinds: Option<Vec<usize>>,
}

/// The areas of the world.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Areas {
    /// Each with an id, in declared order.
    Named(Vec<AreaDef>),
    /// So many from west to east, and so many from north to south: `cell_0_0` to `cell_63_63`.
    Grid([u16; 2]),
}

impl Default for Areas {
    fn default() -> Areas {
        Areas::Named(Vec::new())
    }
}

impl Areas {
    /// Returns the number of areas.
    #[must_use]
    pub fn len(&self) -> usize {
        match self {
            Areas::Named(areas) => areas.len(),
            Areas::Grid([x, y]) => usize::from(*x) * usize::from(*y),
        }
    }

    /// Returns the areas with ids of their own; none for a grid.
    #[must_use]
    pub fn named(&self) -> &[AreaDef] {
        if let Areas::Named(areas) = self { areas } else { &[] }
    }

    /// Returns whether no area is declared.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Returns the id of the area at a position.
    #[must_use]
    pub fn id(&self, index: usize) -> Option<String> {
        match self {
            Areas::Named(areas) => Some(areas.get(index)?.name.to_string()),
            Areas::Grid([width, _]) => {
                let width = usize::from(*width);
                (index < self.len()).then(|| format!("{CELL}{}_{}", index % width, index / width))
            }
        }
    }

    /// Returns the position of an area, by id.
    #[must_use]
    pub fn position(&self, id: &str) -> Option<usize> {
        match self {
            Areas::Named(areas) => areas.iter().position(|area| area.name.as_str() == id),
            Areas::Grid(_) => {
                let (x, y) = id.strip_prefix(CELL)?.split_once('_')?;
                let found = self.at([x.parse().ok()?, y.parse().ok()?])?;
                // The id is written in one way only.
                (self.id(found).as_deref() == Some(id)).then_some(found)
            }
        }
    }

    /// Returns the position of an area of a grid.
    #[must_use]
    pub fn at(&self, [x, y]: [u16; 2]) -> Option<usize> {
        let Areas::Grid([width, height]) = self else { return None };
        (x < *width && y < *height).then(|| usize::from(y) * usize::from(*width) + usize::from(x))
    }
}

impl ObjectKindDef {
    /// Returns a kind for which nothing is declared but its name.
    #[must_use]
    pub fn named(name: &Name) -> ObjectKindDef {
        ObjectKindDef {
            name: name.clone(),
            about: None,
            on_death: OnDeath::Stays,
            on_retry: OnRetry::Stays,
            on_new_run: OnReset::Default,
            time_away: false,
            fields: Vec::new(),
        }
    }

    /// Returns whether an event puts its objects back to how they were earlier, so that copies are needed.
    #[must_use]
    pub fn needs_copies(&self) -> bool {
        matches!(self.on_death, OnDeath::Checkpoint | OnDeath::Entry) || self.on_retry == OnRetry::Entry
    }
}

impl Model {
    /// Returns the kinds of objects that an area may have, as positions.
    pub fn kinds_in(&self, area: usize) -> impl Iterator<Item = usize> {
        let named = match &self.areas {
            Areas::Named(areas) => areas.get(area).and_then(|area| area.kinds.as_deref()),
            Areas::Grid(_) => None,
        };
        let all = if named.is_none() { 0..self.object_kinds.len() } else { 0..0 };
        named.unwrap_or_default().iter().copied().chain(all)
    }
}
