//! The questions: what is asked apart, so that one does not multiply the states of another.

use std::collections::BTreeSet;

use keblin_model::Model;
use keblin_model::model::{Bound, OnReset};

use super::cone::{Cone, Need};
use super::player::PlayerMove;

/// A question.
#[derive(Debug)]
pub(super) struct Question {
    pub(super) name: String,
    pub(super) cone: Cone,
}

/// Returns the questions of a declaration; one whose states another tells apart as well is not asked again.
pub(super) fn questions(model: &Model, player: &[PlayerMove]) -> Vec<Question> {
    let levels = (0..model.levels.len()).map(Need::Level);
    let rules = levels.chain((0..model.unlocks.len()).map(Need::Unlock));
    let rules = rules.chain((0..model.invariants.len()).map(Need::Invariant));
    let mut all = vec![Question { name: "levels and unlocks".to_string(), cone: Cone::of(model, rules) }];
    let mut ask = |name: String, need: Need| {
        // What a player pays with or needs belongs to the question.
        let cone = with_needs(model, Cone::of(model, [need]), need, player);
        if let Some(same) = all.iter_mut().find(|question| question.cone.has_all_of(&cone)) {
            same.cone.moments.extend(cone.moments);
        } else {
            all.push(Question { name, cone });
        }
    };
    if let Some(lives) = &model.lives {
        ask("lives".to_string(), Need::Field(lives.field));
    }
    for (index, field) in model.fields.iter().enumerate() {
        let follows =
            [&field.min, &field.max].into_iter().flatten().any(|bound| matches!(bound, Bound::Follows(_)));
        let stays = field.scope.is_of_run() && field.survival.on_new_run == OnReset::Stays;
        if field.feed.is_some() || follows || stays {
            ask(field.name.to_string(), Need::Field(index));
        }
    }
    for (index, moment) in model.moments.iter().enumerate() {
        ask(moment.name.to_string(), Need::Moment(index));
    }
    all.retain(|question| !is_empty(&question.cone));
    all
}

/// Adds what the moves of a player write together with what the question depends on.
fn with_needs(model: &Model, cone: Cone, need: Need, player: &[PlayerMove]) -> Cone {
    let mut fields: BTreeSet<usize> = cone.fields.clone();
    for one in player.iter().filter(|one| one.fields().any(|field| cone.fields.contains(&field))) {
        fields.extend(one.fields());
    }
    if fields == cone.fields {
        return cone;
    }
    Cone::of(model, fields.into_iter().map(Need::Field).chain([need]))
}

fn is_empty(cone: &Cone) -> bool {
    *cone == Cone::default()
}

/// Returns the fields that no question depends on.
pub(super) fn left_out(model: &Model, questions: &[Question]) -> Vec<String> {
    let asked: BTreeSet<usize> =
        questions.iter().flat_map(|question| question.cone.fields.iter().copied()).collect();
    let all = model.fields.iter().enumerate().filter(|(index, _)| !asked.contains(index));
    all.map(|(_, field)| field.name.to_string()).collect()
}

impl Cone {
    /// Returns what is told apart, by the names of the declaration.
    pub(super) fn names(&self, model: &Model) -> Vec<String> {
        let fields = self
            .fields
            .iter()
            .filter_map(|index| model.fields.get(*index))
            .map(|field| field.name.to_string());
        let words: BTreeSet<&str> = self.facts.iter().map(|(_, word)| *word).collect();
        let facts = words.into_iter().map(|word| {
            let levels = self.facts.iter().filter(|(_, other)| *other == word).count();
            format!("{word} of {levels} level{}", if levels == 1 { "" } else { "s" })
        });
        let unlocks = self.unlocks.iter().filter_map(|index| model.unlocks.get(*index));
        let unlocks = unlocks.map(|unlock| format!("unlocked.{}", unlock.name));
        let flags = [
            (self.reads_difficulty, "difficulty"),
            (self.reads_furthest, "furthest"),
            (self.reads_checkpoint, "checkpoint"),
            (self.reads_played, "played"),
        ];
        let flags = flags.into_iter().filter(|(reads, _)| *reads).map(|(_, word)| word.to_string());
        fields.chain(facts).chain(unlocks).chain(flags).collect()
    }
}
