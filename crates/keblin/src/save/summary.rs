//! The summary of a save for lists of slots: read from its state alone, without its values.

use keblin_model::order::sort_by;

use keblin_model::typed::FieldType;
use keblin_model::{Field, Name, Time, Value};
use minicbor::{Decoder, Encoder};

use super::cursor::Cursor;
use super::error::ReadError;
use super::layout::{STATE, SaveLimits};
use super::values::{self, Beyond};
use crate::grammar::plan::NO_SHAPE;
use crate::grammar::{Failure, encoded};
use crate::snapshot::LevelFacts;
use crate::snapshot::{Schema, Snapshot};

/// The summary of a save for lists of slots.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Summary {
    /// The level of the waiting run, if there is one.
    pub level: Option<String>,
    /// The checkpoint of the waiting run.
    pub checkpoint: Option<String>,
    /// The time in play.
    pub played: Time,
    /// How many levels are finished, in percent, rounded down; counted on every difficulty if facts are kept per
    /// difficulty. 0 in a game without levels.
    pub percent: u8,
    /// The stars of all levels together.
    pub stars: u64,
    /// Whether there is a picture.
    pub picture: bool,
    /// The title of the slot or pin, as people write it.
    pub title: Option<String>,
    /// The values of the declared fields, encoded, by their ids.
    fields: Vec<(String, Vec<u8>)>,
}

/// The most fields of a summary that are read; others are skipped.
const MAX_FIELDS: u64 = 64;

impl Summary {
    /// Returns the summary of a snapshot.
    #[must_use]
    pub fn of(snapshot: &Snapshot) -> Summary {
        let Snapshot { schema, state, .. } = snapshot;
        let visit = state.run.as_ref().and_then(|run| run.visit.as_ref());
        let level = visit.and_then(|visit| schema.levels.get(visit.level?));
        let checkpoint = visit.and_then(|visit| level?.checkpoints.get(visit.checkpoint?));
        let counts = |index: usize| {
            let level = schema.fact_place(index).level.and_then(|level| schema.levels.get(level));
            level.is_some_and(|level| level.counted)
        };
        let counted: Vec<&LevelFacts> = state
            .facts
            .iter()
            .enumerate()
            .filter(|(index, _)| counts(*index))
            .map(|(_, facts)| facts)
            .collect();
        let finished = counted.iter().filter(|facts| facts.finished).count();
        let percent = match counted.len() {
            0 => 0,
            all => u8::try_from(finished * 100 / all).unwrap_or(100),
        };
        Summary {
            level: level.map(|level| level.name.to_string()),
            checkpoint: checkpoint.map(Name::to_string),
            played: state.played,
            percent,
            stars: counted.iter().map(|facts| u64::from(facts.stars)).sum(),
            picture: snapshot.picture.is_some(),
            title: snapshot.title.as_deref().map(str::to_string),
            fields: encoded_fields(snapshot),
        }
    }

    /// Returns the value of a field that the declaration lists in `[summary]`, as it was saved, without opening the
    /// slot; `None` if this save does not have it, or has another type of value.
    ///
    /// ```
    /// use std::sync::Arc;
    /// use keblin::{Field, Progress, Schema, save::Summary};
    /// # let text = "game = 'otter'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n\
    /// #     [summary]\nfields = ['shells']\n";
    /// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
    /// let shells: Field<i64> = schema.field("shells")?;
    /// let mut game = Progress::new(Arc::clone(&schema));
    /// game.set(shells, 7);
    /// // The same that `SaveDir::list` returns with the head of each slot.
    /// let summary = Summary::of(&game.snapshot());
    /// assert_eq!(summary.field(&schema, shells), Some(7));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn field<T: FieldType, G>(&self, schema: &Schema, field: Field<T, G>) -> Option<T::Write> {
        let (def, _) = schema.cell_owner(field.of_any().cell())?;
        T::taken(&self.value(schema, def.name.as_str())?, schema)
    }

    /// Returns the value of a listed field by its id; `None` as for [`Summary::field`].
    #[must_use]
    pub fn value(&self, schema: &Schema, field: &str) -> Option<Value> {
        let (_, def) = schema.field_named(field)?;
        let (_, bytes) = self.fields.iter().find(|(name, _)| name == field)?;
        let mut cursor = Cursor::new(STATE, 0, bytes);
        if def.may_be_unset() && cursor.null() {
            return Some(Value::Unset);
        }
        let beyond = Beyond::default();
        let with = values::Reading { schema, order: &NO_SHAPE, what: field, beyond: Some(&beyond) };
        values::read(&mut cursor, def.holds(), with).ok().filter(|value| schema.fit(def, value).is_ok())
    }

    /// Returns the title of the level, if a schema still has it.
    #[must_use]
    pub fn level_title<'s>(&'s self, schema: &'s Schema) -> Option<&'s str> {
        let id = self.level.as_deref()?;
        Some(
            schema
                .level_named(id)
                .and_then(|index| schema.levels.get(index))
                .map_or(id, |level| &level.title),
        )
    }

    pub(super) fn write(&self, out: &mut Encoder<&mut Vec<u8>>) -> Result<(), Failure> {
        let id = |out: &mut Encoder<&mut Vec<u8>>, id: Option<&str>| match id {
            Some(id) => out.str(id).map(drop),
            None => out.null().map(drop),
        };
        let more = u64::from(self.title.is_some()) + u64::from(!self.fields.is_empty());
        // In the order of the encoded keys.
        out.map(6 + more)?.str("level")?;
        id(out, self.level.as_deref())?;
        out.str("stars")?.u64(self.stars)?;
        if let Some(title) = &self.title {
            out.str("title")?.str(title)?;
        }
        if !self.fields.is_empty() {
            out.str("fields")?.map(self.fields.len() as u64)?;
            for (name, value) in &self.fields {
                out.str(name)?.writer_mut().extend_from_slice(value);
            }
        }
        out.str("played")?.i64(self.played.as_nanos())?;
        out.str("percent")?.u8(self.percent)?;
        out.str("picture")?.bool(self.picture)?;
        out.str("checkpoint")?;
        id(out, self.checkpoint.as_deref())
    }

    /// Reads a summary; unknown keys are skipped.
    pub(super) fn read(cursor: &mut Cursor<'_>, limits: &SaveLimits) -> Result<Summary, ReadError> {
        let mut summary = Summary::default();
        for _ in 0..cursor.map("a summary")? {
            match cursor.text("a key of the summary")? {
                "level" => summary.level = id(cursor)?,
                "checkpoint" => summary.checkpoint = id(cursor)?,
                "stars" => summary.stars = cursor.count("the stars")?,
                "played" => {
                    summary.played = Time::from_nanos(cursor.next(|| "the time played", Decoder::i64)?)
                }
                "percent" => summary.percent = cursor.next(|| "percent", Decoder::u8)?,
                "title" => summary.title = Some(cursor.text("the title")?.to_string()),
                "fields" => summary.fields = fields(cursor, limits)?,
                "picture" => summary.picture = cursor.bool("whether there is a picture")?,
                _ => cursor.skip("a value of the summary", limits)?,
            }
        }
        Ok(summary)
    }
}

/// Returns the declared fields with their values, in the order of the encoded names.
fn encoded_fields(snapshot: &Snapshot) -> Vec<(String, Vec<u8>)> {
    let fields = snapshot.schema.summary.iter().filter_map(|field| snapshot.schema.fields.get(*field));
    let mut fields: Vec<_> = fields
        .filter_map(|def| {
            let value = snapshot.state.cells.get(def.cells.start)?;
            Some((def.name.to_string(), encoded(|out| values::write(out, value))))
        })
        .collect();
    sort_by(&mut fields, |(one, _), (other, _)| one.len().cmp(&other.len()).then_with(|| one.cmp(other)));
    fields
}

/// Reads the values of fields as bytes: only a schema knows their types.
fn fields(cursor: &mut Cursor<'_>, limits: &SaveLimits) -> Result<Vec<(String, Vec<u8>)>, ReadError> {
    let count = cursor.map("the fields of the summary")?;
    let mut fields = Vec::new();
    for index in 0..count {
        let name = cursor.text("the id of a field")?.to_string();
        let start = cursor.offset();
        cursor.skip("the value of a field", limits)?;
        if index < MAX_FIELDS {
            fields.push((name, cursor.since(start).to_vec()));
        }
    }
    Ok(fields)
}

fn id(cursor: &mut Cursor<'_>) -> Result<Option<String>, ReadError> {
    if cursor.null() { Ok(None) } else { cursor.text("an id or null").map(|id| Some(id.to_string())) }
}
