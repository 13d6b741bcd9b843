//! What a name in a condition refers to.

use super::{ConditionError, Part};
use crate::model::{At, FieldDef, MemberDef, Model};
use crate::program::{Fact, On, Word};
use crate::text::name::nearest;
use crate::value::Value;
use crate::value::kind::{Holds, Ids, Kind};

/// What a name refers to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Asked {
    /// A field's value; an axis that `at` leaves open means the current difficulty.
    Field {
        /// The field, as a position in [`Model::fields`].
        field: usize,
        /// The place on its axes, as far as the name gives it.
        at: At,
    },
    /// A member of a field's shape, or a part of its vector.
    Member {
        /// The field, as a position in [`Model::fields`].
        field: usize,
        /// The place on its axes, as far as the name gives it.
        at: At,
        /// The member, in declared order; for a vector x, y, z, w.
        member: u16,
        /// The member of that member, if it is a shape or a vector.
        inner: Option<u16>,
    },
    /// The entry of a map under a key that the name gives; a missing one is zero, false or empty.
    Entry {
        /// The field, as a position in [`Model::fields`].
        field: usize,
        /// The place on its axes, as far as the name gives it.
        at: At,
        /// The key.
        key: Value,
    },
    /// The values of a field at all its places together: numbers are added, true bools and items counted.
    Sum {
        /// The field, as a position in [`Model::fields`].
        field: usize,
        /// The difficulty.
        on: On,
        /// The chapter, as a position in [`Model::chapters`]; `None` for all levels.
        chapter: Option<usize>,
    },
    /// A level's fact.
    Fact {
        /// The level, as a position in [`Model::levels`].
        level: usize,
        /// The difficulty.
        on: On,
        /// The fact.
        fact: Fact,
    },
    /// The sum of a fact over the levels that count: stars, or how many are finished.
    Total {
        /// The fact.
        fact: Fact,
        /// The difficulty.
        on: On,
        /// The chapter, as a position in [`Model::chapters`]; `None` for all levels.
        chapter: Option<usize>,
    },
    /// Whether an unlock is unlocked, as a position in [`Model::unlocks`].
    Unlocked(usize),
    /// The phase: `"title"`, `"map"`, `"playing"`, `"down"` or `"over"`.
    Phase,
    /// The id of the level that is being played or was left half-way; null without one.
    Level,
    /// The id of the last checkpoint reached; null before one.
    Checkpoint,
    /// The id of the furthest level; null before any.
    Furthest,
    /// The id of the difficulty of the run, or the one last chosen; null if none are declared.
    Difficulty,
    /// The time in play of the profile.
    Played,
}

/// The values of `phase`.
pub const PHASES: [&str; 5] = ["title", "map", "playing", "down", "over"];

/// Names that stand alone, for what the engine keeps.
pub const ENGINE: [(&str, Asked); 6] = [
    ("phase", Asked::Phase),
    ("level", Asked::Level),
    ("checkpoint", Asked::Checkpoint),
    ("furthest", Asked::Furthest),
    ("difficulty", Asked::Difficulty),
    ("played", Asked::Played),
];

impl Asked {
    /// Returns whether the value may be null.
    #[must_use]
    pub fn may_be_unset(&self, model: &Model) -> bool {
        match self {
            Asked::Field { field, .. } => model.fields.get(*field).is_some_and(FieldDef::may_be_unset),
            Asked::Member { field, member, inner, .. } => {
                member_of(model, *field, *member, *inner).is_some_and(|member| member.default == Value::Unset)
                    || model.fields.get(*field).is_some_and(FieldDef::may_be_unset)
            }
            Asked::Entry { field, .. } => {
                // Nothing stands for a missing id or day.
                let items = model.fields.get(*field).and_then(|field| field.items.as_ref());
                items.is_some_and(|items| items.of.starts_unset())
            }
            Asked::Level | Asked::Checkpoint | Asked::Furthest => true,
            Asked::Difficulty => model.difficulties.is_empty(),
            Asked::Fact { .. }
            | Asked::Total { .. }
            | Asked::Sum { .. }
            | Asked::Unlocked(_)
            | Asked::Phase
            | Asked::Played => false,
        }
    }

    /// Returns the type of the value; ids that the engine keeps are text.
    #[must_use]
    pub fn holds(&self, model: &Model) -> Holds {
        let kind = match self {
            Asked::Field { field, .. } => {
                return model.fields.get(*field).map_or(Kind::Int.into(), FieldDef::holds);
            }
            Asked::Member { field, member, inner, .. } => {
                let member = member_of(model, *field, *member, *inner);
                return member.map_or(Kind::Float.into(), crate::model::MemberDef::holds);
            }
            Asked::Entry { field, .. } => {
                let items = model.fields.get(*field).and_then(|field| field.items.as_ref());
                items.map_or(Kind::Int, |items| items.of)
            }
            Asked::Sum { field, .. } => match model.fields.get(*field).map(|field| field.kind) {
                Some(Kind::Time) => Kind::Time,
                _ => Kind::Int,
            },
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

/// Returns the list that a word's id is from; `None` for the phase, and for a checkpoint, whose list depends on its
/// level.
#[must_use]
pub fn ids_of(word: Word) -> Option<Ids> {
    match word {
        Word::Level | Word::Furthest => Some(Ids::Levels),
        Word::Difficulty => Some(Ids::Difficulties),
        Word::Phase | Word::Checkpoint => None,
    }
}

pub(super) fn difficulty_named(model: &Model, part: &Part) -> Result<usize, ConditionError> {
    model.difficulty_named(&part.word).ok_or_else(|| {
        let known = model.difficulties.iter().map(|difficulty| difficulty.as_str());
        ConditionError::new(part.span.clone(), format!("`{}` is not a declared difficulty", part.word))
            .meant(nearest(&part.word, known))
    })
}

/// Returns a member of a field's shape, or of the shape that goes with a record; `None` for a part of a vector.
fn member_of(model: &Model, field: usize, member: u16, inner: Option<u16>) -> Option<&MemberDef> {
    let of = |kind: Kind, member: u16| {
        let Kind::Shape(shape) = kind else { return None };
        model.shapes.get(usize::from(shape))?.members.get(usize::from(member))
    };
    let member = of(inside_of(model.fields.get(field)?), member)?;
    inner.map_or(Some(member), |inner| of(member.kind, inner))
}

/// Returns the type that has the members of a field: its own, or that of what goes with its values.
pub(super) fn inside_of(def: &FieldDef) -> Kind {
    def.with.as_ref().map_or(def.kind, |with| Kind::Shape(with.shape))
}
