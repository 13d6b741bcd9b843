//! The model: everything a declaration says, checked and resolved to positions, and the layout that gives every value
//! its cell. Data only: `declare` makes it, and every later stage reads it.

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

/// Declared structs, and the limits of the contents of a field.
mod shape;

/// The keys that override the survival table.
mod survival;

/// Chapters, and what follows from the order of levels.
mod chapter;

/// Levels and their stars.
mod level;

/// Moments and invariants.
mod moment;

/// Groups of fields.
mod group;

/// Named resets.
mod reset;

/// Kinds of objects and areas of the world.
mod world;

/// Rules that can be explained part by part.
mod rule;

/// Which rules to evaluate again after a change.
mod watch;

pub use chapter::{ChapterDef, ConstantDef};
pub use group::GroupDef;
pub use index::Index;
pub use layout::{At, Axis, ListDef, MAX_AXES};
pub use level::LevelDef;
pub use level::MAX_STARS;
pub use moment::{InvariantDef, MomentDef};
pub use reset::{Extent, ResetDef, ResetLevels, ResetPart};
pub use rule::{Rule, RuleAsks, RulePart, Threshold};
pub use shape::{Items, Limits, MemberDef, ShapeDef};
pub use survival::{OnDeath, OnReset, OnRetry, Survival};
pub use watch::{RuleId, Watch};
pub use words::{
    AfterLast, Again, AtZero, CheckpointLasts, CheckpointOrder, FeedAt, Resume, SaveAt, Scope, StarsBy,
};
pub use world::{AreaDef, Areas, ObjectKindDef};

/// The most fields that a list of slots shows.
pub const MAX_SUMMARY_FIELDS: usize = 16;

/// Where the values of a field come from that the engine feeds: a record, a sum, a union.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct Feed {
    /// The field that feeds it, as a position in [`Model::fields`].
    pub from: usize,
    /// When it is offered.
    pub at: Vec<FeedAt>,
}

/// What goes with each value of a record.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct With {
    /// The shape, as a position in [`Model::shapes`].
    pub shape: u16,
    /// The members that the engine fills from fields: positions of the member and of the field in [`Model::fields`].
    pub from: Vec<(usize, usize)>,
}

/// A declared field.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct FieldDef {
    /// Its id.
    pub name: Name,
    /// A description for people.
    pub about: Option<String>,
    /// Its type.
    pub kind: Kind,
    /// How long its value lives.
    pub scope: Scope,
    /// Its value before anything was written: unset for a record.
    pub default: Value,
    /// The lower bound (numbers).
    pub min: Option<Bound>,
    /// The upper bound (numbers).
    pub max: Option<Bound>,
    /// The most characters (text) or bytes.
    pub max_len: Option<usize>,
    /// Its contents (lists, sets, maps).
    pub items: Option<Items>,
    /// How many of the best values a record keeps; 1 for other fields.
    pub places: usize,
    /// How a new value meets the stored one.
    pub keep: Keep,
    /// Where its values come from, if the engine feeds it.
    pub feed: Option<Feed>,
    /// What goes with each value of a record.
    pub with: Option<With>,
    /// Its group, as a position in [`Model::groups`].
    pub group: Option<usize>,
    /// Its axes, outermost first.
    pub per: Vec<Axis>,
    /// Whether it is saved; if not, it has its default whenever the program starts.
    pub durable: bool,
    /// Whether it runs while a level is being played (time).
    pub counts_playing: bool,
    /// What each event does to it.
    pub survival: Survival,
    /// Whether it sets `on_death`; a field of level or run scope should.
    pub says_on_death: bool,
    /// Its cells in the layout: one, or one per place on its axes.
    pub cells: Range<usize>,
}

impl FieldDef {
    /// Returns its type, with the type of its items.
    #[must_use]
    pub fn holds(&self) -> Holds {
        let items = self.items.as_ref();
        Holds { kind: self.kind, of: items.map(|items| items.of), key: items.and_then(|items| items.key) }
    }

    /// Returns the same field without bounds that follow other values.
    #[must_use]
    pub fn fixed_bounds(&self) -> FieldDef {
        let fixed = |bound: &Option<Bound>| bound.clone().filter(|bound| bound.fixed().is_some());
        FieldDef { min: fixed(&self.min), max: fixed(&self.max), ..self.clone() }
    }

    /// Returns whether it may be unset: a record, or an id without a declared default.
    #[must_use]
    pub fn may_be_unset(&self) -> bool {
        self.default == Value::Unset
    }
}

/// A lower or upper bound.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum Bound {
    /// A literal number.
    Fixed(Value),
    /// A number that follows others: another field, or an expression.
    Follows(Box<Program>),
}

impl Bound {
    /// Returns the number, if it is a literal.
    #[must_use]
    pub fn fixed(&self) -> Option<&Value> {
        if let Bound::Fixed(value) = self { Some(value) } else { None }
    }
}

/// As declared: `90`, `oil_cap`.
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
pub struct Lives {
    /// The field that counts them, as a position in [`Model::fields`].
    pub field: usize,
    /// What the last death does.
    pub at_zero: AtZero,
}

/// An unlock: something to unlock that is not a level, such as an ability, a mode or a look.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct UnlockDef {
    /// Its id.
    pub name: Name,
    /// Its name for people; the id if none is declared.
    pub title: String,
    /// Its condition.
    pub when: Option<Rule>,
    /// Whether it stays unlocked.
    pub latch: bool,
    /// What it costs, if it is bought: fields, as positions in [`Model::fields`], and how much of each.
    pub costs: Vec<(usize, Value)>,
}

/// Everything a declaration says about a game's progress, checked.
#[derive(Clone, PartialEq, Eq)]
pub struct Model {
    /// The id of the game.
    pub game: Name,
    /// The version of the save's shape.
    pub version: u32,
    /// The difficulties, in order; the first is used until the player chooses one.
    pub difficulties: Vec<Name>,
    /// Whether finished, stars, attempts and deaths are kept per difficulty.
    pub level_facts_per_difficulty: bool,
    /// Where a resumed run continues.
    pub resume: Resume,
    /// How long a death leads back to a checkpoint.
    pub checkpoint_lasts: CheckpointLasts,
    /// What finishing the last level does.
    pub after_last: AfterLast,
    /// Which events make a save due.
    pub autosave: Vec<SaveAt>,
    /// The lives rule; without one a death costs nothing.
    pub lives: Option<Lives>,
    /// The closed lists, in declared order.
    pub lists: Vec<ListDef>,
    /// The declared structs, in declared order.
    pub shapes: Vec<ShapeDef>,
    /// The fields, in declared order.
    pub fields: Vec<FieldDef>,
    /// The groups of fields, in declared order.
    pub groups: Vec<GroupDef>,
    /// The kinds of objects in the world, in declared order.
    pub object_kinds: Vec<ObjectKindDef>,
    /// The areas of the world.
    pub areas: Areas,
    /// The chapters, in declared order.
    pub chapters: Vec<ChapterDef>,
    /// The constants that every level has, in declared order.
    pub constants: Vec<ConstantDef>,
    /// The levels, in order.
    pub levels: Vec<LevelDef>,
    /// The unlocks, in declared order.
    pub unlocks: Vec<UnlockDef>,
    /// The moments, in declared order.
    pub moments: Vec<MomentDef>,
    /// The invariants, in declared order.
    pub invariants: Vec<InvariantDef>,
    /// The named resets.
    pub resets: Vec<ResetDef>,
    /// The fields that a list of slots shows, as positions in `fields`.
    pub summary: Vec<usize>,
    /// How a new rating of a level meets the stored one.
    pub stars_by: StarsBy,
    /// How many cells the layout has: those of level scope first, then run, profile and device.
    #[doc(hidden)]
    pub cell_count: usize,
    /// How many cells, from the start, have level or run scope and so are in the copies.
    #[doc(hidden)]
    pub copied_cells: usize,
    /// How many cells, from the start, are in the saves of a slot; the others have device scope.
    #[doc(hidden)]
    pub saved_cells: usize,
    /// The cells that run while a level is being played.
    #[doc(hidden)]
    pub clock_cells: Vec<usize>,
    /// The field that owns each cell, as a position in [`Model::fields`].
    #[doc(hidden)]
    pub owners: Vec<u32>,
    /// The fields with bounds that follow other values, as positions in [`Model::fields`].
    #[doc(hidden)]
    pub following: Vec<usize>,
    /// Which rules to evaluate again after a change.
    #[doc(hidden)]
    pub watch: Watch,
    /// Tells handles of two schemas apart.
    #[doc(hidden)]
    pub tag: u32,
    /// Positions by id.
    #[doc(hidden)]
    pub index: Index,
}

/// Short, because it would fill pages: the game and the version.
impl fmt::Debug for Model {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Model({}, version {})", self.game, self.version)
    }
}

impl Model {
    /// Returns the name of the shape that goes with the values of a record.
    #[must_use]
    pub fn with_name(&self, field: &FieldDef) -> Option<&str> {
        let shape = self.shapes.get(usize::from(field.with.as_ref()?.shape))?;
        Some(shape.name.as_str())
    }

    /// Returns the names of the fields that a list of slots shows.
    pub fn summary_names(&self) -> impl Iterator<Item = &Name> {
        self.summary.iter().filter_map(|field| self.fields.get(*field)).map(|field| &field.name)
    }

    /// Returns whether two schemas say the same, so that values of one have their places in the other.
    #[must_use]
    pub fn is_same(&self, other: &Model) -> bool {
        std::ptr::eq(self, other) || (self.game == other.game && self.tag == other.tag)
    }

    /// Returns a model that knows nothing, for values that cannot name anything.
    #[must_use]
    pub fn without_names() -> Model {
        Model::of_names(Vec::new(), Vec::new(), Vec::new(), Vec::new())
    }

    /// Returns a model that knows only names.
    #[must_use]
    pub fn of_names(
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
            checkpoint_lasts: CheckpointLasts::Level,
            after_last: AfterLast::Map,
            autosave: SaveAt::BY_ITSELF.to_vec(),
            lives: None,
            lists,
            shapes: Vec::new(),
            fields: Vec::new(),
            groups: Vec::new(),
            object_kinds: Vec::new(),
            areas: Areas::default(),
            chapters: Vec::new(),
            constants: Vec::new(),
            levels,
            unlocks,
            moments: Vec::new(),
            invariants: Vec::new(),
            resets: Vec::new(),
            summary: Vec::new(),
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

    /// Returns a field with its position, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn field_named(&self, id: &str) -> Option<(usize, &FieldDef)> {
        let at = self.index.fields.position(id, self.fields.iter().map(|field| &field.name))?;
        Some((at, self.fields.get(at)?))
    }

    /// Returns the position of a level, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn level_named(&self, id: &str) -> Option<usize> {
        self.index.levels.position(id, self.levels.iter().map(|level| &level.name))
    }

    /// Returns the position of an unlock, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn unlock_named(&self, id: &str) -> Option<usize> {
        self.index.unlocks.position(id, self.unlocks.iter().map(|unlock| &unlock.name))
    }

    /// Returns the position of a difficulty, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn difficulty_named(&self, id: &str) -> Option<usize> {
        self.difficulties.iter().position(|difficulty| difficulty.as_str() == id)
    }

    /// Returns the position of a checkpoint within its level, by id.
    #[doc(hidden)]
    #[must_use]
    pub fn checkpoint_named(&self, level: usize, id: &str) -> Option<usize> {
        self.levels.get(level)?.checkpoints.iter().position(|checkpoint| checkpoint.as_str() == id)
    }
}
