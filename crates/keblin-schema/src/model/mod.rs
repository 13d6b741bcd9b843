//! The model: everything a declaration says, checked and resolved to positions, plus the layout that gives every
//! value its cell. Data alone: `declare` makes it, everything behind it reads it.

use std::fmt;
use std::ops::Range;

use crate::program::Program;
use crate::text::name::Name;
use crate::value::Value;
use crate::value::keep::Keep;
use crate::value::kind::{Holds, Kind};

/// The words of a declaration.
mod words;

/// Axes, places on them, and cells.
mod layout;

/// Positions by id.
mod index;

/// Declared structs, and the limits of what is inside a field.
mod shape;

/// The words by which values survive.
mod survival;

/// Rules with reasons.
mod rule;

/// Which rules to ask again after a change.
mod watch;

pub(crate) use index::{Index, Positions};
pub use layout::{At, Axis, ListDef, MAX_AXES};
pub use rule::{Rule, RuleAsks, RulePart, Threshold};
pub use shape::{Items, Limits, MemberDef, ShapeDef};
pub use survival::{OnDeath, OnReset, OnRetry, Survival};
pub use watch::{RuleId, Watch};
pub use words::{AfterLast, Again, AtZero, CheckpointOrder, RecordAt, Resume, SaveAt, Scope, StarsBy};

/// Where a record's values come from.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct RecordFeed {
    /// The field whose value is offered, as a position in [`Model::fields`].
    pub from: usize,
    /// When it is offered.
    pub at: Vec<RecordAt>,
}

/// A declared field.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct FieldDef {
    /// Its id.
    pub name: Name,
    /// What it is, for people.
    pub about: Option<String>,
    /// What it holds.
    pub kind: Kind,
    /// How long its value lives.
    pub scope: Scope,
    /// What it reads as when nothing was written: unset for a record.
    pub default: Value,
    /// The least it may be (numbers).
    pub min: Option<Bound>,
    /// The most it may be (numbers).
    pub max: Option<Bound>,
    /// The most characters (text) or bytes it may hold.
    pub max_len: Option<usize>,
    /// What is in it (lists, sets, maps).
    pub items: Option<Items>,
    /// How many of the best values a record keeps; 1 for every other field.
    pub places: usize,
    /// How a new value meets the stored one.
    pub keep: Keep,
    /// Where its values come from, for a record that the engine feeds.
    pub feed: Option<RecordFeed>,
    /// What it has one value for each of, outermost first.
    pub per: Vec<Axis>,
    /// Whether it is written to files at all; if not, it is as declared whenever the program starts.
    pub durable: bool,
    /// Whether it grows by itself while a level is being played (time).
    pub counts_playing: bool,
    /// What each event does to it.
    pub survival: Survival,
    /// Whether it says itself what a death does to it; a field of a visit or a run should.
    pub says_on_death: bool,
    /// Its cells in the layout: one, or one for each place on its axes.
    pub cells: Range<usize>,
}

impl FieldDef {
    /// What it holds, with what is in it.
    #[must_use]
    pub fn holds(&self) -> Holds {
        let items = self.items.as_ref();
        Holds { kind: self.kind, of: items.map(|items| items.of), key: items.and_then(|items| items.key) }
    }

    /// The same field without the bounds that follow from other values.
    #[must_use]
    pub fn fixed_bounds(&self) -> FieldDef {
        let fixed = |bound: &Option<Bound>| bound.clone().filter(|bound| bound.fixed().is_some());
        FieldDef { min: fixed(&self.min), max: fixed(&self.max), ..self.clone() }
    }

    /// Whether it may be unset: a record, or an id without a declared default.
    #[must_use]
    pub fn may_be_unset(&self) -> bool {
        self.default == Value::Unset
    }
}

/// What a number may be at least or at most.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Bound {
    /// A number that is written out.
    Fixed(Value),
    /// A number that follows from others: another field, or an expression.
    Follows(Box<Program>),
}

impl Bound {
    /// The number, where it is written out.
    #[must_use]
    pub fn fixed(&self) -> Option<&Value> {
        if let Bound::Fixed(value) = self { Some(value) } else { None }
    }
}

/// As it is declared: `90`, `oil_cap`.
impl fmt::Display for Bound {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Bound::Fixed(value) => fmt::Display::fmt(value, f),
            Bound::Follows(program) => f.pad(program.source()),
        }
    }
}

/// The lives rule.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct Lives {
    /// The field that counts them, as a position in [`Model::fields`].
    pub field: usize,
    /// What happens when the last one is gone.
    pub at_zero: AtZero,
}

/// A declared level.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct LevelDef {
    /// Its id.
    pub name: Name,
    /// What people call it; its id where nothing is declared.
    pub title: String,
    /// Its checkpoints, in order.
    pub checkpoints: Vec<Name>,
    /// Which of them counts when several are reached.
    pub checkpoint_order: CheckpointOrder,
    /// The most stars it can be rated with; 0 without a rating.
    pub stars: u8,
    /// What each star is given for; empty where the game gives the rating.
    pub star_rules: Vec<Rule>,
    /// What must hold before it opens; `None` is open from the start.
    pub unlock: Option<Rule>,
}

/// What is not a level and opens: an ability, a mode, a look.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct UnlockDef {
    /// Its id.
    pub name: Name,
    /// What people call it; its id where nothing is declared.
    pub title: String,
    /// What must hold.
    pub when: Option<Rule>,
    /// Whether it is never taken back once it is given.
    pub latch: bool,
}

/// A condition that is told once when it turns true.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub struct MomentDef {
    /// Its id.
    pub name: Name,
    /// What it is, for people.
    pub about: Option<String>,
    /// What must turn true.
    pub when: Option<Rule>,
    /// How often it is told.
    pub again: Again,
}

/// Everything a declaration says about a game's progress, checked.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Model {
    /// Whose saves these are.
    pub game: Name,
    /// The version of the shape of the saves.
    pub version: u32,
    /// The difficulties, in order; the first is the choice before any choice.
    pub difficulties: Vec<Name>,
    /// Whether finished, stars, attempts and deaths are kept apart for each difficulty.
    pub level_facts_per_difficulty: bool,
    /// Which instant a resumed run comes back to.
    pub resume: Resume,
    /// What finishing the last level does.
    pub after_last: AfterLast,
    /// When the game wants to be saved.
    pub autosave: Vec<SaveAt>,
    /// The lives rule; without one a death costs nothing.
    pub lives: Option<Lives>,
    /// The closed lists, in declared order.
    pub lists: Vec<ListDef>,
    /// The declared structs, in declared order.
    pub shapes: Vec<ShapeDef>,
    /// The fields, in declared order.
    pub fields: Vec<FieldDef>,
    /// The levels, in order.
    pub levels: Vec<LevelDef>,
    /// What is not a level and opens, in declared order.
    pub unlocks: Vec<UnlockDef>,
    /// What is told once when it turns true, in declared order.
    pub moments: Vec<MomentDef>,
    /// How a level's rating meets the one it had.
    pub stars_by: StarsBy,
    /// How many cells the layout has: those of level scope first, then run, profile and device.
    #[doc(hidden)]
    pub cell_count: usize,
    /// How many of them, from the start, belong to a visit or a run and so are in the copies.
    #[doc(hidden)]
    pub copied_cells: usize,
    /// How many of them, from the start, are in the saves of a slot; the others belong to the device.
    #[doc(hidden)]
    pub saved_cells: usize,
    /// The cells that grow by themselves while a level is being played.
    #[doc(hidden)]
    pub clock_cells: Vec<usize>,
    /// The field that owns each cell, as a position in [`Model::fields`].
    pub(crate) owners: Vec<u32>,
    /// The fields with bounds that follow from other values, as positions in [`Model::fields`].
    #[doc(hidden)]
    pub following: Vec<usize>,
    /// Which locks to ask again after a change.
    #[doc(hidden)]
    pub watch: Watch,
    /// Tells handles of one schema from those of another.
    pub(crate) tag: u32,
    /// Positions by id.
    pub(crate) index: Index,
}

impl Model {
    /// A schema that knows names and nothing else yet.
    pub(crate) fn of_names(
        lists: Vec<ListDef>,
        difficulties: Vec<Name>,
        levels: Vec<LevelDef>,
        unlocks: Vec<UnlockDef>,
    ) -> Model {
        Model {
            game: Name::placeholder(),
            version: 0,
            difficulties,
            level_facts_per_difficulty: false,
            resume: Resume::Checkpoint,
            after_last: AfterLast::Map,
            autosave: SaveAt::BY_ITSELF.to_vec(),
            lives: None,
            lists,
            shapes: Vec::new(),
            fields: Vec::new(),
            levels,
            unlocks,
            moments: Vec::new(),
            stars_by: StarsBy::BestAttempt,
            cell_count: 0,
            copied_cells: 0,
            saved_cells: 0,
            clock_cells: Vec::new(),
            owners: Vec::new(),
            following: Vec::new(),
            watch: Watch::default(),
            tag: 0,
            index: Index::default(),
        }
    }

    /// A field with its position, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn field_named(&self, id: &str) -> Option<(usize, &FieldDef)> {
        let at = self.index.fields.position(id, self.fields.iter().map(|field| &field.name))?;
        Some((at, self.fields.get(at)?))
    }

    /// The position of a level, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn level_named(&self, id: &str) -> Option<usize> {
        self.index.levels.position(id, self.levels.iter().map(|level| &level.name))
    }

    /// The position of an unlock, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn unlock_named(&self, id: &str) -> Option<usize> {
        self.index.unlocks.position(id, self.unlocks.iter().map(|unlock| &unlock.name))
    }

    /// The position of a difficulty, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn difficulty_named(&self, id: &str) -> Option<usize> {
        self.difficulties.iter().position(|difficulty| difficulty.as_str() == id)
    }

    /// The position of a checkpoint within its level, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn checkpoint_named(&self, level: usize, id: &str) -> Option<usize> {
        self.levels.get(level)?.checkpoints.iter().position(|checkpoint| checkpoint.as_str() == id)
    }
}
