//! What the names in conditions stand for: fields, level facts, and what the engine keeps by itself.
//!
//! Where facts or fields are kept apart for each difficulty, a name without one means the difficulty in question:
//! that of the run, or the one last chosen.

use super::parts::{asked_of, has_parts, member_of, of_field};
use super::{ConditionError, Part};
use crate::model::{At, Axis, FieldDef, Model};
use crate::program::Word;
pub use crate::program::{Fact, On};
use crate::text::name::nearest;
use crate::value::Value;
use crate::value::kind::{Holds, Ids, Kind};

/// What a name asks.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Asked {
    /// A field's value; what `at` leaves open is the difficulty in question.
    Field {
        /// The field, as a position in [`Model::fields`].
        field: usize,
        /// The place on its axes, as far as the name says it.
        at: At,
    },
    /// A member of a field's shape, or a part of its vector.
    Member {
        /// The field, as a position in [`Model::fields`].
        field: usize,
        /// The place on its axes, as far as the name says it.
        at: At,
        /// The member, in declared order; of a vector x, y, z, w.
        member: u16,
    },
    /// A level's fact.
    Fact {
        /// The level, as a position in [`Model::levels`].
        level: usize,
        /// On which difficulty.
        on: On,
        /// Which fact.
        fact: Fact,
    },
    /// The sum of a fact over all levels: stars, or how many are finished.
    Total {
        /// Which fact.
        fact: Fact,
        /// On which difficulty.
        on: On,
    },
    /// Whether an unlock is given, as a position in [`Model::unlocks`].
    Unlocked(usize),
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

/// The words that `phase` can be.
pub const PHASES: [&str; 5] = ["title", "map", "playing", "down", "over"];

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
    /// Whether the answer may be null.
    #[must_use]
    pub fn may_be_unset(&self, model: &Model) -> bool {
        match self {
            Asked::Field { field, .. } => model.fields.get(*field).is_some_and(FieldDef::may_be_unset),
            Asked::Member { field, member, .. } => {
                member_of(model, *field, *member).is_some_and(|member| member.default == Value::Unset)
            }
            Asked::Level | Asked::Checkpoint | Asked::Furthest => true,
            Asked::Difficulty => model.difficulties.is_empty(),
            Asked::Fact { .. } | Asked::Total { .. } | Asked::Unlocked(_) | Asked::Phase | Asked::Played => {
                false
            }
        }
    }

    /// What the answer is; ids that the engine keeps are text.
    #[must_use]
    pub fn holds(&self, model: &Model) -> Holds {
        let kind = match self {
            Asked::Field { field, .. } => {
                return model.fields.get(*field).map_or(Kind::Int.into(), FieldDef::holds);
            }
            Asked::Member { field, member, .. } => {
                member_of(model, *field, *member).map_or(Kind::Float, |member| member.kind)
            }
            Asked::Fact { fact, .. } => fact.kind(),
            Asked::Total { .. } => Kind::Int,
            Asked::Unlocked(_) => Kind::Bool,
            Asked::Played => Kind::Time,
            Asked::Phase | Asked::Level | Asked::Checkpoint | Asked::Furthest | Asked::Difficulty => {
                Kind::Text
            }
        };
        kind.into()
    }
}

/// The list that a word's id is of; `None` for the phase, and for a checkpoint, which is one of its level.
pub(super) fn ids_of(word: Word) -> Option<Ids> {
    match word {
        Word::Level | Word::Furthest => Some(Ids::Levels),
        Word::Difficulty => Some(Ids::Difficulties),
        Word::Phase | Word::Checkpoint => None,
    }
}

/// Resolves a name as it is written, such as `levels.reedgate.stars`, against a schema.
///
/// # Errors
/// As [`resolve`].
pub fn named(model: &Model, text: &str) -> Result<Asked, ConditionError> {
    let mut start = 0;
    let parts = text.split('.').map(|word| {
        let part = Part { word: word.to_string(), span: start..start + word.len() };
        start += word.len() + 1;
        part
    });
    resolve(model, &parts.collect::<Vec<_>>())
}

/// Resolves a name made of parts against a schema.
///
/// # Errors
/// [`ConditionError`] at the part that is not known there, with the nearest one that is.
pub fn resolve(model: &Model, path: &[Part]) -> Result<Asked, ConditionError> {
    match path {
        [only] => alone(model, only),
        [first, level, rest @ ..] if first.word == "levels" => of_level(model, level, rest),
        [first, rest @ ..] if first.word == "totals" => total(model, first, rest),
        [first, unlock] if first.word == "unlocked" => {
            let known = || model.unlocks.iter().map(|unlock| unlock.name.as_str());
            let missing = format!("no unlock `{}` is declared", unlock.word);
            let missing =
                || ConditionError::new(unlock.span.clone(), missing).meant(nearest(&unlock.word, known()));
            model.unlock_named(&unlock.word).map(Asked::Unlocked).ok_or_else(missing)
        }
        [first, rest @ ..] if has_parts(model, first) => of_field(model, first, rest),
        [first, ..] => Err(ConditionError::new(first.span.clone(), format!("`{}` has no parts", first.word))
            .meant(nearest(&first.word, ["levels", "totals", "unlocked"]))),
        [] => Err(ConditionError::new(0..0, "expected a name, but found nothing")),
    }
}

fn alone(model: &Model, part: &Part) -> Result<Asked, ConditionError> {
    if let Some((_, asked)) = ENGINE.iter().find(|(word, _)| *word == part.word) {
        return Ok(asked.clone());
    }
    match model.field_named(&part.word) {
        Some((_, def)) if def.per.contains(&Axis::Level) => {
            let message = format!("`{}` has one value for each level", part.word);
            let instead = format!("write `levels.LEVEL.{}`", part.word);
            Err(ConditionError { instead: Some(instead), ..ConditionError::new(part.span.clone(), message) })
        }
        Some(_) => of_field(model, part, &[]),
        None => {
            let fields = model.fields.iter().map(|field| field.name.as_str());
            let known =
                fields.chain(ENGINE.iter().map(|(word, _)| *word)).chain(["levels", "totals", "unlocked"]);
            Err(ConditionError::new(part.span.clone(), format!("no field `{}` is declared", part.word))
                .meant(nearest(&part.word, known)))
        }
    }
}

fn of_level(model: &Model, level: &Part, rest: &[Part]) -> Result<Asked, ConditionError> {
    let level_index = model.level_named(&level.word).ok_or_else(|| {
        let known = model.levels.iter().map(|level| level.name.as_str());
        ConditionError::new(level.span.clone(), format!("no level `{}` is declared", level.word))
            .meant(nearest(&level.word, known))
    })?;
    let kept = |part: &Part| {
        let is_field =
            model.field_named(&part.word).is_some_and(|(_, field)| field.per.contains(&Axis::Level));
        is_field || Fact::ALL.iter().any(|fact| fact.as_str() == part.word)
    };
    let (on, what, items) = match rest {
        [what, items @ ..] if kept(what) || items.is_empty() => (On::InQuestion, what, items),
        [difficulty, what, items @ ..] if difficulty.word == "any" => (On::Any, what, items),
        [difficulty, what, items @ ..] => (On::One(difficulty_named(model, difficulty)?), what, items),
        _ => {
            let message = "expected what is asked of the level, such as `.finished`, but found the end";
            return Err(ConditionError::new(level.span.clone(), message));
        }
    };
    let Some(fact) = Fact::ALL.iter().copied().find(|fact| fact.as_str() == what.word) else {
        return field_of_level(model, level_index, (what, items), on);
    };
    match items {
        [extra, ..] => {
            Err(ConditionError::new(extra.span.clone(), format!("`{}` is one part too many", extra.word)))
        }
        [] => fact_on(model, what, fact, on).map(|on| Asked::Fact { level: level_index, on, fact }),
    }
}

/// Whether a fact can be asked on a difficulty. Where facts are not kept apart there is nothing to choose.
fn fact_on(model: &Model, what: &Part, fact: Fact, on: On) -> Result<On, ConditionError> {
    let message = match on {
        On::Any if !matches!(fact, Fact::Finished | Fact::Stars) => {
            format!("`{}` is counted for each difficulty, so `any` has no answer", what.word)
        }
        On::One(_) if !model.level_facts_per_difficulty => {
            format!("`{}` is not kept apart for each difficulty", what.word)
        }
        on => return Ok(on),
    };
    Err(ConditionError::new(what.span.clone(), message)
        .instead("leave the difficulty out, or name one that is kept"))
}

/// A field that has one value for each level, with the parts behind it.
fn field_of_level(
    model: &Model,
    level: usize,
    (what, items): (&Part, &[Part]),
    on: On,
) -> Result<Asked, ConditionError> {
    let per_level = |field: &FieldDef| field.per.contains(&Axis::Level);
    match model.field_named(&what.word).filter(|(_, def)| per_level(def)) {
        Some((field, def)) if on == On::InQuestion || def.per.contains(&Axis::Difficulty) => match on {
            On::Any => {
                let message =
                    format!("`{}` has one value for each difficulty, so `any` has no answer", what.word);
                Err(ConditionError::new(what.span.clone(), message).instead("name a difficulty"))
            }
            on => asked_of(model, (field, def), what, At::level(Some(level), on.one()), items),
        },
        Some((_, def)) => {
            let message = format!("`{}` does not have one value for each difficulty", def.name);
            Err(ConditionError::new(what.span.clone(), message).instead("leave the difficulty out"))
        }
        None => {
            let fields =
                model.fields.iter().filter(|field| per_level(field)).map(|field| field.name.as_str());
            let known = Fact::ALL.iter().map(|fact| fact.as_str()).chain(fields);
            let message = format!("`{}` is nothing that is kept for each level", what.word);
            Err(ConditionError::new(what.span.clone(), message).meant(nearest(&what.word, known)))
        }
    }
}

/// `totals.stars`, `totals.neap.stars`, `totals.all.stars`, and the same of `finished`.
fn total(model: &Model, first: &Part, rest: &[Part]) -> Result<Asked, ConditionError> {
    let (on, what) = match rest {
        [what] => (On::InQuestion, what),
        [all, what] if all.word == "all" => (On::Any, what),
        [difficulty, what] => (On::One(difficulty_named(model, difficulty)?), what),
        _ => {
            let end = rest.last().unwrap_or(first).span.end;
            let message = "expected `totals.stars`, `totals.finished`, or one of them on a difficulty";
            return Err(ConditionError::new(first.span.start..end, message));
        }
    };
    let fact = [Fact::Stars, Fact::Finished].into_iter().find(|fact| fact.as_str() == what.word);
    let fact = fact.ok_or_else(|| {
        ConditionError::new(what.span.clone(), format!("there is no total of `{}`", what.word))
            .meant(nearest(&what.word, ["stars", "finished"]).or(Some("stars")))
    })?;
    fact_on(model, what, fact, on).map(|on| Asked::Total { fact, on })
}

pub(super) fn difficulty_named(model: &Model, part: &Part) -> Result<usize, ConditionError> {
    model.difficulty_named(&part.word).ok_or_else(|| {
        let known = model.difficulties.iter().map(|difficulty| difficulty.as_str());
        ConditionError::new(part.span.clone(), format!("no difficulty `{}` is declared", part.word))
            .meant(nearest(&part.word, known))
    })
}
