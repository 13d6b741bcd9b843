//! Checkpoints as values: a save has `LEVEL.CHECKPOINT`, and a handle the positions of both.

use super::{FieldType, Scalar, id, sealed};
use crate::key::{Checkpoint, Compiled, OfGame};
use crate::model::Model;
use crate::value::Value;
use crate::value::kind::{Holds, Ids, Kind};

impl<G> sealed::Sealed for Checkpoint<G> {}
impl Scalar for Checkpoint {}
impl FieldType for Checkpoint {
    type Read<'a> = CheckpointRead<'a>;
    type Write = Checkpoint;
    const MAY_BE_UNSET: Option<bool> = Some(false);
    fn fits(holds: Holds) -> bool {
        holds.kind == Kind::Id(Ids::Checkpoints)
    }
    fn declared() -> String {
        "id of checkpoints".to_string()
    }
    fn read(value: &Value) -> CheckpointRead<'_> {
        CheckpointRead(value)
    }
    fn write(value: Checkpoint, model: &Model) -> Option<Value> {
        let before = model.levels.iter().take(value.level().index());
        let first: usize = before.map(|level| level.checkpoints.len()).sum();
        id(Ids::Checkpoints, u16::try_from(first + value.index()).ok()?, model)
    }
    fn taken(value: &Value, model: &Model) -> Option<Checkpoint> {
        CheckpointRead(value).of(model)
    }
}

impl<G: Compiled> Scalar for Checkpoint<G> {}
impl<G: Compiled> FieldType for Checkpoint<G> {
    type Read<'a> = Checkpoint<G>;
    type Write = Checkpoint<G>;
    const MAY_BE_UNSET: Option<bool> = Some(false);
    fn fits(holds: Holds) -> bool {
        <Checkpoint as FieldType>::fits(holds)
    }
    fn declared() -> String {
        <Checkpoint as FieldType>::declared()
    }
    fn read(value: &Value) -> Checkpoint<G> {
        // A value of the game's own schema, so the checkpoint exists.
        CheckpointRead(value).of(G::model()).map_or(Checkpoint::of_index(0, 0), OfGame::of_game)
    }
    fn write(value: Checkpoint<G>, model: &Model) -> Option<Value> {
        <Checkpoint as FieldType>::write(value.of_any(), model)
    }
    fn taken(value: &Value, _model: &Model) -> Option<Checkpoint<G>> {
        Some(Self::read(value))
    }
}

/// A checkpoint as read from a field; only the schema knows its level.
#[derive(Clone, Copy, Debug)]
pub struct CheckpointRead<'a>(&'a Value);

impl CheckpointRead<'_> {
    /// Returns the checkpoint; `None` in a schema that does not have it.
    #[must_use]
    pub fn of(self, model: &Model) -> Option<Checkpoint> {
        let (level, checkpoint) = self.0.as_text()?.split_once('.')?;
        model.checkpoint(model.level(level).ok()?, checkpoint).ok()
    }
}
