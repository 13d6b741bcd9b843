//! Notices: one-shot messages to the game, each delivered once. A game redraws from them instead of polling.

use std::path::PathBuf;
use std::sync::Arc;

use keblin_model::model::At;
use keblin_model::shown::Shown;
use keblin_model::typed::FieldType;
use keblin_model::{AnyGame, Checkpoint, Difficulty, Level, Moment, Name, Unlock, Value};

use super::place::{FACT_AXES, Place, RunEnd};
use super::typed::RecordOf;
use crate::account::Account;
use crate::fullness::Fullness;
use crate::snapshot::Schema;

keblin_model::words! {
/// How a level came to be played.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum Arrival {
        /// Entered from its start.
        Afresh = "afresh",
        /// Restarted.
        Retried = "retried",
        /// Resumed, from the map or after the program was closed.
        Resumed = "resumed",
    }
}

/// A record that was beaten.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct NewRecord<G = AnyGame> {
    /// The record.
    pub field: Name,
    /// The level, if there is one record per level.
    pub level: Option<Level<G>>,
    /// The difficulty, if there is one record per difficulty.
    pub difficulty: Option<Difficulty<G>>,
    /// Its place on all its axes.
    pub at: At,
    /// Its position in the table of best values, from 1.
    pub place: usize,
    /// The old value; unset if it is the first.
    pub before: Value,
    /// The new value.
    pub now: Value,
    /// The cell of the field's first value.
    pub(super) first_cell: usize,
    /// The cell of the record at its place.
    pub(super) cell: usize,
}

/// A record that was beaten, as the type of its field.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Beaten<T> {
    /// The best value before; `None` if this is the first result at all.
    pub before: Option<T>,
    /// The new value.
    pub now: T,
}

/// A one-shot message to the game. Take them with [`Play::drain_notices`](crate::Play::drain_notices).
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Notice<G = AnyGame> {
    /// There was no save: every value is the default.
    FirstRun,
    /// The data that was on its way has arrived.
    Ready,
    /// Values were loaded from a save: redraw.
    Restored,
    /// An earlier version of the game made the save: what became of each value.
    Migrated(Arc<Account>),
    /// The newest save was damaged, and the backup is used.
    FellBack,
    /// Saving failed. The previous save is untouched, play goes on, and the keeper tries again.
    NotWritten {
        /// Why.
        message: String,
    },
    /// Another copy of the game saved to this slot; what both have earned is kept.
    Reconciled,
    /// A file that was in the place of ours was set aside. The progress of this game is saved.
    SetAside {
        /// Where it is now.
        path: PathBuf,
        /// Why.
        why: AsideReason,
    },
    /// An area of the world could no longer be read from the save, which was damaged after it was opened. The damaged file
    /// was set aside.
    AreaLost {
        /// The id of the area.
        area: String,
        /// Whether it is now as in the backup; otherwise it is as its level makes it.
        is_older: bool,
    },
    /// The save takes 80 percent of what a save may hold. Beyond the limit, saving fails.
    NearlyFull(Fullness),
    /// Older notices were dropped, because they were not taken.
    Dropped {
        /// How many.
        count: u64,
    },
    /// A write was refused, and so nothing was written. Only in debug builds, and once for each place in the game's code, so
    /// that a developer sees a refusal that the code ignores; the game's logger gets it in every build.
    Refused {
        /// The place in the code, and why.
        message: String,
    },
    /// A level was entered.
    Entered {
        /// The level; `None` in a game without levels.
        level: Option<Level<G>>,
        /// How it came to be played.
        arrival: Arrival,
    },
    /// A checkpoint was reached.
    CheckpointReached(Checkpoint<G>),
    /// A life was lost, and there is another one.
    LifeLost {
        /// Lives left; `None` if lives are not counted.
        left: Option<i64>,
        /// Where the player respawns.
        place: Place<G>,
    },
    /// A record was beaten.
    NewRecord(NewRecord<G>),
    /// A value took a place in a table of best values, below the first.
    Placed(NewRecord<G>),
    /// A level was finished.
    Finished {
        /// The level; `None` in a game without levels.
        level: Option<Level<G>>,
        /// Its best rating now.
        stars: u8,
    },
    /// A level opened.
    Opened {
        /// The level.
        level: Level<G>,
        /// The difficulty; `None` if facts are not kept per difficulty.
        difficulty: Option<Difficulty<G>>,
    },
    /// An unlock was unlocked.
    Unlocked(Unlock<G>),
    /// A moment: its condition became true.
    Moment(Moment<G>),
    /// The run is over.
    RunOver(RunEnd),
    /// Something was erased: redraw.
    Erased,
}

keblin_model::words! {
    /// Why a file was set aside.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum AsideReason {
        /// It was damaged.
        Damaged = "damaged",
        /// The operating system could not read it, or it is not a file.
        Unreadable = "unreadable",
        /// Another program saved it, and ours knew nothing of it.
        Replaced = "replaced",
        /// It is an older save than the one it replaced.
        Older = "older",
        /// It is from before an erasure.
        Erased = "erased",
    }
}

impl<G> NewRecord<G> {
    /// Returns the old and the new value as the type of the field, if it is a record of this field: of any level for
    /// `fields::BEST_TIME`, of one for `fields::BEST_TIME.at(levels::BROOK)`; otherwise `None`.
    ///
    /// ```
    /// # use keblin::{Field, Notice, Progress, Schema};
    /// # let text = "game = 'otter'\nversion = 1\n[fields]\nbest = { type = 'int', scope = 'profile', keep = 'highest' }\n";
    /// # let mut game = Progress::new(Schema::parse("progress.toml", text)?.schema);
    /// # let best: Field<Option<i64>> = game.schema().field("best")?;
    /// game.submit(best, 90);
    /// for notice in game.drain_notices() {
    ///     if let Notice::NewRecord(record) = notice
    ///         && let Some(beaten) = record.of(best)
    ///     {
    ///         assert_eq!((beaten.before, beaten.now), (None, 90)); // the first result at all
    ///     }
    /// }
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn of<F: RecordOf<G>>(&self, field: F) -> Option<Beaten<<F::Held as FieldType>::Read<'_>>> {
        let is_it = if F::ONE_PLACE {
            field.first_cell() == self.cell
        } else {
            field.first_cell() == self.first_cell
        };
        let read = |value| F::Held::read(Value::alone(value));
        is_it.then(|| Beaten {
            before: (self.before != Value::Unset).then(|| read(&self.before)),
            now: read(&self.now),
        })
    }
}

impl<G: Copy> NewRecord<G> {
    /// Returns the record as people read it: `best_crossing at reedgate, neap: unset -> 1m32.4s`.
    #[must_use]
    pub fn text(&self, schema: &Schema) -> String {
        let axes = schema.field_named(self.field.as_str()).map_or(&[][..], |(_, field)| &field.per);
        let place = match schema.place_text(axes, self.at) {
            place if place.is_empty() => place,
            place => format!(" at {place}"),
        };
        format!("{}{place}: {} -> {}", self.field, self.before, self.now)
    }
}

/// The word of each notice and the list of all words, from one table: a notice that is not in it does not compile.
macro_rules! words_of_notices {
    ($($notice:pat => $word:literal,)*) => {
        const WORDS: &[&str] = &[$($word),*];

        const fn word<G>(notice: &Notice<G>) -> &'static str {
            match notice {
                $($notice => $word,)*
            }
        }
    };
}

words_of_notices! {
    Notice::FirstRun => "first_run",
    Notice::Ready => "ready",
    Notice::Restored => "restored",
    Notice::Migrated(_) => "migrated",
    Notice::FellBack => "fell_back",
    Notice::NotWritten { .. } => "not_written",
    Notice::Reconciled => "reconciled",
    Notice::SetAside { .. } => "set_aside",
    Notice::AreaLost { .. } => "area_lost",
    Notice::NearlyFull(_) => "nearly_full",
    Notice::Dropped { .. } => "dropped",
    Notice::Refused { .. } => "refused",
    Notice::Entered { .. } => "entered",
    Notice::CheckpointReached(_) => "checkpoint_reached",
    Notice::LifeLost { .. } => "life_lost",
    Notice::NewRecord(_) => "new_record",
    Notice::Placed(_) => "placed",
    Notice::Finished { .. } => "finished",
    Notice::Opened { .. } => "opened",
    Notice::Unlocked(_) => "unlocked",
    Notice::Moment(_) => "moment",
    Notice::RunOver { .. } => "run_over",
    Notice::Erased => "erased",
}

impl Notice {
    /// Every word that [`Notice::word`] can return.
    pub const WORDS: &'static [&'static str] = WORDS;
}

impl<G: Copy> Notice<G> {
    /// Returns the word of the notice, for rehearsals and JSON.
    #[must_use]
    pub fn word(&self) -> &'static str {
        word(self)
    }

    /// Returns the id of what it is about: a field, a level, a checkpoint, an unlock or a moment; `None` for others.
    #[must_use]
    pub fn about(&self, schema: &Schema) -> Option<String> {
        let level = |level: &Level<G>| schema.levels.get(level.index());
        let name = match self {
            Notice::NewRecord(record) | Notice::Placed(record) => &record.field,
            Notice::Entered { level: of, .. } | Notice::Finished { level: of, .. } => {
                &level(of.as_ref()?)?.name
            }
            Notice::Opened { level: of, .. } => &level(of)?.name,
            Notice::CheckpointReached(checkpoint) => {
                level(&checkpoint.level())?.checkpoints.get(checkpoint.index())?
            }
            Notice::Unlocked(unlock) => &schema.unlocks.get(unlock.index())?.name,
            Notice::Moment(moment) => &schema.moments.get(moment.index())?.name,
            _ => return None,
        };
        Some(name.to_string())
    }

    /// Returns the notice as a line for logs and debug displays; your game writes its own text for players.
    #[must_use]
    pub fn text(&self, schema: &Schema) -> String {
        let level_name = |level: Option<Level<G>>| {
            let level = level.and_then(|level| schema.levels.get(level.index()));
            level.map_or("the level", |level| level.name.as_str()).to_string()
        };
        match self {
            Notice::FirstRun => "first run".into(),
            Notice::Ready => "ready".into(),
            Notice::Restored => "restored".into(),
            Notice::Migrated(account) => {
                format!("saved by version {}, migrated to version {}", account.from, account.to)
            }
            Notice::FellBack => "the newest save was damaged; the backup is used".into(),
            Notice::NotWritten { message } | Notice::Refused { message } => message.clone(),
            Notice::Reconciled => {
                "another copy of the game saved to this slot; what both have earned is kept".into()
            }
            Notice::SetAside { path, why } => {
                let path = path.to_string_lossy();
                format!("a file was found {} and set aside: {}", why.as_str(), Shown(&path))
            }
            Notice::AreaLost { area, is_older } => {
                let now = if *is_older { "as in the backup" } else { "as its level makes it" };
                format!("area {area} could no longer be read from the save; it is {now}")
            }
            Notice::NearlyFull(fullness) => format!("nearly full: {fullness}"),
            Notice::Dropped { count } => format!("{count} older notices were dropped"),
            Notice::Entered { level, arrival } => {
                format!("entered {}, {}", level_name(*level), arrival.as_str())
            }
            Notice::CheckpointReached(checkpoint) => {
                let place = Place { level: Some(checkpoint.level()), checkpoint: Some(*checkpoint) };
                format!("checkpoint {} reached", place.text(schema))
            }
            Notice::LifeLost { left, place } => {
                let left = left.map_or(String::new(), |left| format!(", {left} left"));
                format!("life lost{left}, back to {}", place.text(schema))
            }
            Notice::NewRecord(record) => format!("new record, {}", record.text(schema)),
            Notice::Finished { level, stars } => format!("finished {}, stars {stars}", level_name(*level)),
            Notice::Opened { level, difficulty } => {
                let at = At::level(Some(level.index()), difficulty.map(Difficulty::index));
                format!("{} opened", schema.place_text(&FACT_AXES, at))
            }
            Notice::Unlocked(unlock) => {
                let name = schema.unlocks.get(unlock.index()).map_or("?", |unlock| unlock.name.as_str());
                format!("{name} unlocked")
            }
            Notice::Moment(moment) => {
                let name = schema.moments.get(moment.index()).map_or("?", |moment| moment.name.as_str());
                format!("moment {name}")
            }
            Notice::Placed(record) => format!("placed {}, {}", record.place, record.text(schema)),
            Notice::RunOver(end) => format!("run over, {}", end.as_str()),
            Notice::Erased => "erased".into(),
        }
    }
}
