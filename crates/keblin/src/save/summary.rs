//! The summary of a save for lists of slots: read from its state alone, without its values.

use keblin_schema::{Name, Time};
use minicbor::{Decoder, Encoder};

use super::cursor::Cursor;
use super::error::ReadError;
use super::layout::SaveLimits;
use crate::grammar::Failure;
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
}

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
        }
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
        // In the order of the encoded keys.
        out.map(6)?.str("level")?;
        id(out, self.level.as_deref())?;
        out.str("stars")?.u64(self.stars)?;
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
                "picture" => summary.picture = cursor.bool("whether there is a picture")?,
                _ => cursor.skip("a value of the summary", limits)?,
            }
        }
        Ok(summary)
    }
}

fn id(cursor: &mut Cursor<'_>) -> Result<Option<String>, ReadError> {
    if cursor.null() { Ok(None) } else { cursor.text("an id or null").map(|id| Some(id.to_string())) }
}
