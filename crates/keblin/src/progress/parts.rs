//! What a snapshot has, part by part, with a name for each as people read it: for comparing two of them.

use std::fmt;
use std::sync::Arc;

use keblin_model::kind::Ids;
use keblin_model::model::{Again, LevelDef};
use keblin_model::order::each_once;
use keblin_model::program::Fact;
use keblin_model::{Keep, Name, Value};

use super::journal::Target;
use super::place::FACT_AXES;
use super::put::count;
use crate::snapshot::history::Piece;
use crate::snapshot::{AREA, AT_CHECKPOINT, AT_ENTRY, Schema, Snapshot, State, Visit};

/// A value that is not the same in two snapshots.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Differing {
    /// What it is, as people read it: `oil`, `best_crossing at reedgate, neap`, `the run`.
    pub what: String,
    /// Its value in the first one. A table of best values is a list.
    pub one: Value,
    /// Its value in the other one.
    pub other: Value,
}

/// `oil: 30 -> 20`
impl fmt::Display for Differing {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {} -> {}", self.what, self.one, self.other)
    }
}

impl Snapshot {
    /// Returns every value that differs in another snapshot of the same game: fields, facts of levels, unlocks that
    /// latch, moments that were reported, the run with its copies, areas of the world, and unknown values.
    ///
    /// Both must have the same schema; values that only one of them has are left out.
    #[must_use]
    pub fn differences(&self, other: &Snapshot) -> Vec<Differing> {
        let differing = |part: Part| Differing {
            what: part.text(&self.schema),
            one: part.value(self),
            other: part.value(other),
        };
        Part::that_differ(self, other).into_iter().map(differing).collect()
    }
}

/// A part of a snapshot.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Part {
    Run,
    RunLevel,
    RunCheckpoint,
    RunStay,
    SavePoint,
    Difficulty,
    /// The title of the slot.
    Title,
    /// A value, or a table of best values, by its first cell.
    Table(usize),
    /// A value that a restart restores, by its cell.
    AtEntry(usize),
    /// A value that a death restores, by its cell.
    AtCheckpoint(usize),
    Fact(usize, Fact),
    /// Which stars are collected, if they are collected separately.
    Collected(usize),
    /// Whether a level that latches was open.
    Opened(usize),
    Furthest,
    Played,
    Latched(usize),
    Told(usize),
    Area(Arc<str>),
    /// An unknown value, by its place in the save.
    Unknown(String),
}

/// The parts that every snapshot has once.
const ONCE: [Part; 9] = [
    Part::Run,
    Part::RunLevel,
    Part::RunCheckpoint,
    Part::RunStay,
    Part::SavePoint,
    Part::Difficulty,
    Part::Title,
    Part::Furthest,
    Part::Played,
];

impl Part {
    /// Returns the parts that are not the same in two snapshots.
    pub(super) fn that_differ(one: &Snapshot, other: &Snapshot) -> Vec<Part> {
        let (a, b) = (&one.state, &other.state);
        let mut parts = Vec::from(ONCE);
        parts.retain(|part| part.value(one) != part.value(other));
        for field in &one.schema.fields {
            let tables = field.cells.clone().step_by(field.places);
            let differs = |first: &usize| {
                let table = *first..first + field.places;
                a.cells.get(table.clone()) != b.cells.get(table)
            };
            parts.extend(tables.filter(differs).map(Part::Table));
        }
        parts.extend(unlike(entry(a), entry(b)).map(Part::AtEntry));
        parts.extend(unlike(checkpoint(a), checkpoint(b)).map(Part::AtCheckpoint));
        for index in unlike(&a.facts, &b.facts) {
            let facts = Fact::ALL.iter().map(|fact| Part::Fact(index, *fact)).chain([Part::Collected(index)]);
            parts.extend(facts.filter(|part| part.value(one) != part.value(other)));
        }
        parts.extend(unlike(&a.latched, &b.latched).map(Part::Latched));
        parts.extend(unlike(&a.opened, &b.opened).map(Part::Opened));
        parts.extend(unlike(&a.told, &b.told).map(Part::Told));
        let areas = each_once(one.areas.keys().chain(other.areas.keys()).cloned());
        let areas = areas.into_iter().filter(|area| one.areas.get(area) != other.areas.get(area));
        parts.extend(areas.map(Part::Area));
        let unknown = each_once(one.carried.names().chain(other.carried.names()));
        let unknown = unknown.into_iter().map(Part::Unknown);
        parts.extend(unknown.filter(|part| part.value(one) != part.value(other)));
        parts
    }

    /// Returns whether it is part of the run, which is kept as a whole.
    pub(super) fn is_of_run(&self, schema: &Schema) -> bool {
        match self {
            Part::Table(first) => schema.field_at(*first).is_some_and(|field| field.scope.is_of_run()),
            Part::Told(index) => {
                schema.moments.get(*index).is_some_and(|moment| moment.again != Again::Profile)
            }
            Part::Run
            | Part::RunLevel
            | Part::RunCheckpoint
            | Part::RunStay
            | Part::SavePoint
            | Part::Difficulty
            | Part::Area(_) => true,
            part => part.is_copy(),
        }
    }

    /// Returns whether it is a copy that a death or a restart restores.
    pub(super) fn is_copy(&self) -> bool {
        match self {
            Part::AtEntry(_) | Part::AtCheckpoint(_) => true,
            Part::Area(section) => !section.starts_with(AREA),
            _ => false,
        }
    }

    /// Returns whether it is a value outside the run that no rule combines with another.
    pub(super) fn is_plain(&self, schema: &Schema) -> bool {
        match self {
            Part::Table(first) => schema
                .field_at(*first)
                .is_some_and(|field| field.keep == Keep::Latest && !field.scope.is_of_run()),
            Part::Unknown(_) | Part::Title => true,
            _ => false,
        }
    }

    /// Returns whether only one of two can be kept: a plain value, or an area of the world.
    pub(super) fn is_one_of_two(&self, schema: &Schema) -> bool {
        self.is_plain(schema) || matches!(self, Part::Area(section) if section.starts_with(AREA))
    }

    /// Returns its piece of the history, if it is a plain value of its own.
    pub(super) fn piece(&self, schema: &Schema) -> Option<Piece> {
        match self {
            Part::Table(first) => schema.field_at(*first).map(|field| Piece::of_field(field, *first)),
            Part::Title => Some(Piece::Title),
            Part::Area(section) => Some(Piece::Area(section.strip_prefix(AREA)?.into())),
            _ => None,
        }
    }

    /// Returns its name as people read it.
    pub(super) fn text(&self, schema: &Schema) -> String {
        let cell = |cell: usize| Target::Cell(cell).text(schema);
        let at_level =
            |index: usize, what: &str| match schema.place_text(&FACT_AXES, schema.fact_place(index)) {
                place if place.is_empty() => what.to_string(),
                place => format!("{what} at {place}"),
            };
        match self {
            Part::Run => "a run is in progress".to_string(),
            Part::RunLevel => "level of the run".to_string(),
            Part::RunCheckpoint => "checkpoint of the run".to_string(),
            Part::RunStay => "state of the level".to_string(),
            Part::SavePoint => "save point of the run".to_string(),
            Part::Title => "title".to_string(),
            Part::Difficulty => "difficulty".to_string(),
            Part::Table(first) => cell(*first),
            Part::AtEntry(of) => format!("{}, on arrival in the level", cell(*of)),
            Part::AtCheckpoint(of) => format!("{}, at the checkpoint", cell(*of)),
            Part::Fact(index, fact) => at_level(*index, fact.as_str()),
            Part::Collected(index) => at_level(*index, "collected stars"),
            Part::Opened(index) => at_level(*index, "opened"),
            Part::Furthest => "furthest level".to_string(),
            Part::Played => "time played".to_string(),
            Part::Latched(index) => {
                let name = schema.unlocks.get(*index).map_or("?", |unlock| unlock.name.as_str());
                format!("unlock {name}")
            }
            Part::Told(index) => {
                let name = schema.moments.get(*index).map_or("?", |moment| moment.name.as_str());
                format!("moment {name} was reported")
            }
            Part::Area(section) => match section.split_once('.') {
                Some((start, id)) if AT_ENTRY.starts_with(start) => {
                    format!("area {id}, on arrival in the level")
                }
                Some((start, id)) if AT_CHECKPOINT.starts_with(start) => {
                    format!("area {id}, at the checkpoint")
                }
                Some((_, id)) => format!("area {id}"),
                None => format!("area {section}"),
            },
            Part::Unknown(place) => format!("{place}, unknown to this schema"),
        }
    }

    /// Returns its value; unset if the snapshot does not have it.
    pub(super) fn value(&self, of: &Snapshot) -> Value {
        let Snapshot { schema, state, carried, areas, .. } = of;
        let visit = visit(state);
        let yes =
            |flags: &[bool], index: usize| flags.get(index).map_or(Value::Unset, |yes| Value::Bool(*yes));
        let cell = |cells: &[Value], cell: usize| cells.get(cell).cloned().unwrap_or(Value::Unset);
        let facts = |index: &usize| state.facts.get(*index).copied().unwrap_or_default();
        match self {
            Part::Run => Value::Bool(state.run.is_some()),
            Part::RunLevel => id(
                Ids::Levels,
                visit.and_then(|visit| visit.level),
                level(schema, visit).map(|level| &level.name),
            ),
            Part::RunCheckpoint => {
                id(Ids::Checkpoints, visit.and_then(|visit| visit.checkpoint), reached(schema, visit))
            }
            Part::SavePoint => {
                let save_point = save_point(state);
                let names = level(schema, save_point).zip(reached(schema, save_point));
                names.map_or(Value::Unset, |(level, name)| Value::text(&format!("{}.{name}", level.name)))
            }
            Part::RunStay => visit.map_or(Value::Unset, |visit| Value::text(visit.stay.as_str())),
            Part::Title => of.title().map_or(Value::Unset, Value::text),
            Part::Difficulty => match &carried.difficulty {
                Some(unknown) => Value::text(unknown),
                None => id(
                    Ids::Difficulties,
                    state.difficulty,
                    state.difficulty.and_then(|index| schema.difficulties.get(index)),
                ),
            },
            Part::Table(first) => match schema.field_at(*first).map_or(1, |field| field.places) {
                1 => cell(&state.cells, *first),
                places => {
                    let values = state.cells.get(*first..first + places).unwrap_or_default();
                    Value::List(values.iter().filter(|value| **value != Value::Unset).cloned().collect())
                }
            },
            Part::AtEntry(index) => cell(entry(state), *index),
            Part::AtCheckpoint(index) => cell(checkpoint(state), *index),
            Part::Fact(index, Fact::Finished) => Value::Bool(facts(index).finished),
            Part::Fact(index, Fact::Stars) => Value::Int(facts(index).stars.into()),
            Part::Fact(index, Fact::Attempts) => count(facts(index).attempts),
            Part::Fact(index, _) => count(facts(index).deaths),
            Part::Collected(index) => {
                let held = facts(index).collected;
                let level = schema.fact_place(*index).level.and_then(|level| schema.levels.get(level));
                // By its id, or by its place from 1.
                let star = |(at, place): (usize, i64)| match level.and_then(|level| level.star_ids.get(at)) {
                    Some(id) => Value::text(id.as_str()),
                    None => Value::Int(place),
                };
                Value::List((0..64).zip(1..).filter(|(at, _)| held >> at & 1 == 1).map(star).collect())
            }
            Part::Furthest => match &carried.furthest {
                Some(unknown) => Value::text(unknown),
                None => id(
                    Ids::Levels,
                    state.furthest,
                    state.furthest.and_then(|index| Some(&schema.levels.get(index)?.name)),
                ),
            },
            Part::Played => Value::Time(state.played),
            Part::Latched(index) => yes(&state.latched, *index),
            Part::Opened(index) => yes(&state.opened, *index),
            Part::Told(index) => yes(&state.told, *index),
            Part::Area(area) => areas
                .get(area)
                .and_then(|area| area.get().ok())
                .map_or(Value::Unset, |bytes| Value::Bytes(bytes.into())),
            Part::Unknown(place) => {
                carried.bytes_at(place).map_or(Value::Unset, |bytes| Value::Bytes(Arc::from(bytes)))
            }
        }
    }
}

fn level<'s>(schema: &'s Schema, visit: Option<&Visit>) -> Option<&'s LevelDef> {
    schema.levels.get(visit?.level?)
}

fn id(of: Ids, index: Option<usize>, name: Option<&Name>) -> Value {
    let id = index.and_then(|index| u16::try_from(index).ok()).zip(name);
    id.map_or(Value::Unset, |(index, name)| Value::Id { of, index, name: Arc::from(name.as_str()) })
}

/// Returns the positions at which two rows differ.
fn unlike<'r, T: PartialEq>(one: &'r [T], other: &'r [T]) -> impl Iterator<Item = usize> + 'r {
    let pairs = one.iter().zip(other).enumerate();
    pairs.filter(|(_, (one, other))| one != other).map(|(index, _)| index)
}

/// Returns the values on arrival in the level; none outside a level.
fn entry(state: &State) -> &[Value] {
    visit(state).map_or(&[], |visit| &*visit.entry)
}

/// Returns the checkpoint that a visit has reached.
fn reached<'s>(schema: &'s Schema, visit: Option<&Visit>) -> Option<&'s Name> {
    level(schema, visit)?.checkpoints.get(visit?.checkpoint?)
}

/// Returns the values at the last checkpoint, also at a save point; none before one.
fn checkpoint(state: &State) -> &[Value] {
    let visits = [visit(state), save_point(state)].into_iter().flatten();
    visits.filter_map(|visit| visit.at_checkpoint.as_deref()).next().unwrap_or_default()
}

fn save_point(state: &State) -> Option<&Visit> {
    state.run.as_ref()?.save_point.as_ref()
}

fn visit(state: &State) -> Option<&Visit> {
    state.run.as_ref()?.visit.as_ref()
}
