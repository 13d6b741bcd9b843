//! The plain data between progress and a save: every value, every fact, and the run that can be resumed. Nothing here
//! decides anything; `progress` changes it, and `save` turns it into bytes and back.

/// The bytes of an area.
mod area;

/// Unknown values that are preserved.
mod carried;

/// The schema that a game opens its saves with.
mod schema;

/// The same from text.
#[cfg(feature = "parse")]
mod parsed;

/// Who wrote what.
pub(crate) mod history;

/// Titles of slots and pins.
mod title;

use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

use keblin_model::{Model, Time, Value};
use thiserror::Error;

pub(crate) use area::{AreaBytes, Filed};
use history::History;

pub(crate) use carried::{Carried, Original, VisitBefore};
#[cfg(feature = "parse")]
pub use parsed::Parsed;
pub use schema::{PastVersion, Schema};
pub(crate) use title::title;
pub use title::{MAX_TITLE_CHARS, TitleFault};

/// One complete moment of a game's progress, made by [`Progress::snapshot`](crate::Progress::snapshot). Save it, hold
/// it to load it later, or pass it to another thread.
///
/// Two snapshots are equal if they have the same values, whatever their pictures and whenever they were saved; the
/// caller must know that they have the same schema.
#[derive(Clone)]
pub struct Snapshot {
    pub(crate) schema: Arc<Schema>,
    pub(crate) state: State,
    pub(crate) carried: Arc<Carried>,
    pub(crate) picture: Option<Arc<Picture>>,
    /// The title of the slot or pin, as people write it.
    pub(crate) title: Option<Arc<str>>,
    pub(crate) areas: Arc<Areas>,
    /// When it was saved; `None` if it is from progress in memory.
    pub(crate) saved: Option<SavedAs>,
    /// Who wrote what; `None` if it is from progress in memory, or from a save that does not say.
    pub(crate) history: Option<Arc<History>>,
    /// How many runs were begun since the game was opened. Not saved: two saves with
    /// the same number are of the same run.
    pub(crate) runs_begun: u64,
}

/// Short, because it would fill pages: the game and the version.
impl fmt::Debug for Snapshot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Snapshot({}, version {})", self.schema.game, self.schema.version)
    }
}

/// When a snapshot was saved, as an order of all saves: by the clock first, because two machines have nothing else in
/// common. The rest makes the order total.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct SavedAs {
    pub(crate) at_unix_ms: u64,
    pub(crate) number: u64,
    pub(crate) digest: [u8; 32],
}

/// The start of the name of an area of the world; its id follows.
pub(crate) const AREA: &str = "area.";

/// The start of the section name of an area as it was when the level was entered, if it has changed since.
pub(crate) const AT_ENTRY: &str = "entry.";

/// The start of the section name of an area as it was at the last checkpoint, if it has changed since.
pub(crate) const AT_CHECKPOINT: &str = "checkpoint.";

/// Returns how the name of a section starts, and the id of its area; `None` if it is not an area, nor a copy of one.
pub(crate) fn area_of(section: &str) -> Option<(&'static str, &str)> {
    [AREA, AT_ENTRY, AT_CHECKPOINT].iter().find_map(|start| Some((*start, section.strip_prefix(*start)?)))
}

/// The areas of the world by their names, each with its bytes.
pub(crate) type Areas = BTreeMap<Arc<str>, AreaBytes>;

/// A picture of the game, for lists of slots.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Picture {
    /// Its media type, such as `image/png`.
    pub media_type: String,
    /// The bytes, never interpreted.
    pub bytes: Vec<u8>,
}

/// The largest picture, in bytes.
pub const MAX_PICTURE_BYTES: usize = 4 << 20;

/// A picture is too large to be kept in every save.
#[derive(Clone, Copy, PartialEq, Eq, Error)]
#[error("expected a picture of at most {MAX_PICTURE_BYTES} bytes, but found {bytes}; make it smaller")]
#[non_exhaustive]
pub struct PictureTooLarge {
    /// Its length in bytes.
    pub bytes: usize,
}

keblin_model::debug_as_display!(PictureTooLarge);

impl Picture {
    /// Makes a picture of some media type, such as `image/png`.
    ///
    /// # Errors
    /// [`PictureTooLarge`] for more than [`MAX_PICTURE_BYTES`].
    pub fn new(media_type: impl Into<String>, bytes: Vec<u8>) -> Result<Picture, PictureTooLarge> {
        match bytes.len() {
            len if len > MAX_PICTURE_BYTES => Err(PictureTooLarge { bytes: len }),
            _ => Ok(Picture { media_type: media_type.into(), bytes }),
        }
    }
}

impl Snapshot {
    /// Returns a snapshot of a state alone.
    pub(crate) fn of_state(schema: &Arc<Schema>, state: State) -> Snapshot {
        let (schema, carried, areas) = (Arc::clone(schema), Arc::default(), Arc::default());
        let (picture, title, saved, history, runs_begun) = (None, None, None, None, 0);
        Snapshot { schema, state, carried, areas, picture, title, saved, history, runs_begun }
    }

    /// Returns the snapshot with a picture, which is saved with it and shown in lists of slots.
    #[must_use]
    pub fn with_picture(mut self, picture: Picture) -> Snapshot {
        self.picture = Some(Arc::new(picture));
        self
    }

    /// Returns the picture it was saved with.
    #[must_use]
    pub fn picture(&self) -> Option<&Picture> {
        self.picture.as_deref()
    }

    /// Returns the areas of the world by their names, each with its bytes. An area that can no longer be read from the
    /// file that was opened is left out.
    pub fn areas(&self) -> impl Iterator<Item = (&str, &[u8])> {
        self.areas
            .iter()
            .filter_map(|(section, bytes)| Some((section.strip_prefix(AREA)?, bytes.get().ok()?)))
    }

    /// Returns the schema it was made with.
    #[must_use]
    pub fn schema(&self) -> &Arc<Schema> {
        &self.schema
    }

    /// Returns the values of device scope.
    pub(crate) fn device_values(&self) -> &[Value] {
        self.state.cells.get(self.schema.saved_cells..).unwrap_or_default()
    }

    /// Returns the snapshot with other values of device scope.
    #[must_use]
    pub(crate) fn with_device_values(mut self, values: &[Value]) -> Snapshot {
        for (cell, value) in self.state.cells.iter_mut().skip(self.schema.saved_cells).zip(values) {
            cell.clone_from(value);
        }
        self
    }

    /// Returns whether the stored values of device scope equal these.
    pub(crate) fn device_is(&self, values: &[Value]) -> bool {
        let first = self.schema.saved_cells;
        let held = self.state.cells.iter().enumerate().skip(first).zip(values);
        held.into_iter().all(|((cell, held), value)| {
            held == value || self.schema.cell_owner(cell).is_none_or(|(field, _)| !field.durable)
        })
    }
}

/// The values, and what the schema does not know. A value that the schema knows only in part counts by that part.
impl PartialEq for Snapshot {
    fn eq(&self, other: &Snapshot) -> bool {
        self.state == other.state && self.carried.is_like(&other.carried) && self.areas == other.areas
    }
}

impl Eq for Snapshot {}

/// The values. Positions are those of the schema's fields, levels, checkpoints and difficulties.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct State {
    /// By cell of the layout.
    pub(crate) cells: Vec<Value>,
    /// By [`Model::fact_index`](keblin_model::Model::fact_index).
    pub(crate) facts: Vec<LevelFacts>,
    pub(crate) furthest: Option<usize>,
    pub(crate) played: Time,
    /// By unlock: whether it is unlocked and latches.
    pub(crate) latched: Vec<bool>,
    /// By the index of facts: whether the level was open and latches.
    pub(crate) opened: Vec<bool>,
    /// By moment: whether it was reported in the visit, run or profile of its `again`.
    pub(crate) told: Vec<bool>,
    /// The difficulty last chosen.
    pub(crate) difficulty: Option<usize>,
    pub(crate) run: Option<Run>,
    /// How many objects were given an id in play. It only grows, so that no id is given twice.
    pub(crate) made: u64,
    /// The time in play when the world was last copied, on entering the level.
    pub(crate) entry_at: Time,
    /// The same at a checkpoint.
    pub(crate) checkpoint_at: Time,
}

/// The facts of a level, which are kept without a declaration.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct LevelFacts {
    /// Whether it was ever finished.
    pub finished: bool,
    /// The best rating; 0 before any.
    pub stars: u8,
    /// If stars are collected separately: which ones, the first declared in the lowest bit. A save names them by their
    /// ids, if they have some.
    pub collected: u64,
    /// How often it was entered or restarted.
    pub attempts: u64,
    /// How many deaths it cost.
    pub deaths: u64,
}

/// A run that can be resumed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Run {
    pub(crate) difficulty: Option<usize>,
    pub(crate) visit: Option<Visit>,
    /// With save points: the earlier visit with the last checkpoint of the run, as it was there; `None` if `visit`
    /// has reached a later one.
    pub(crate) save_point: Option<Visit>,
}

impl Run {
    /// Returns what holds copies of values: the visit and the save point.
    pub(crate) fn visits_mut(&mut self) -> impl Iterator<Item = &mut Visit> {
        self.visit.iter_mut().chain(&mut self.save_point)
    }
}

impl Visit {
    /// Returns the copies of values that it has.
    pub(crate) fn copies_mut(&mut self) -> impl Iterator<Item = &mut Arc<[Value]>> {
        std::iter::once(&mut self.entry).chain(&mut self.at_checkpoint)
    }
}

/// One stay in a level.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Visit {
    /// `None` in a game without levels.
    pub(crate) level: Option<usize>,
    pub(crate) stay: Stay,
    pub(crate) checkpoint: Option<usize>,
    /// The copied cells on arrival, after the resets of entering; empty after a finish.
    pub(crate) entry: Arc<[Value]>,
    /// The copied cells at the last checkpoint.
    pub(crate) at_checkpoint: Option<Arc<[Value]>>,
}

keblin_model::words! {
    /// The state of a visit.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub(crate) enum Stay {
        Playing = "playing",
        Down = "down",
        Left = "left",
        Finished = "finished",
    }
}

impl State {
    /// Returns the state of a first run.
    pub(crate) fn first(schema: &Model) -> State {
        State { cells: State::first_cells(schema), ..State::without_cells(schema) }
    }

    /// Returns the state without values.
    pub(crate) fn without_cells(schema: &Model) -> State {
        State {
            cells: Vec::new(),
            facts: vec![LevelFacts::default(); schema.fact_count()],
            furthest: None,
            played: Time::ZERO,
            latched: vec![false; schema.unlocks.len()],
            opened: vec![false; schema.fact_count()],
            told: vec![false; schema.moments.len()],
            difficulty: (!schema.difficulties.is_empty()).then_some(0),
            run: None,
            made: 0,
            entry_at: Time::ZERO,
            checkpoint_at: Time::ZERO,
        }
    }

    /// Returns the first values of all cells.
    pub(crate) fn first_cells(schema: &Model) -> Vec<Value> {
        let mut cells = vec![Value::Unset; schema.cell_count];
        for field in &schema.fields {
            for cell in cells.get_mut(field.cells.clone()).into_iter().flatten() {
                *cell = field.default.clone();
            }
        }
        cells
    }

    /// Resets values that are not durable to their defaults, also in the copies.
    pub(crate) fn forget_undurable(&mut self, schema: &Model) {
        let forget = |cells: &mut [Value]| {
            for field in schema.fields.iter().filter(|field| !field.durable) {
                let cells = cells.get_mut(field.cells.clone()).into_iter().flatten();
                cells.for_each(|cell| *cell = field.default.clone());
            }
        };
        if schema.fields.iter().all(|field| field.durable) {
            return;
        }
        forget(&mut self.cells);
        let copies = self.run.iter_mut().flat_map(Run::visits_mut).flat_map(Visit::copies_mut);
        copies.for_each(|copy| forget(Arc::make_mut(copy)));
    }

    /// Returns facts as a save has them: stars with ids are saved by their ids, not among the facts.
    pub(crate) fn facts_to_save(&self, schema: &Model, index: usize) -> Option<LevelFacts> {
        let facts = *self.facts.get(index)?;
        let by_id = facts.collected != 0
            && schema.fact_place(index).level.is_some_and(|level| schema.collects_by_id(level));
        Some(if by_id { LevelFacts { collected: 0, ..facts } } else { facts })
    }

    /// Returns whether a star is collected, by the positions of the facts and the star.
    pub(crate) fn has_collected(&self, facts: usize, star: usize) -> bool {
        self.facts.get(facts).is_some_and(|facts| facts.collected >> star & 1 == 1)
    }

    /// Returns the cells that a visit copies: level and run scope.
    pub(crate) fn copy(&self, schema: &Model) -> Arc<[Value]> {
        self.cells.get(..schema.copied_cells).unwrap_or_default().into()
    }
}
