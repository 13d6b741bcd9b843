//! The schema: everything a declaration says, checked and resolved to positions, plus the layout that gives every
//! value its cell. Made by [`Schema::parse`]; read by everything else.

use std::any::Any;
use std::collections::HashSet;
use std::fmt;
use std::ops::Range;
use std::sync::Arc;

use crate::condition::Program;
use crate::derived::Derived;
use crate::finding::{Finding, Findings};
use crate::keep::Keep;
use crate::kind::{Holds, Kind};
use crate::limits::{Items, ShapeDef};
use crate::name::Name;
use crate::rule::Rule;
use crate::source::Source;
use crate::steps::Past;
use crate::survival::Survival;
use crate::value::Value;
use crate::watch::Watch;

/// The words of a declaration.
mod words;

/// Axes, places on them, and cells.
mod layout;

/// Positions by id.
mod index;

pub(crate) use index::{Index, Positions};
pub use layout::{At, Axis, ListDef, MAX_AXES};
pub use words::{AfterLast, Again, AtZero, CheckpointOrder, RecordAt, Resume, SaveAt, Scope, StarsBy};

/// Where a record's values come from.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct RecordFeed {
    /// The field whose value is offered, as a position in [`Schema::fields`].
    pub from: usize,
    /// When it is offered.
    pub at: Vec<RecordAt>,
}

/// A declared field.
#[derive(Clone, Debug, PartialEq, Eq)]
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
#[derive(Clone, Debug, PartialEq, Eq)]
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
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Lives {
    /// The field that counts them, as a position in [`Schema::fields`].
    pub field: usize,
    /// What happens when the last one is gone.
    pub at_zero: AtZero,
}

/// A declared level.
#[derive(Clone, Debug, PartialEq, Eq)]
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
#[derive(Clone, Debug, PartialEq, Eq)]
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
#[derive(Clone, Debug, PartialEq, Eq)]
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
pub struct Schema {
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
    pub cell_count: usize,
    /// How many of them, from the start, belong to a visit or a run and so are in the copies.
    pub copied_cells: usize,
    /// How many of them, from the start, are in the saves of a slot; the others belong to the device.
    pub saved_cells: usize,
    /// The cells that grow by themselves while a level is being played.
    pub clock_cells: Vec<usize>,
    /// The field that owns each cell, as a position in [`Schema::fields`].
    pub(crate) owners: Vec<u32>,
    /// The fields with bounds that follow from other values, as positions in [`Schema::fields`].
    pub following: Vec<usize>,
    /// Which locks to ask again after a change.
    pub watch: Watch,
    /// Tells handles of one schema from those of another.
    pub(crate) tag: u32,
    pub(crate) derived: Derived,
    /// Positions by id.
    pub(crate) index: Index,
    /// The versions before this one.
    pub(crate) past: Past,
}

/// A schema and what was found in it that is not an error.
#[derive(Clone, Debug)]
pub struct Parsed {
    /// The schema.
    pub schema: Schema,
    /// Warnings and hints.
    pub findings: Findings,
    /// What was found in the versions before it, text by text.
    pub of_past: Vec<Findings>,
    /// A hint for every field that no rule or record names, by its position.
    unnamed: Vec<(usize, Finding)>,
}

impl Parsed {
    /// The findings, with a hint for every field that neither a rule or record names nor any of some other texts, such
    /// as rehearsals.
    #[must_use]
    pub fn findings_beside<'t>(&self, texts: impl IntoIterator<Item = &'t str>) -> Findings {
        let is_part = |c: char| c.is_ascii_alphanumeric() || c == '_';
        let words: HashSet<&str> =
            texts.into_iter().flat_map(|text| text.split(move |c| !is_part(c))).collect();
        let is_named = |field: usize| {
            self.schema.fields.get(field).is_some_and(|field| words.contains(field.name.as_str()))
        };
        let hints = self.unnamed.iter().filter(|(field, _)| !is_named(*field)).map(|(_, hint)| hint.clone());
        let list = self.findings.list().iter().cloned().chain(hints).collect();
        Findings::new(self.findings.source().clone(), list).and_more(self.findings.more())
    }
}

impl Schema {
    /// A schema that knows names and nothing else yet.
    pub(crate) fn of_names(
        lists: Vec<ListDef>,
        difficulties: Vec<Name>,
        levels: Vec<LevelDef>,
        unlocks: Vec<UnlockDef>,
    ) -> Schema {
        Schema {
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
            derived: Derived::default(),
            index: Index::default(),
            past: Past::default(),
        }
    }

    /// Parses and checks a declaration. `source_name` is what complaints call the text, as a rule its path.
    ///
    /// ```
    /// let text = "game = 'otter'\nversion = 1\n[fields.coppers]\ntype = 'int'\nscope = 'profile'\n";
    /// let parsed = keblin_schema::Schema::parse("progress.toml", text)?;
    /// assert_eq!(parsed.schema.fields[0].name.as_str(), "coppers");
    /// # Ok::<(), keblin_schema::Findings>(())
    /// ```
    ///
    /// # Errors
    /// All [`Findings`], if at least one of them is an error.
    pub fn parse(source_name: &str, text: &str) -> Result<Parsed, Findings> {
        let mut list = Vec::new();
        let declared = crate::parse::declarations(text, &mut list);
        let resolved = crate::check::resolve(declared, &mut list);
        let findings = Findings::new(Source::new(source_name, text), list);
        match resolved {
            Some((schema, unnamed)) if !findings.has_errors() => {
                Ok(Parsed { schema, findings, of_past: Vec::new(), unnamed })
            }
            _ => Err(findings),
        }
    }

    /// A value as a declaration would write it: `["F-04"]`, `{ lit = true }`, `"90s"`.
    ///
    /// # Errors
    /// What is wrong with the text, as a sentence without a full stop.
    pub fn written(&self, holds: Holds, text: &str) -> Result<Value, String> {
        crate::parse::value::written(self, holds, text)
    }

    /// What somebody makes of this schema once and keeps with it: made at the first call, the same ever after. There is
    /// room for one type; another one is made each time.
    pub fn derived<T: Any + Send + Sync>(&self, make: impl Fn(&Schema) -> T) -> Arc<T> {
        self.derived.or_make(|| make(self))
    }

    /// A field with its position, by id.
    #[must_use]
    pub fn field_named(&self, id: &str) -> Option<(usize, &FieldDef)> {
        let at = self.index.fields.position(id, self.fields.iter().map(|field| &field.name))?;
        Some((at, self.fields.get(at)?))
    }

    /// The position of a level, by id.
    #[must_use]
    pub fn level_named(&self, id: &str) -> Option<usize> {
        self.index.levels.position(id, self.levels.iter().map(|level| &level.name))
    }

    /// The position of an unlock, by id.
    #[must_use]
    pub fn unlock_named(&self, id: &str) -> Option<usize> {
        self.index.unlocks.position(id, self.unlocks.iter().map(|unlock| &unlock.name))
    }

    /// The position of a difficulty, by id.
    #[must_use]
    pub fn difficulty_named(&self, id: &str) -> Option<usize> {
        self.difficulties.iter().position(|difficulty| difficulty.as_str() == id)
    }

    /// The position of a checkpoint within its level, by id.
    #[must_use]
    pub fn checkpoint_named(&self, level: usize, id: &str) -> Option<usize> {
        self.levels.get(level)?.checkpoints.iter().position(|checkpoint| checkpoint.as_str() == id)
    }
}
