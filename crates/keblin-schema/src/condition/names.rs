//! What the names in conditions stand for: fields, level facts, and what the engine keeps by itself.
//!
//! Where facts or fields are kept apart for each difficulty, a name without one means the difficulty in question:
//! that of the run, or the one last chosen.

use super::{ConditionError, Part};
use crate::model::{At, Axis, FieldDef, Schema};
use crate::name::nearest;
use crate::value::Kind;

/// A fact that is kept for every level without being declared.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Fact {
    /// Whether the level was ever finished.
    Finished,
    /// The best rating; 0 before any.
    Stars,
    /// How often the level was entered or tried again.
    Attempts,
    /// How many deaths it cost.
    Deaths,
}

impl Fact {
    /// Every fact.
    pub const ALL: [Fact; 4] = [Fact::Finished, Fact::Stars, Fact::Attempts, Fact::Deaths];

    /// Its name.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Fact::Finished => "finished",
            Fact::Stars => "stars",
            Fact::Attempts => "attempts",
            Fact::Deaths => "deaths",
        }
    }
}

/// What a name asks.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Asked {
    /// A field's value; what `at` leaves open is the difficulty in question.
    Field {
        /// The field, as a position in [`Schema::fields`].
        field: usize,
        /// The place on its axes, as far as the name says it.
        at: At,
    },
    /// A level's fact.
    Fact {
        /// The level, as a position in [`Schema::levels`].
        level: usize,
        /// The difficulty, where the name says one.
        difficulty: Option<usize>,
        /// Which fact.
        fact: Fact,
    },
    /// The phase: `"title"`, `"map"`, `"playing"`, `"down"` or `"over"`.
    Phase,
    /// The id of the level being played or left half-way; null without one.
    Level,
    /// The id of the checkpoint reached last; null before one.
    Checkpoint,
    /// The id of the furthest level; null before any.
    Furthest,
    /// The id of the difficulty of the run, or the one last chosen; null where none are declared.
    Difficulty,
    /// The time in play of the profile.
    Played,
}

/// Names that stand alone, for what the engine keeps by itself.
pub const ENGINE: [(&str, Asked); 6] = [
    ("phase", Asked::Phase),
    ("level", Asked::Level),
    ("checkpoint", Asked::Checkpoint),
    ("furthest", Asked::Furthest),
    ("difficulty", Asked::Difficulty),
    ("played", Asked::Played),
];

impl Asked {
    /// The kind of the answer; ids are text.
    #[must_use]
    pub fn kind(&self, schema: &Schema) -> Kind {
        match self {
            Asked::Field { field, .. } => schema.fields.get(*field).map_or(Kind::Int, |field| field.kind),
            Asked::Fact { fact: Fact::Finished, .. } => Kind::Bool,
            Asked::Fact { .. } => Kind::Int,
            Asked::Played => Kind::Time,
            Asked::Phase | Asked::Level | Asked::Checkpoint | Asked::Furthest | Asked::Difficulty => {
                Kind::Text
            }
        }
    }
}

/// Resolves a name made of parts against a schema.
///
/// # Errors
/// [`ConditionError`] at the part that is not known there, with the nearest one that is.
pub fn resolve(schema: &Schema, path: &[Part]) -> Result<Asked, ConditionError> {
    match path {
        [only] => alone(schema, only),
        [first, level, rest @ ..] if first.word == "levels" => of_level(schema, level, rest),
        [field, difficulty] if per_difficulty(schema, field).is_some() => {
            let difficulty = Some(difficulty_named(schema, difficulty)?);
            let field = per_difficulty(schema, field).unwrap_or_default();
            Ok(Asked::Field { field, at: At { level: None, difficulty } })
        }
        [first, ..] => Err(ConditionError::new(first.span.clone(), format!("`{}` has no parts", first.word))
            .meant(nearest(&first.word, ["levels"]))),
        [] => Err(ConditionError::new(0..0, "expected a name, but found nothing")),
    }
}

/// A field that has one value for each difficulty and for nothing else.
fn per_difficulty(schema: &Schema, part: &Part) -> Option<usize> {
    schema
        .field_named(&part.word)
        .filter(|(_, field)| field.per == [Axis::Difficulty])
        .map(|(index, _)| index)
}

fn alone(schema: &Schema, part: &Part) -> Result<Asked, ConditionError> {
    if let Some((_, asked)) = ENGINE.iter().find(|(word, _)| *word == part.word) {
        return Ok(asked.clone());
    }
    match schema.field_named(&part.word) {
        Some((_, def)) if def.per.contains(&Axis::Level) => {
            let message = format!("`{}` has one value for each level", part.word);
            let instead = format!("write `levels.LEVEL.{}`", part.word);
            Err(ConditionError { instead: Some(instead), ..ConditionError::new(part.span.clone(), message) })
        }
        Some((field, _)) => Ok(Asked::Field { field, at: At::default() }),
        None => {
            let fields = schema.fields.iter().map(|field| field.name.as_str());
            let known = fields.chain(ENGINE.iter().map(|(word, _)| *word)).chain(["levels"]);
            Err(ConditionError::new(part.span.clone(), format!("no field `{}` is declared", part.word))
                .meant(nearest(&part.word, known)))
        }
    }
}

fn of_level(schema: &Schema, level: &Part, rest: &[Part]) -> Result<Asked, ConditionError> {
    let level_index = schema.level_named(&level.word).ok_or_else(|| {
        let known = schema.levels.iter().map(|level| level.name.as_str());
        ConditionError::new(level.span.clone(), format!("no level `{}` is declared", level.word))
            .meant(nearest(&level.word, known))
    })?;
    let (difficulty, what) = match rest {
        [what] => (None, what),
        [difficulty, what] => (Some(difficulty_named(schema, difficulty)?), what),
        [] => {
            let message = "expected what is asked of the level, such as `.finished`, but found the end";
            return Err(ConditionError::new(level.span.clone(), message));
        }
        [_, _, extra, ..] => {
            return Err(ConditionError::new(
                extra.span.clone(),
                format!("`{}` is one part too many", extra.word),
            ));
        }
    };
    let per_level = |field: &FieldDef| field.per.contains(&Axis::Level);
    if let Some(fact) = Fact::ALL.into_iter().find(|fact| fact.as_str() == what.word) {
        if difficulty.is_some() && !schema.level_facts_per_difficulty {
            let message = format!("`{}` is not kept apart for each difficulty", what.word);
            return Err(ConditionError::new(what.span.clone(), message));
        }
        return Ok(Asked::Fact { level: level_index, difficulty, fact });
    }
    match schema.field_named(&what.word) {
        Some((field, def))
            if per_level(def) && (difficulty.is_none() || def.per.contains(&Axis::Difficulty)) =>
        {
            Ok(Asked::Field { field, at: At { level: Some(level_index), difficulty } })
        }
        _ => {
            let fields =
                schema.fields.iter().filter(|field| per_level(field)).map(|field| field.name.as_str());
            let known = Fact::ALL.iter().map(|fact| fact.as_str()).chain(fields);
            let message = format!("`{}` is nothing that is kept for each level", what.word);
            Err(ConditionError::new(what.span.clone(), message).meant(nearest(&what.word, known)))
        }
    }
}

fn difficulty_named(schema: &Schema, part: &Part) -> Result<usize, ConditionError> {
    schema.difficulty_named(&part.word).ok_or_else(|| {
        let known = schema.difficulties.iter().map(|difficulty| difficulty.as_str());
        ConditionError::new(part.span.clone(), format!("no difficulty `{}` is declared", part.word))
            .meant(nearest(&part.word, known))
    })
}
