//! What a name in a condition can ask.

use super::{ConditionError, Part};
use crate::model::{At, FieldDef, MemberDef, Model};
use crate::program::{Fact, On, Word};
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

pub(super) fn difficulty_named(model: &Model, part: &Part) -> Result<usize, ConditionError> {
    model.difficulty_named(&part.word).ok_or_else(|| {
        let known = model.difficulties.iter().map(|difficulty| difficulty.as_str());
        ConditionError::new(part.span.clone(), format!("no difficulty `{}` is declared", part.word))
            .meant(nearest(&part.word, known))
    })
}

/// The member of a field's shape; `None` for a part of a vector.
pub(super) fn member_of(model: &Model, field: usize, member: u16) -> Option<&MemberDef> {
    let Kind::Shape(shape) = model.fields.get(field)?.kind else { return None };
    model.shapes.get(usize::from(shape))?.members.get(usize::from(member))
}
