//! Levels and their stars.

use super::{CheckpointOrder, Model, Rule, StarsBy};
use crate::text::name::Name;
use crate::value::Value;

/// A declared level.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct LevelDef {
    /// Its id.
    pub name: Name,
    /// Its name for people; the id if none is declared.
    pub title: String,
    /// Its checkpoints, in order.
    pub checkpoints: Vec<Name>,
    /// Which of them counts when several are reached.
    pub checkpoint_order: CheckpointOrder,
    /// The most stars it can be rated with; 0 without a rating.
    pub stars: u8,
    /// The condition of each star; empty if the game gives the rating.
    pub star_rules: Vec<Rule>,
    /// The id of each star; empty if its stars have no ids.
    pub star_ids: Vec<Name>,
    /// The condition that opens it; `None` if it is open from the start.
    pub unlock: Option<Rule>,
    /// Its own condition and that of its chapter: what has to be true to enter it.
    pub lock: Option<Rule>,
    /// Whether it stays open once it was open.
    pub latch: bool,
    /// Its chapter, as a position in [`Model::chapters`].
    pub chapter: Option<usize>,
    /// Whether it counts: in totals, positions, the furthest level, and as the next one.
    pub counted: bool,
    /// The levels that may come next, as positions, if it names them; otherwise the next one in order.
    pub next: Option<Vec<usize>>,
    /// Its constants, in the order of [`Model::constants`].
    pub constants: Vec<Value>,
}

/// The most stars that a level can have.
pub const MAX_STARS: u8 = 64;

impl LevelDef {
    /// Returns the position of each star in an earlier version whose stars had no ids: where its condition was, or else its
    /// own position. Without ids a save may have more stars than the level.
    #[must_use]
    pub fn star_places(&self, before: &LevelDef) -> Vec<Option<usize>> {
        let was = |rule: &Rule| {
            before.star_rules.iter().position(|old| old.program.source() == rule.program.source())
        };
        let found: Vec<Option<usize>> = self.star_rules.iter().map(was).collect();
        let len = if self.star_ids.is_empty() { usize::from(MAX_STARS) } else { found.len() };
        let own = |place| Some(place).filter(|own| !found.contains(&Some(*own)));
        (0..len).map(|place| found.get(place).copied().flatten().or_else(|| own(place))).collect()
    }

    /// Returns whether a star of an earlier version without ids is at another position now.
    #[must_use]
    pub fn moved_stars(&self, before: &LevelDef) -> bool {
        let places = self.star_places(before).into_iter().enumerate();
        let held = before.star_rules.len();
        places.into_iter().any(|(now, was)| was.is_some_and(|was| was != now && was < held))
    }
}

impl Model {
    /// Returns whether a save names the collected stars of a level by their ids.
    #[doc(hidden)]
    #[must_use]
    pub fn collects_by_id(&self, level: usize) -> bool {
        self.stars_by == StarsBy::Each
            && self.levels.get(level).is_some_and(|level| !level.star_ids.is_empty())
    }
}
