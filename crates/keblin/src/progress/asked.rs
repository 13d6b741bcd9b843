//! What conditions and tools ask by name: a resolved name gives a value, and what it was that changed it last.

use keblin_schema::condition::names::Asked;
use keblin_schema::model::{At, LevelDef};
use keblin_schema::{Name, Value};

use super::Progress;
use super::journal::Target;
use crate::snapshot::{Stay, Visit};

impl Progress {
    /// The value a name asks for; ids are text, and nothing there is unset.
    #[must_use]
    pub fn answer(&self, asked: &Asked) -> Value {
        let id = |name: Option<&Name>| name.map_or(Value::Unset, |name| Value::text(name.as_str()));
        match asked {
            Asked::Field { .. } | Asked::Fact { .. } => match self.target(asked) {
                Some(Target::Cell(cell)) => self.value_at(cell).clone(),
                Some(Target::Fact { at, fact }) => self.fact(at, fact),
                None => Value::Unset,
            },
            Asked::Phase => Value::text(self.phase().as_str()),
            Asked::Level => id(self.visited().map(|(_, level)| &level.name)),
            Asked::Checkpoint => {
                id(self.visited().and_then(|(visit, level)| level.checkpoints.get(visit.checkpoint?)))
            }
            Asked::Furthest => {
                id(self.state.furthest.and_then(|index| Some(&self.schema.levels.get(index)?.name)))
            }
            Asked::Difficulty => {
                id(self.here().difficulty.and_then(|index| self.schema.difficulties.get(index)))
            }
            Asked::Played => Value::Time(self.state.played),
            _ => Value::Unset,
        }
    }

    /// The visit that is open or left half-way, and its level.
    fn visited(&self) -> Option<(&Visit, &LevelDef)> {
        let visit = self.visit().filter(|visit| visit.stay != Stay::Finished)?;
        Some((visit, self.schema.levels.get(visit.level?)?))
    }

    /// The value or fact behind a name, with the difficulty in question where the name leaves it open; `None` for what
    /// the engine keeps by itself.
    #[must_use]
    pub fn target(&self, asked: &Asked) -> Option<Target> {
        let in_question = self.here().difficulty;
        match asked {
            Asked::Field { field, at } => {
                let at = At { level: at.level, difficulty: at.difficulty.or(in_question) };
                Some(Target::Cell(self.schema.cell(self.schema.fields.get(*field)?, at)?))
            }
            Asked::Fact { level, difficulty, fact } => {
                let apart = self.schema.level_facts_per_difficulty;
                let difficulty = difficulty.or(in_question).filter(|_| apart);
                Some(Target::Fact { at: At { level: Some(*level), difficulty }, fact: *fact })
            }
            _ => None,
        }
    }
}
