//! Looking at progress: every value with its place, lines for a debug display, and which levels use the values of the
//! run.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use keblin_model::model::{At, FieldDef, Scope};
use keblin_model::{AnyGame, Level, Name, OfGame, Value};

use super::journal::{Entry, Target};
use super::{Engine, Holder, Notice, Phase, Play};
use crate::snapshot::{Schema, Snapshot, TitleFault, title};

/// A value with its field and its place on the field's axes.
#[derive(Clone, Copy, Debug)]
#[non_exhaustive]
pub struct Held<'p> {
    /// The field.
    pub field: &'p FieldDef,
    /// Its place on the field's axes.
    pub at: At,
    /// Its position in a table of best values, from 1.
    pub place: usize,
    /// The value.
    pub value: &'p Value,
}

/// A line of a debug display: one value and its copies.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct OverlayLine {
    /// The value's name with its place, as people read it.
    pub name: String,
    /// The live value.
    pub live: Value,
    /// Whether it is the default.
    pub is_default: bool,
    /// In a level: the value that a death restores.
    pub checkpoint: Option<Value>,
    /// The value on arrival in the level.
    pub entry: Option<Value>,
    /// Whether it differs from the last save.
    pub unsaved: bool,
}

/// As a debug display shows it: `oil 20 (checkpoint 30, entry 60) unsaved`.
impl std::fmt::Display for OverlayLine {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} {}", self.name, self.live)?;
        if self.is_default {
            write!(f, " default")?;
        }
        match (&self.checkpoint, &self.entry) {
            (Some(checkpoint), Some(entry)) => write!(f, " (checkpoint {checkpoint}, entry {entry})")?,
            (None, Some(entry)) => write!(f, " (entry {entry})")?,
            _ => {}
        }
        if self.unsaved { write!(f, " unsaved") } else { Ok(()) }
    }
}

/// Coverage of one level: which run-scope fields it never read or never changed.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Covered<G = AnyGame> {
    /// The level.
    pub level: Level<G>,
    /// Fields of run scope that were never read in it.
    pub never_read: Vec<Name>,
    /// Fields of run scope that were never changed in it.
    pub never_changed: Vec<Name>,
}

/// What was read and changed, by level and field; kept only after a request.
#[derive(Debug)]
pub(super) struct Coverage {
    /// By field: read since the level was entered.
    read: Vec<AtomicBool>,
    /// By level, if it was played; then by field: read, changed.
    levels: Vec<Option<Vec<(bool, bool)>>>,
}

impl Clone for Coverage {
    fn clone(&self) -> Coverage {
        let read = self.read.iter().map(|read| AtomicBool::new(read.load(Ordering::Relaxed)));
        Coverage { read: read.collect(), levels: self.levels.clone() }
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Sets the title of the slot, as people write it, for lists of slots; an empty text takes it away. It is saved
    /// with the next save.
    ///
    /// # Errors
    /// [`TitleFault`](crate::TitleFault) for a title that is too long, or more than one line.
    pub fn set_title(&mut self, title: &str) -> Result<(), TitleFault> {
        self.engine_mut().set_title(title)
    }

    /// Returns the title of the slot.
    #[must_use]
    pub fn title(&self) -> Option<&str> {
        self.engine().title()
    }

    /// Returns a snapshot of this moment, to be saved. It leaves out a run that is over: there is nothing to
    /// continue, and its values are those that the next run starts with.
    #[must_use]
    pub fn snapshot(&self) -> Snapshot {
        self.engine().snapshot()
    }

    /// Returns the schema.
    #[must_use]
    pub fn schema(&self) -> &Arc<Schema> {
        self.engine().schema()
    }

    /// Returns the phase: where the player is.
    #[must_use]
    pub fn phase(&self) -> Phase {
        self.engine().phase()
    }

    /// Returns a change counter. While it is unchanged, anything drawn from this progress is still up to date. Passing time
    /// does not count: a clock is read in every frame that shows it.
    #[must_use]
    pub fn revision(&self) -> u64 {
        self.engine().revision()
    }

    /// Takes the notices that were not taken yet, oldest first. At most [`MAX_NOTICES`](super::MAX_NOTICES) wait:
    /// beyond that the oldest are dropped, and [`Notice::Dropped`] reports it. The list is the caller's own, so that the
    /// loop over it can write: a coin for a record, or the next level. Notices of such a write come with the next call.
    /// Without notices nothing is allocated.
    pub fn drain_notices(&mut self) -> std::vec::IntoIter<Notice<G>> {
        self.engine_mut().drain_notices().map(OfGame::of_game).collect::<Vec<_>>().into_iter()
    }

    /// Returns the last changes, oldest first, at most [`JOURNAL_ENTRIES`](super::journal::JOURNAL_ENTRIES).
    pub fn journal(&self) -> impl DoubleEndedIterator<Item = &Entry> {
        self.engine().journal()
    }

    /// Returns every value, by field and place, in the order of the layout.
    pub fn values(&self) -> impl Iterator<Item = Held<'_>> {
        self.engine().values()
    }

    /// Returns the values as lines for a debug display. Empty in release builds, unless [`Play::show_overlay`] was
    /// called.
    #[must_use]
    pub fn overlay(&self) -> Vec<OverlayLine> {
        self.engine().overlay()
    }

    /// Makes [`Play::overlay`] return lines in release builds too. Changes after this call count as unsaved.
    pub fn show_overlay(&mut self) {
        self.engine_mut().show_overlay();
    }

    /// Starts recording what each level reads and changes, for [`Play::coverage`].
    pub fn watch_coverage(&mut self) {
        self.engine_mut().watch_coverage();
    }

    /// Returns the levels played since [`Play::watch_coverage`] that never read, or never changed, a value of the
    /// run. Such a level is rarely intended.
    #[must_use]
    pub fn coverage(&self) -> Vec<Covered<G>> {
        self.engine().coverage().of_game()
    }
}

impl Engine {
    pub(crate) fn set_title(&mut self, text: &str) -> Result<(), TitleFault> {
        self.title = title(text)?;
        self.changed();
        self.changed_in(Scope::Profile);
        Ok(())
    }

    pub(crate) fn title(&self) -> Option<&str> {
        self.title.as_deref()
    }

    pub(crate) fn values(&self) -> impl Iterator<Item = Held<'_>> {
        self.state.cells.iter().enumerate().filter_map(|(cell, value)| {
            let (field, at) = self.schema.cell_owner(cell)?;
            Some(Held { field, at, place: self.schema.place_in_table(cell), value })
        })
    }

    pub(crate) fn overlay(&self) -> Vec<OverlayLine> {
        if !self.has_overlay() {
            return Vec::new();
        }
        let visit = self.visit().filter(|visit| !visit.entry.is_empty());
        let lines = self.state.cells.iter().enumerate().filter_map(|(cell, live)| {
            let (field, _) = self.schema.cell_owner(cell)?;
            let entry = visit.and_then(|visit| visit.entry.get(cell)).cloned();
            let checkpoint = self.at_checkpoint().and_then(|copy| copy.get(cell)).cloned();
            let written = self.written.as_ref().and_then(|cells| cells.get(cell));
            Some(OverlayLine {
                name: Target::Cell(cell).text(&self.schema),
                live: live.clone(),
                is_default: *live == field.default,
                checkpoint,
                entry,
                unsaved: field.durable && written.unwrap_or(&field.default) != live,
            })
        });
        lines.collect()
    }

    pub(crate) fn show_overlay(&mut self) {
        if !self.has_overlay() {
            self.overlay = true;
            self.written_as_they_are();
        }
    }

    fn has_overlay(&self) -> bool {
        cfg!(debug_assertions) || self.overlay
    }

    pub(crate) fn note_written(&mut self, snapshot: Snapshot) {
        self.have_written(snapshot.state.cells);
    }

    /// As [`Progress::note_written`], from the cells.
    pub(crate) fn have_written(&mut self, cells: Vec<Value>) {
        if self.has_overlay() {
            self.written = Some(cells);
        }
    }

    /// Marks the current values as saved.
    pub(super) fn written_as_they_are(&mut self) {
        if self.has_overlay() {
            self.written = Some(self.state.cells.clone());
        }
    }

    pub(crate) fn watch_coverage(&mut self) {
        let read = self.schema.fields.iter().map(|_| AtomicBool::new(false)).collect();
        self.coverage = Some(Coverage { read, levels: vec![None; self.schema.levels.len()] });
        self.covers();
    }

    pub(crate) fn coverage(&self) -> Vec<Covered> {
        let Some(coverage) = &self.coverage else { return Vec::new() };
        let here = self.here().level;
        let levels = coverage.levels.iter().enumerate().filter_map(|(index, fields)| {
            let fields = fields.as_ref()?;
            let read_now = |field: usize| {
                here == Some(index)
                    && coverage.read.get(field).is_some_and(|read| read.load(Ordering::Relaxed))
            };
            let carried =
                self.schema.fields.iter().enumerate().filter(|(_, field)| field.scope == Scope::Run);
            let (mut never_read, mut never_changed) = (Vec::new(), Vec::new());
            for (field, def) in carried {
                let (read, written) = fields.get(field).copied().unwrap_or_default();
                if !read && !read_now(field) {
                    never_read.push(def.name.clone());
                }
                if !written {
                    never_changed.push(def.name.clone());
                }
            }
            Some(Covered { level: self.schema.level_at(index)?, never_read, never_changed })
        });
        levels.collect()
    }

    /// Notes that a cell was read.
    #[inline]
    pub(crate) fn note_read(&self, cell: usize) {
        if let Some(coverage) = &self.coverage {
            let read = self.schema.field_of_cell(cell).and_then(|field| coverage.read.get(field));
            read.into_iter().for_each(|read| read.store(true, Ordering::Relaxed));
        }
    }

    /// Notes that the game wrote to a cell.
    #[inline]
    pub(super) fn note_changed(&mut self, cell: usize) {
        if self.coverage.is_none() {
            return;
        }
        let (Some(level), Some(field)) = (self.here().level, self.schema.field_of_cell(cell)) else { return };
        let level = self.coverage.as_mut().and_then(|coverage| coverage.levels.get_mut(level)?.as_mut());
        level.and_then(|fields| fields.get_mut(field)).into_iter().for_each(|(_, written)| *written = true);
    }

    /// Assigns what was read so far to the level that is left.
    pub(super) fn covered(&mut self) {
        let level = self.here().level;
        let Some(coverage) = &mut self.coverage else { return };
        let fields = level.and_then(|level| coverage.levels.get_mut(level)?.as_mut());
        for (read, field) in coverage.read.iter_mut().zip(fields.into_iter().flatten()) {
            field.0 |= *read.get_mut();
        }
        coverage.read.iter_mut().for_each(|read| *read.get_mut() = false);
    }

    /// Starts recording for the level that is played now.
    pub(super) fn covers(&mut self) {
        let (level, fields) = (self.here().level, self.schema.fields.len());
        let Some(coverage) = &mut self.coverage else { return };
        if let Some(slot) = level.and_then(|level| coverage.levels.get_mut(level)) {
            slot.get_or_insert_with(|| vec![(false, false); fields]);
        }
    }
}
