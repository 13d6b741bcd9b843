//! The survival table of kinds of objects, tried: each event happens to a value of an object in an area that is not loaded.

use std::sync::Arc;

use keblin_model::model::{CheckpointLasts, MemberDef, ObjectKindDef};
use keblin_model::survival::{Fate, Row, fate_of_kind};
use keblin_model::{ObjectId, Value};

use super::proof::{Proof, Proven, first_level, happens};
use crate::migrate::another_of_object;
use crate::rehearse::{Rehearsal, Step, WorldStep};
use crate::snapshot::Schema;

/// The object that is tried.
const ID: ObjectId = ObjectId::authored(1);

/// Tries every kind of objects that an area has.
pub(super) fn of_kinds(schema: &Arc<Schema>) -> Vec<Proven> {
    let mut all = Vec::new();
    for (index, kind) in schema.object_kinds.iter().enumerate() {
        let area =
            (0..schema.areas.len()).find(|area| schema.kinds_in(*area).any(|in_area| in_area == index));
        for row in Row::ALL {
            let result = match (area, kind.fields.first()) {
                (Some(area), Some(field)) => tried(schema, (index, kind), (area, field), *row),
                (None, _) => Proof::NotTried { why: "no area has objects of this kind".to_string() },
                (_, None) => Proof::NotTried { why: "objects without fields".to_string() },
            };
            all.push(Proven {
                field: kind.name.clone(),
                row: *row,
                fate: fate_of_kind(schema, kind, *row),
                result,
            });
        }
    }
    all
}

fn tried(
    schema: &Arc<Schema>,
    (index, kind): (usize, &ObjectKindDef),
    (area, field): (usize, &MemberDef),
    row: Row,
) -> Proof {
    let level = schema.levels.get(first_level(schema));
    let checkpoint = level.and_then(|level| level.checkpoints.first());
    let lives = schema.lives.is_some();
    let why = match row {
        Row::Checkpoint if checkpoint.is_none() => Some("the first level does not have a checkpoint"),
        Row::LastDeath if !lives => Some("the game does not count lives"),
        Row::LastDeath | Row::DeathElsewhere if schema.checkpoint_lasts == CheckpointLasts::Run => {
            Some("save points are tried with fields")
        }
        Row::DeathElsewhere => Some("checkpoints last as long as a level"),
        Row::LastDeath => Some("it is the same as the end of a run"),
        Row::Enter | Row::Leave if schema.levels.is_empty() => Some("the game does not have levels"),
        _ => None,
    };
    if let Some(why) = why {
        return Proof::NotTried { why: why.to_string() };
    }
    let [entry, at_checkpoint, last] = [1, 2, 3].map(|number| another_of_object(schema, field, number));
    let world = |step: WorldStep| ("a step about the world".to_string(), Step::World(step));
    let recall = || world(WorldStep::Recall(area, vec![(index, ID)]));
    let change = |value: &Value| {
        let change = WorldStep::Change(area, index, ID, 0, value.clone());
        [world(change), world(WorldStep::Record(area))]
    };
    let begin = ("begin".to_string(), Step::Begin { difficulty: None, replacing: false });
    let mut steps = vec![begin, recall()];
    steps.extend(change(&entry));
    steps.extend(schema.level_at(first_level(schema)).map(|level| ("enter".to_string(), Step::Enter(level))));
    if let Some(name) = checkpoint {
        steps.extend(change(&at_checkpoint));
        steps.push(("reach".to_string(), Step::Reach(name.to_string())));
    }
    steps.extend(change(&last));
    steps.push(world(WorldStep::PutBy(area)));
    steps.extend(happens(schema, row));
    steps.push(recall());
    let expected = match fate_of_kind(schema, kind, row) {
        Fate::Copied | Fate::Stays | Fate::Readable => last,
        Fate::Checkpoint if checkpoint.is_some() => at_checkpoint,
        Fate::Checkpoint | Fate::Entry => entry,
        _ => field.default.clone(),
    };
    steps.push(world(WorldStep::ExpectObject(area, index, ID, 0, expected.clone())));
    let count = steps.len();
    match Rehearsal::of_steps(schema, steps).run().failure {
        None => Proof::Holds,
        Some(failure) if failure.line == count => {
            Proof::Differs { expected, found: Value::text(&failure.kind.to_string()) }
        }
        Some(failure) => Proof::NotTried { why: failure.kind.to_string() },
    }
}
