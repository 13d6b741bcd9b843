//! A step as an event: what each does to the progress under rehearsal.

use keblin_schema::Checkpoint;
use keblin_schema::condition::names::Asked;

use super::script::{Feed, Step};
use crate::progress::journal::{Cause, Target};
use crate::progress::{Progress, Refused, Signal};

/// Plays an event.
pub(super) fn play(progress: &mut Progress, event: &Step) -> Result<(), Refused> {
    match event {
        Step::Suppose(asked, value) => progress.put_asked(asked, value.clone()),
        Step::Begin { difficulty, replacing: true } => {
            progress.begin_replacing(*difficulty);
            Ok(())
        }
        Step::Begin { difficulty, replacing: false } => progress.begin(*difficulty).map(drop),
        Step::Resume => progress.resume().map(drop),
        Step::Enter(level) => progress.enter(*level).map(drop),
        Step::Set(asked, value) => written(progress, asked, |progress, cell| {
            progress.write(cell, value.clone(), &Cause::Set).refused.map_or(Ok(()), Err)
        }),
        Step::Add(asked, amount) => written(progress, asked, |progress, cell| {
            progress.add_to(cell, amount.clone()).refused.map_or(Ok(()), Err)
        }),
        Step::Spend(asked, amount) => {
            written(progress, asked, |progress, cell| progress.spend_from(cell, amount).map(drop))
        }
        Step::Submit(asked, value) => written(progress, asked, |progress, cell| {
            progress.submit_to(cell, value.clone()).refused.map_or(Ok(()), Err)
        }),
        Step::Put(asked, place, item) => written(progress, asked, |progress, cell| {
            progress.put_item(cell, place, item.clone()).refused.map_or(Ok(()), Err)
        }),
        Step::Take(asked, place) => written(progress, asked, |progress, cell| {
            progress.take_item(cell, place).refused.map_or(Ok(()), Err)
        }),
        Step::Tick(elapsed, times) => {
            (0..*times).for_each(|_| progress.tick(*elapsed));
            Ok(())
        }
        Step::Reach(name) => {
            checkpoint(progress, name).map_or(Ok(()), |checkpoint| progress.reach(checkpoint).map(drop))
        }
        Step::Feed(signal, frames) => (0..*frames).try_for_each(|_| feed_frame(progress, signal.as_ref())),
        Step::Pause(on) => {
            progress.pause(*on);
            Ok(())
        }
        Step::Die => {
            progress.die();
            Ok(())
        }
        Step::Respawn => progress.respawn().map(drop),
        Step::Retry => progress.retry().map(drop),
        Step::Finish(None) => progress.finish().map(drop),
        Step::Finish(Some(stars)) => progress.finish_with_stars(*stars).and_then(|finished| {
            // A rating that is refused singly is what the author of the step wants to hear of.
            let refused = finished.into_iter().flat_map(|finished| finished.refused).next();
            refused.map_or(Ok(()), Err)
        }),
        Step::Erase(what, yes) => progress.erase(what, *yes).map(drop),
        Step::Leave => progress.leave().map(drop),
        Step::EndRun => progress.end_run().map(drop),
        _ => Ok(()),
    }
}

/// One frame of a sixtieth of a second in which a signal is true, or none.
fn feed_frame(progress: &mut Progress, signal: Option<&Feed>) -> Result<(), Refused> {
    let signal = match signal {
        None => None,
        Some(Feed::Death) => Some(Signal::Death),
        Some(Feed::Finish) => Some(Signal::Finish),
        Some(Feed::Reach(name)) => checkpoint(progress, name).map(Signal::Reach),
    };
    let fed = signal.map_or(Ok(()), |signal| progress.feed(signal, true).map(drop));
    progress.tick_secs(1.0 / 60.0);
    fed
}

fn written(
    progress: &mut Progress,
    asked: &Asked,
    write: impl FnOnce(&mut Progress, usize) -> Result<(), Refused>,
) -> Result<(), Refused> {
    match progress.target(asked) {
        Some(Target::Cell(cell)) => write(progress, cell),
        _ => Ok(()),
    }
}

/// The checkpoint of this name in the level being played, else in the first level that has one.
fn checkpoint(progress: &Progress, name: &str) -> Option<Checkpoint> {
    let schema = progress.schema();
    let all = (0..schema.levels.len()).filter_map(|index| schema.level_at(index));
    progress.level().into_iter().chain(all).find_map(|level| schema.checkpoint(level, name).ok())
}
