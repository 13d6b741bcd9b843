//! The schema: everything a declaration says, checked and resolved to positions, plus the layout that gives every
//! value its cell. Made by [`Schema::parse`]; read by everything else.

use std::collections::HashSet;
use std::fmt;
use std::ops::Range;

use crate::condition::Program;
use crate::finding::{Finding, Findings};
use crate::keep::Keep;
use crate::kind::{Holds, Kind};
use crate::limits::{Items, ShapeDef};
use crate::name::Name;
use crate::rule::Rule;
use crate::source::Source;
use crate::survival::Survival;
use crate::time::Time;
use crate::value::Value;
use crate::watch::Watch;

/// How long a value lives.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Scope {
    /// One visit to a level.
    Level,
    /// One run, from begin to its end.
    Run,
    /// As long as the player's profile.
    Profile,
    /// As long as the device: settings, apart from every profile.
    Device,
}

impl Scope {
    /// Whether it ends with a run: level and run scope.
    #[must_use]
    pub fn is_of_run(self) -> bool {
        matches!(self, Scope::Level | Scope::Run)
    }

    /// Every scope, shortest life first.
    pub const ALL: [Scope; 4] = [Scope::Level, Scope::Run, Scope::Profile, Scope::Device];

    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Scope::Level => "level",
            Scope::Run => "run",
            Scope::Profile => "profile",
            Scope::Device => "device",
        }
    }
}

/// What a field can have one value for each of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Axis {
    /// One value for each level.
    Level,
    /// One value for each difficulty.
    Difficulty,
    /// One value for each item of a list, as a position in [`Schema::lists`].
    List(u16),
}

/// The most axes a field can have.
pub const MAX_AXES: usize = 4;

/// A closed list: its items are an axis for fields to have one value for each of.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct ListDef {
    /// Its id.
    pub name: Name,
    /// Its items, in order.
    pub items: Vec<Name>,
}

/// When a record is fed by the engine.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum RecordAt {
    /// At finishing a level.
    Finish,
    /// At every way a run can end.
    RunEnd,
}

impl RecordAt {
    /// Every moment.
    pub const ALL: [RecordAt; 2] = [RecordAt::Finish, RecordAt::RunEnd];

    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            RecordAt::Finish => "finish",
            RecordAt::RunEnd => "run_end",
        }
    }
}

/// Where a record's values come from.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct RecordFeed {
    /// The field whose value is offered, as a position in [`Schema::fields`].
    pub from: usize,
    /// When it is offered.
    pub at: Vec<RecordAt>,
}

/// A level, a difficulty and items in question, or none: which cell of a field with axes is meant.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub struct At {
    /// A level, as a position in [`Schema::levels`].
    pub level: Option<usize>,
    /// A difficulty, as a position in [`Schema::difficulties`].
    pub difficulty: Option<usize>,
    /// For each axis of the field that is a list, in the field's order: an item, as a position in the list.
    pub items: [Option<u16>; MAX_AXES],
}

impl At {
    /// A level and a difficulty, as far as they are in question.
    #[must_use]
    pub fn level(level: Option<usize>, difficulty: Option<usize>) -> At {
        At { level, difficulty, items: [None; MAX_AXES] }
    }

    /// The same place on a difficulty.
    #[must_use]
    pub fn on(self, difficulty: Option<usize>) -> At {
        At { difficulty, ..self }
    }
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

/// What happens when the last life is gone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum AtZero {
    /// The run ends.
    EndRun,
    /// The lives are filled up and the level begins again.
    RestartLevel,
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

/// Which instant a resumed run comes back to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Resume {
    /// To the last checkpoint, as after a death, without the death.
    Checkpoint,
    /// To the very instant that was saved.
    Exact,
}

/// What finishing the last level in order does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum AfterLast {
    /// Back to the map.
    Map,
    /// The run ends.
    EndRun,
}

/// When a game wants to be saved.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum SaveAt {
    /// A run begins.
    Begin,
    /// A level is entered.
    Enter,
    /// A checkpoint is reached.
    Checkpoint,
    /// A death.
    Death,
    /// A level is tried again.
    Retry,
    /// A level is finished.
    Finish,
    /// A level is left for the map.
    Leave,
    /// A run ends.
    RunEnd,
    /// A value of profile or device scope changes.
    Change,
    /// So much time has been played since the last save.
    Every(Time),
}

impl SaveAt {
    /// The words for all but [`SaveAt::Every`], in the order in which complaints list them.
    pub const WORDS: [(&'static str, SaveAt); 9] = [
        ("begin", SaveAt::Begin),
        ("enter", SaveAt::Enter),
        ("checkpoint", SaveAt::Checkpoint),
        ("death", SaveAt::Death),
        ("retry", SaveAt::Retry),
        ("finish", SaveAt::Finish),
        ("leave", SaveAt::Leave),
        ("run_end", SaveAt::RunEnd),
        ("change", SaveAt::Change),
    ];

    /// When a game that declares nothing is saved.
    pub const BY_ITSELF: [SaveAt; 5] =
        [SaveAt::Begin, SaveAt::Checkpoint, SaveAt::Death, SaveAt::Finish, SaveAt::RunEnd];

    /// The word for it, as what made the game save.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        SaveAt::WORDS.iter().find(|(_, at)| *at == self).map_or("every", |(word, _)| word)
    }
}

/// Which checkpoint counts when several are reached.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum CheckpointOrder {
    /// The furthest in declared order; an earlier one is passed over.
    Furthest,
    /// The one reached last.
    Latest,
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

/// How often a moment is told.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Again {
    /// Each time it turns true. What a begin, a restore, a death or a retry makes true is not news.
    EachTime,
    /// Once a visit; trying the level again is a chance to tell it again.
    Level,
    /// Once a run.
    Run,
    /// Once a profile.
    Profile,
}

impl Again {
    /// Every word, in the order in which complaints list them.
    pub const ALL: [Again; 4] = [Again::EachTime, Again::Level, Again::Run, Again::Profile];

    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Again::EachTime => "each_time",
            Again::Level => "level",
            Again::Run => "run",
            Again::Profile => "profile",
        }
    }
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

/// How a level's rating meets the one it had.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum StarsBy {
    /// The rating is how many stars hold in one attempt; the best attempt counts.
    BestAttempt,
    /// Each star is collected by itself, over all attempts.
    Each,
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
    /// Which locks to ask again after a change.
    pub watch: Watch,
    /// Tells handles of one schema from those of another.
    pub(crate) tag: u32,
}

/// A schema and what was found in it that is not an error.
#[derive(Clone, Debug)]
pub struct Parsed {
    /// The schema.
    pub schema: Schema,
    /// Warnings and hints.
    pub findings: Findings,
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
        Findings::new(self.findings.source().clone(), list)
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
            watch: Watch::default(),
            tag: 0,
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
            Some((schema, unnamed)) if !findings.has_errors() => Ok(Parsed { schema, findings, unnamed }),
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

    /// How many values of each level fact there are: one a level, or one a level and difficulty.
    #[must_use]
    pub fn fact_count(&self) -> usize {
        self.levels.len() * self.fact_difficulties()
    }

    /// The position of a level's facts among [`Schema::fact_count`] ones.
    #[must_use]
    pub fn fact_index(&self, level: usize, difficulty: usize) -> usize {
        level * self.fact_difficulties() + if self.level_facts_per_difficulty { difficulty } else { 0 }
    }

    fn fact_difficulties(&self) -> usize {
        if self.level_facts_per_difficulty { self.difficulties.len().max(1) } else { 1 }
    }

    /// How many places an axis has.
    #[must_use]
    pub fn axis_len(&self, axis: Axis) -> usize {
        match axis {
            Axis::Level => self.levels.len(),
            Axis::Difficulty => self.difficulties.len(),
            Axis::List(list) => self.lists.get(usize::from(list)).map_or(0, |list| list.items.len()),
        }
    }

    /// The id of a place of an axis.
    #[must_use]
    pub fn axis_id(&self, axis: Axis, index: usize) -> Option<&Name> {
        match axis {
            Axis::Level => self.levels.get(index).map(|level| &level.name),
            Axis::Difficulty => self.difficulties.get(index),
            Axis::List(list) => self.lists.get(usize::from(list))?.items.get(index),
        }
    }

    /// The ids of all places of an axis, in order.
    pub fn axis_ids(&self, axis: Axis) -> impl Iterator<Item = &Name> {
        (0..self.axis_len(axis)).filter_map(move |index| self.axis_id(axis, index))
    }

    /// The word for an axis in a declaration.
    #[must_use]
    pub fn axis_name(&self, axis: Axis) -> &str {
        match axis {
            Axis::Level => "level",
            Axis::Difficulty => "difficulty",
            Axis::List(list) => self.lists.get(usize::from(list)).map_or("?", |list| list.name.as_str()),
        }
    }

    /// The cell of a field at a place, `None` if the place lacks one of the field's axes or lies outside.
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

    /// The field a cell belongs to and its place on the field's axes.
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

    /// Which place of a table of best values a cell is, from 1; 1 for every other cell.
    #[must_use]
    pub fn place_in_table(&self, cell: usize) -> usize {
        self.cell_owner(cell).map_or(1, |(field, _)| (cell - field.cells.start) % field.places + 1)
    }

    /// A field with its position, by id.
    #[must_use]
    pub fn field_named(&self, id: &str) -> Option<(usize, &FieldDef)> {
        self.fields.iter().enumerate().find(|(_, field)| field.name.as_str() == id)
    }

    /// The position of a level, by id.
    #[must_use]
    pub fn level_named(&self, id: &str) -> Option<usize> {
        self.levels.iter().position(|level| level.name.as_str() == id)
    }

    /// The position of an unlock, by id.
    #[must_use]
    pub fn unlock_named(&self, id: &str) -> Option<usize> {
        self.unlocks.iter().position(|unlock| unlock.name.as_str() == id)
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

    /// The ids of a place on some axes, in their order, as far as it says them.
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

    /// A place as people write it, `reedgate, neap`; empty where nothing is in question.
    #[must_use]
    pub fn place_text(&self, per: &[Axis], at: At) -> String {
        self.place_ids(per, at).map(Name::as_str).collect::<Vec<_>>().join(", ")
    }
}
