//! Compiled names at run time: from their ids, as a level file or a console writes them, and as text.

use std::fmt;
use std::str::FromStr;

use crate::key::{Chapter, Checkpoint, Compiled, Difficulty, FieldId, Level, Moment, OfGame, Reset, Unlock};
use crate::lookup::LookupError;
use crate::model::FieldDef;

macro_rules! by_id {
    ($($name:ident, $looked_up:ident;)*) => {$(
        /// Its id.
        impl<G: Compiled> fmt::Display for $name<G> {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.pad(self.id())
            }
        }

        /// From its id.
        impl<G: Compiled> FromStr for $name<G> {
            type Err = LookupError;

            fn from_str(id: &str) -> Result<$name<G>, LookupError> {
                G::model().$looked_up(id).map(OfGame::of_game)
            }
        }

        impl<G: Compiled> $name<G> {
            /// Returns the one with an id; `None` if the game does not declare it. `parse` says what was probably meant.
            #[must_use]
            pub fn from_id(id: &str) -> Option<$name<G>> {
                id.parse().ok()
            }
        }
    )*};
}
by_id!(
    Level, level;
    Chapter, chapter;
    Difficulty, difficulty;
    Unlock, unlock;
    Moment, moment;
    Reset, reset;
    FieldId, field_id;
);

impl<G: Compiled> FieldId<G> {
    /// Returns how the field is declared: what it is about, its type and scope, its bounds, and the cells of its values.
    #[must_use]
    pub fn declared(self) -> Option<&'static FieldDef> {
        G::model().fields.get(self.index())
    }
}

macro_rules! titled {
    ($($name:ident, $list:ident;)*) => {$(
        impl<G: Compiled> $name<G> {
            /// Returns its declared title; the id if none is declared.
            #[must_use]
            pub fn title(self) -> &'static str {
                G::model().$list.get(self.index()).map_or("", |def| def.title.as_str())
            }
        }
    )*};
}
titled!(Level, levels; Chapter, chapters; Unlock, unlocks; Reset, resets;);

/// With its level: `reedgate.osier`.
impl<G: Compiled> fmt::Display for Checkpoint<G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&format!("{}.{}", self.level().id(), self.id()))
    }
}

/// From `LEVEL.CHECKPOINT`.
impl<G: Compiled> FromStr for Checkpoint<G> {
    type Err = LookupError;

    fn from_str(text: &str) -> Result<Checkpoint<G>, LookupError> {
        let model = G::model();
        let (level, id) = text.split_once('.').unwrap_or((text, ""));
        let found = model.level(level).and_then(|level| model.checkpoint(level, id));
        found.map(OfGame::of_game)
    }
}

impl<G: Compiled> Level<G> {
    /// Returns its checkpoints, in order.
    pub fn checkpoints(self) -> impl Iterator<Item = Checkpoint<G>> {
        let model = G::model();
        let count = model.levels.get(self.index()).map_or(0, |level| level.checkpoints.len());
        let level = self.of_any();
        (0..count).filter_map(move |index| model.checkpoint_at(level, index)).map(OfGame::of_game)
    }
}

impl<G: Compiled> Checkpoint<G> {
    /// Returns the one with an id, as `LEVEL.CHECKPOINT`; `None` if the game does not declare it.
    #[must_use]
    pub fn from_id(text: &str) -> Option<Checkpoint<G>> {
        text.parse().ok()
    }
}
