//! Reads the single values of a section to a state: the reverse of what `encode` writes for each leaf of the grammar.

use std::sync::Arc;

use keblin_model::kind::Kind;
use keblin_model::model::FieldDef;
use keblin_model::{Time, Value};
use minicbor::Decoder;

use super::cursor::Cursor;
use super::error::ReadError;
use super::layout::SaveLimits;
use super::missing::Missing;
use super::reading::Reading;
use super::values::{self, Beyond};
use crate::grammar::listed::{FactOf, Leaf};
use crate::snapshot::Stay;

impl Reading<'_> {
    /// Reads the value of the leaf that comes next.
    pub(super) fn leaf(&mut self, cursor: &mut Cursor<'_>, leaf: Leaf) -> Result<(), ReadError> {
        match leaf {
            Leaf::Fact(fact, index) => return self.fact(cursor, fact, index),
            Leaf::Cell(cell) => return self.cell(cursor, cell),
            Leaf::Table { first, places } => return self.table(cursor, first, places),
            Leaf::Star { facts, star } => {
                let is_collected = cursor.bool("a star as true or false")?;
                if let Some(facts) = self.state.facts.get_mut(facts).filter(|_| is_collected) {
                    facts.collected |= 1 << star;
                }
            }
            Leaf::Latched(index) => {
                let name = self.model.unlocks.get(index).map(|unlock| &unlock.name);
                put(self.state.latched.get_mut(index), yes_or_no(cursor, name)?);
            }
            Leaf::Opened(index) => {
                put(self.state.opened.get_mut(index), cursor.bool("opened as true or false")?);
            }
            Leaf::Told(index) => {
                let name = self.model.moments.get(index).map(|moment| &moment.name);
                put(self.state.told.get_mut(index), yes_or_no(cursor, name)?);
            }
            Leaf::Furthest => {
                let id = id(cursor, "furthest as text")?;
                self.state.furthest = id.and_then(|id| self.model.level_named(id));
                self.carried.furthest = self.kept("profile.furthest", id, self.state.furthest);
            }
            Leaf::Difficulty => {
                let (id, known) = self.difficulty(cursor)?;
                self.carried.difficulty = self.kept("profile.difficulty", id, known);
                self.state.difficulty = known.or(self.state.difficulty);
            }
            Leaf::Played => self.state.played = Time::from_nanos(cursor.int(|| "played as time")?),
            Leaf::Made => self.state.made = cursor.count("made as a count")?,
            Leaf::EntryAt => self.state.entry_at = Time::from_nanos(cursor.int(|| "entry_at as time")?),
            Leaf::CheckpointAt => {
                self.state.checkpoint_at = Time::from_nanos(cursor.int(|| "checkpoint_at as time")?);
            }
            Leaf::RunDifficulty => {
                let (id, known) = self.difficulty(cursor)?;
                self.carried.run_difficulty = self.kept("run.run.difficulty", id, known);
                let difficulty = known.or(self.state.difficulty);
                self.state.run.iter_mut().for_each(|run| run.difficulty = difficulty);
            }
            Leaf::Level => self.level(cursor)?,
            Leaf::Checkpoint => self.checkpoint(cursor)?,
            Leaf::Stay => {
                let start = cursor.clone();
                let word = cursor.text("stay as text")?;
                let stay = Stay::ALL.iter().copied().find(|stay| stay.as_str() == word);
                let expected = "playing, down, left or finished";
                let stay = stay.ok_or_else(|| start.unexpected(start.offset(), expected))?;
                put(self.visit().map(|visit| &mut visit.stay), stay);
            }
        }
        Ok(())
    }

    fn fact(&mut self, cursor: &mut Cursor<'_>, fact: FactOf, index: usize) -> Result<(), ReadError> {
        let Some(facts) = self.state.facts.get_mut(index) else { return Ok(()) };
        match fact {
            FactOf::Finished => facts.finished = cursor.bool("finished as true or false")?,
            FactOf::Stars => {
                let start = cursor.clone();
                let stars = cursor.count("stars as a count")?.try_into();
                facts.stars = stars.map_err(|_| start.unexpected(start.offset(), "stars up to 255"))?;
            }
            FactOf::Collected => facts.collected = cursor.count("collected as a count")?,
            FactOf::Attempts => facts.attempts = cursor.count("attempts as a count")?,
            FactOf::Deaths => facts.deaths = cursor.count("deaths as a count")?,
        }
        Ok(())
    }

    /// Reads a difficulty, or null: the id, and its position if it is declared. With difficulties one is always
    /// chosen.
    fn difficulty<'b>(
        &mut self,
        cursor: &mut Cursor<'b>,
    ) -> Result<(Option<&'b str>, Option<usize>), ReadError> {
        let id = id(cursor, "difficulty as text")?;
        self.as_written &= id.is_none() == self.model.difficulties.is_empty();
        Ok((id, id.and_then(|id| self.model.difficulty_named(id))))
    }

    fn level(&mut self, cursor: &mut Cursor<'_>) -> Result<(), ReadError> {
        let id = id(cursor, "level as text")?;
        let level = id.and_then(|id| self.model.level_named(id));
        put(self.visit().map(|visit| &mut visit.level), level);
        if let (Some(gone), None) = (id, level) {
            self.miss(match self.in_save_point {
                true => Missing::SavePoint(gone.to_string()),
                false => Missing::Level(gone.to_string()),
            });
        }
        Ok(())
    }

    /// Reads the checkpoint of the level before it.
    fn checkpoint(&mut self, cursor: &mut Cursor<'_>) -> Result<(), ReadError> {
        let id = id(cursor, "checkpoint as text")?;
        let Some(level) = self.visit().and_then(|visit| visit.level) else { return Ok(()) };
        let checkpoint = id.and_then(|id| self.model.checkpoint_named(level, id));
        put(self.visit().map(|visit| &mut visit.checkpoint), checkpoint);
        if let (Some(gone), None) = (id, checkpoint) {
            let level = self.model.levels.get(level).map(|level| level.name.to_string()).unwrap_or_default();
            self.miss(match self.in_save_point {
                true => Missing::SavePoint(format!("{level}.{gone}")),
                false => Missing::Checkpoint { level, checkpoint: gone.to_string() },
            });
        }
        Ok(())
    }

    /// Reads the value of a cell.
    fn cell(&mut self, cursor: &mut Cursor<'_>, cell: usize) -> Result<(), ReadError> {
        let Some(field) = self.model.field_at(cell) else { return Ok(()) };
        let order = self.plan.order(field);
        if let Some(glance) = &mut self.glance {
            return match glance.cell(cursor, self.model, field, order, cell) {
                Some(()) => Ok(()),
                None => Err(cursor.unexpected(cursor.offset(), "a value that is valid")),
            };
        }
        if cursor.null() {
            match field.may_be_unset() {
                true => put(self.state.cells.get_mut(cell), Value::Unset),
                // In another build the field may be unset.
                false => self.has_more(),
            }
            return Ok(());
        }
        let what = field.name.as_str();
        if field.kind == Kind::Int && field.with.is_none() {
            let number = cursor.int(|| format!("{what} as {}", Kind::Int))?;
            self.put_value(field, cell, Value::Int(number));
            return Ok(());
        }
        let beyond = Beyond::default();
        let with = values::Reading { schema: self.model, order, what, beyond: Some(&beyond) };
        let value = values::read_of_field(cursor, field, with)?;
        if beyond.is_any() {
            self.has_more();
        }
        let ids: Vec<String> = beyond.ids.take();
        // As with a level that is not declared: the rest of the save is intact, and the field has its default.
        if ids.is_empty() || !matches!(field.kind, Kind::Id(_)) {
            self.put_value(field, cell, value);
        }
        for id in ids {
            let missing = Missing::Kept { place: what.to_string(), id };
            // The copies of a visit name the same ids again.
            if !self.missing.contains(&missing) {
                self.missing.push(missing);
            }
        }
        Ok(())
    }

    /// Puts a value that was read. Another build may have kept a number that is beyond the bounds of this one.
    fn put_value(&mut self, field: &FieldDef, cell: usize, value: Value) {
        if self.is_of_another && !field.keep.is_record() && field.clamped_to_fixed(&value).is_some() {
            self.has_more();
        }
        put(self.state.cells.get_mut(cell), value);
    }

    /// Reads a table of best values. A longer table keeps its best.
    fn table(&mut self, cursor: &mut Cursor<'_>, first: usize, places: usize) -> Result<(), ReadError> {
        let name = self.model.field_at(first).map_or("", |field| field.name.as_str());
        let taken = cursor.next(
            || format!("{name} as a table of best values"),
            |d| d.array()?.ok_or_else(values::unknown_length),
        )?;
        let fits = taken.min(places as u64);
        (first..).zip(0..fits).try_for_each(|(cell, _)| self.cell(cursor, cell))?;
        for cell in (first..first + places).skip(usize::try_from(fits).unwrap_or(places)) {
            put(self.state.cells.get_mut(cell), Value::Unset);
        }
        (fits..taken).try_for_each(|_| {
            self.has_more();
            cursor.skip("a value", &SaveLimits::default())
        })
    }

    /// Notes an id that is not declared here, to be preserved and reported.
    fn kept(&mut self, place: &'static str, id: Option<&str>, known: Option<usize>) -> Option<Arc<str>> {
        let id = id.filter(|_| known.is_none())?;
        self.miss(Missing::Kept { place: place.to_string(), id: id.to_string() });
        Some(id.into())
    }

    fn miss(&mut self, missing: Missing) {
        self.has_more();
        self.missing.push(missing);
    }
}

fn put<T>(place: Option<&mut T>, value: T) {
    if let Some(place) = place {
        *place = value;
    }
}

/// Reads an id, or `None` for null.
fn id<'b>(cursor: &mut Cursor<'b>, expected: &str) -> Result<Option<&'b str>, ReadError> {
    if cursor.null() { Ok(None) } else { cursor.text(expected).map(Some) }
}

fn yes_or_no(cursor: &mut Cursor<'_>, name: Option<&keblin_model::Name>) -> Result<bool, ReadError> {
    let name = name.map_or("", keblin_model::Name::as_str);
    cursor.next(|| format!("{name} as true or false"), Decoder::bool)
}
