//! One move, played on a copy of a state.

use std::sync::Arc;

use keblin_schema::Moment;
use keblin_schema::model::SaveAt;

use super::moves::{Move, MoveKind};
use super::player::Part;
use crate::progress::phase::{Answer, EventName};
use crate::progress::{Engine, Notice, Why};
use crate::rehearse::{Step, play};
use crate::save::{Stamp, write};
use crate::snapshot::{Schema, Snapshot};
use crate::verify::verify;

/// A state after a move, and what happened on the way.
#[derive(Debug)]
pub(super) struct Stepped {
    pub(super) engine: Engine,
    /// Which event made a save due.
    pub(super) due: Option<SaveAt>,
    /// The moments that were reported.
    pub(super) moments: Vec<Moment>,
    /// How often a death was reported: a life was lost, or the run is over.
    pub(super) deaths_told: usize,
}

/// What became of a move.
#[derive(Debug)]
pub(super) enum Played {
    Done(Box<Stepped>),
    /// It is not possible here.
    Not,
    /// It was refused in a phase that allows it.
    Refused(String),
}

/// Plays a move on a copy of a state. Two things are done only `thoroughly`, because they cost more than all else: that a
/// locked level is refused, and that the game is opened again through the bytes of a save.
pub(super) fn played(engine: &Engine, by: &Move, thoroughly: bool) -> Played {
    if event_of(by.kind)
        .is_some_and(|event| event.answer(engine.phase()) != Answer::Happens && !may(engine, event))
    {
        return Played::Not;
    }
    if !thoroughly
        && let [Part::Step(Step::Enter(level))] = by.parts.as_slice()
        && !engine.is_open_at(level.index(), engine.difficulty().map(keblin_schema::Difficulty::index))
    {
        return Played::Not;
    }
    let mut engine = engine.clone();
    for part in &by.parts {
        if !part.is_met(&engine) {
            return Played::Not;
        }
        match part {
            Part::Needs(_) => {}
            Part::Reopen if !thoroughly => engine = Engine::restored(engine.snapshot()),
            Part::Reopen => match reopened(&engine) {
                Some(again) => engine = again,
                None => return Played::Refused("the save could not be opened again".to_string()),
            },
            Part::Step(step) => {
                if let Err(refused) = play(&mut engine, step) {
                    let is_table = matches!(refused.why.as_ref(), Why::Phase { .. })
                        && refused.event.answer(refused.phase) == Answer::Happens;
                    return if is_table { Played::Refused(refused.to_string()) } else { Played::Not };
                }
            }
        }
    }
    let due = engine.take_due();
    let (mut moments, mut deaths_told) = (Vec::new(), 0);
    for notice in engine.drain_notices() {
        match notice {
            Notice::Moment(moment) => moments.push(moment),
            Notice::LifeLost { .. } | Notice::RunOver(_) => deaths_told += 1,
            _ => {}
        }
    }
    Played::Done(Box::new(Stepped { engine, due, moments, deaths_told }))
}

/// Returns whether the phase leaves it to the event.
fn may(engine: &Engine, event: EventName) -> bool {
    event.answer(engine.phase()) == Answer::Depends
}

fn event_of(kind: MoveKind) -> Option<EventName> {
    Some(match kind {
        MoveKind::Begin => EventName::Begin,
        MoveKind::Replace => return None,
        MoveKind::Resume => EventName::Resume,
        MoveKind::Enter => EventName::Enter,
        MoveKind::Reach => EventName::Reach,
        MoveKind::Die => EventName::Die,
        MoveKind::Respawn => EventName::Respawn,
        MoveKind::Retry => EventName::Retry,
        MoveKind::Finish => EventName::Finish,
        MoveKind::Leave => EventName::Leave,
        MoveKind::EndRun => EventName::EndRun,
        _ => return None,
    })
}

/// Quits the game and opens it again, through the bytes of a save.
pub(super) fn reopened(engine: &Engine) -> Option<Engine> {
    let snapshot = engine.snapshot();
    let again = opened(&write(&snapshot, &Stamp::default()), engine.schema())?;
    Some(Engine::restored(again.with_device_values(snapshot.device_values())))
}

/// Returns what a save has, converted to this version.
pub(super) fn opened(bytes: &[u8], schema: &Arc<Schema>) -> Option<Snapshot> {
    verify(bytes, schema).ok().map(|save| save.snapshot().clone())
}
