//! One move, played on a copy of a state.

use std::mem::swap;
use std::sync::Arc;

use keblin_model::model::SaveAt;
use keblin_model::{Difficulty, Moment};

use super::moves::{Move, MoveKind};
use super::player::Part;
use crate::progress::phase::{Answer, EventName};
use crate::progress::{Engine, Notice, Why};
use crate::rehearse::{Step, play};
use crate::save::{Stamp, write};
use crate::snapshot::{Schema, Snapshot};
use crate::verify::verify;

/// What happened during a move.
#[derive(Debug)]
pub(super) struct Stepped {
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
    Done(Stepped),
    /// It is not possible here.
    Not,
    /// It was refused in a phase that allows it.
    Refused(String),
}

/// Plays a move on a copy of a state, which `after` becomes. Two things are done only `thoroughly`, because they cost more
/// than all else: that what is locked or begun is refused, and that the game is opened again through the bytes of a save.
pub(super) fn played(before: &Engine, by: &Move, after: &mut Engine, thoroughly: bool) -> Played {
    if event_of(by.kind)
        .is_some_and(|event| event.answer(before.phase()) != Answer::Happens && !may(before, event))
    {
        return Played::Not;
    }
    if !thoroughly && !is_possible(before, by) {
        return Played::Not;
    }
    let needs = by.parts.iter().take_while(|part| matches!(part, Part::Needs(_)));
    if !needs.into_iter().all(|part| part.is_met(before)) {
        return Played::Not;
    }
    after.become_copy_of(before);
    for part in &by.parts {
        if !part.is_met(after) {
            return Played::Not;
        }
        match part {
            Part::Needs(_) => {}
            Part::Reopen if !thoroughly => *after = Engine::restored(after.snapshot()),
            Part::Reopen => match reopened(after) {
                Some(again) => *after = again,
                None => return Played::Refused("the save could not be opened again".to_string()),
            },
            Part::Step(step) => {
                if let Err(refused) = play(after, step) {
                    let is_table = matches!(refused.why.as_ref(), Why::Phase { .. })
                        && refused.event.answer(refused.phase) == Answer::Happens;
                    return if is_table { Played::Refused(refused.to_string()) } else { Played::Not };
                }
            }
        }
    }
    let due = after.take_due();
    let (mut moments, mut deaths_told) = (Vec::new(), 0);
    for notice in after.drain_notices() {
        match notice {
            Notice::Moment(moment) => moments.push(moment),
            Notice::LifeLost { .. } | Notice::RunOver(_) => deaths_told += 1,
            _ => {}
        }
    }
    Played::Done(Stepped { due, moments, deaths_told })
}

/// Returns the state after some moves; `None` if one is not possible.
pub(super) fn replayed(start: &Engine, all: &[Move], path: &[u16]) -> Option<Engine> {
    let (mut engine, mut after) = (start.clone(), start.clone());
    for by in path {
        let Played::Done(_) = played(&engine, all.get(usize::from(*by))?, &mut after, false) else {
            return None;
        };
        swap(&mut engine, &mut after);
    }
    Some(engine)
}

/// Returns whether a level to enter is open, and no run to begin is in the way.
fn is_possible(before: &Engine, by: &Move) -> bool {
    match by.parts.as_slice() {
        [Part::Step(Step::Enter(level))] => {
            before.is_open_at(level.index(), before.difficulty().map(Difficulty::index))
        }
        _ => by.kind != MoveKind::Begin || !before.has_run(),
    }
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
