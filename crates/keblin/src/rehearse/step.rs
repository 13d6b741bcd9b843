//! The steps of a rehearsal, and what each does to the progress. `run` does the steps about files.

use std::time::Duration;

use keblin_model::names::Asked;
use keblin_model::{Checkpoint, Difficulty, Level, Moment, Unlock, Value};

use super::expectation::Expectation;
use super::world::WorldStep;
use crate::progress::items::ItemPlace;
use crate::progress::journal::{Cause, Target};
use crate::progress::{Engine, Erase, Refused, Signal, Why};

/// The meaning of a line of a rehearsal.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Step {
    /// Sets a made-up value.
    Suppose(Asked, Value),
    /// Sets whether a moment was reported in its level, run or profile.
    SupposeReported(Moment, bool),
    /// Continues with another declaration, by its position among the other ones of the rehearsal.
    Schema(usize),
    /// Puts a save into the slot, by its position among those of the rehearsal.
    Given(usize),
    /// Puts an item into a list or set, or under a key of a map.
    Put(Asked, ItemPlace, Value),
    /// Takes an item out of a list, set or map.
    Take(Asked, ItemPlace),
    /// Feeds a signal for a number of frames; `None` feeds nothing.
    Feed(Option<Feed>, usize),
    /// Stops or restarts the clocks.
    Pause(bool),
    /// Holds a snapshot of this moment, to load it later.
    Hold,
    /// Loads the held snapshot, confirmed or not.
    Load(bool),
    /// The game goes to the background and saves at once.
    Suspend,
    /// Turns automatic saving on or off from here on.
    Autosave(bool),
    /// How often a moment was reported since it was last expected.
    ExpectMoment(Moment, usize),
    /// Begins a run.
    Begin {
        /// The difficulty; `None` is the one last chosen.
        difficulty: Option<Difficulty>,
        /// Whether it replaces a run in progress.
        replacing: bool,
    },
    /// Resumes a run or a level.
    Resume,
    /// Enters a level.
    Enter(Level),
    /// Sets a value.
    Set(Asked, Value),
    /// Adds to a value.
    Add(Asked, Value),
    /// Spends some of a value.
    Spend(Asked, Value),
    /// Buys an unlock.
    Buy(Unlock),
    /// Submits a value to a record.
    Submit(Asked, Value),
    /// Lets time pass, a number of times.
    Tick(Duration, usize),
    /// Reaches the checkpoint of this name in the current level.
    Reach(String),
    /// Dies.
    Die,
    /// Respawns after a death.
    Respawn,
    /// Restarts the level.
    Retry,
    /// Finishes the level, with a rating if one is given.
    Finish(Option<i64>),
    /// Leaves the level for the map.
    Leave,
    /// Gives up the run.
    EndRun,
    /// Saves.
    Save,
    /// Saves and closes the game.
    Quit,
    /// Ends the game without saving, or in the middle of a save.
    Kill(Option<WriteStep>),
    /// Opens the game again; the save arrives after this time.
    Launch(Duration),
    /// Runs a step in another copy of the game, which then saves and closes.
    Elsewhere(Box<Step>),
    /// Erases, if confirmed.
    Erase(Erase, bool),
    /// A condition that must be true.
    Expect(Box<Expectation>),
    /// A level that must be open, or locked.
    ExpectOpen {
        /// The level.
        level: Level,
        /// The difficulty; `None` is the current one.
        difficulty: Option<Difficulty>,
        /// Whether it must be open.
        open: bool,
        /// Part of a reason why it is locked, as a level card gives it.
        because: Option<String>,
    },
    /// Something that a screen shows.
    ExpectShown(Shown),
    /// How often a notice must have been delivered since it was last expected, or since the launch.
    ExpectNotice {
        /// The word of the notice.
        word: &'static str,
        /// What it is about: a field, a level, a checkpoint, an unlock or a moment.
        about: Option<String>,
        /// How often.
        times: usize,
    },
    /// Chooses another slot; a running game switches to it.
    Slot(String),
    /// Pins the current state under a name.
    Pin(String),
    /// Returns to a pin, confirmed or not.
    BackTo(String, bool),
    /// Checks an expectation in a copy of the game that only views the slot.
    View(Box<Step>),
    /// Lets time pass on the clock only, also while the game is closed.
    Wait(Duration),
    /// Runs a step on another machine, which starts with a copy of the files.
    Far(Box<Step>),
    /// Puts the save of one machine in place of the other's, as a sync program does.
    Sync {
        /// Whether the other machine's file is put here, or this one's there.
        from_far: bool,
    },
    /// A step about the world, or what is expected of it.
    World(WorldStep),
    /// Runs a step that must be refused.
    Refused(Box<Step>),
}

/// Something that a screen shows, and what is expected of it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Shown {
    /// The number of levels.
    Levels(usize),
    /// The position of a level among them, from 1.
    Position(Level, usize),
    /// The level that the last finish suggested; `None` after the last one.
    Next(Option<Level>),
    /// Something that the last erase lists, as what went or would go.
    Erased(String),
}

/// What an event has shown.
#[derive(Clone, Debug, Default)]
pub(crate) struct Played {
    /// The level that a finish suggests.
    pub(crate) next: Option<Option<Level>>,
    /// What an erase lists.
    pub(crate) erased: Option<Vec<String>>,
}

/// A signal that is fed every frame.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Feed {
    /// The player has died.
    Death,
    /// The level's end is reached.
    Finish,
    /// A checkpoint of the current level is touched.
    Reach(String),
}

keblin_model::words! {
    /// A step of writing at which the power fails.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum WriteStep {
        /// Nothing is written yet.
        Begin = "begin",
        /// Half of it is written.
        Half = "half",
        /// All of it is written but not synced, and unsynced data is lost.
        Sync = "sync",
        /// It is synced, but the game was not notified.
        End = "end",
    }
}

impl Step {
    /// Returns whether another copy of the game can run the step: an event, or an expectation about values or a level.
    pub(super) fn is_for_another_copy(&self) -> bool {
        !matches!(
            self,
            Step::ExpectNotice { .. }
                | Step::ExpectMoment(..)
                | Step::Launch(_)
                | Step::Schema(_)
                | Step::Given(_)
                | Step::Save
                | Step::Suspend
                | Step::Quit
                | Step::Kill(_)
                | Step::Hold
                | Step::Load(_)
                | Step::Autosave(_)
                | Step::Elsewhere(_)
                | Step::Refused(_)
                | Step::ExpectShown(Shown::Next(_) | Shown::Erased(_))
                | Step::Slot(_)
                | Step::Pin(_)
                | Step::BackTo(..)
                | Step::View(_)
                | Step::Wait(_)
                | Step::Far(_)
                | Step::Sync { .. }
                | Step::World(_)
        )
    }

    /// Returns how much time passes in the game.
    pub(super) fn elapsed(&self) -> Duration {
        match self {
            Step::Tick(elapsed, times) => elapsed.saturating_mul(u32::try_from(*times).unwrap_or(u32::MAX)),
            Step::Refused(step) => step.elapsed(),
            _ => Duration::ZERO,
        }
    }
}

/// Runs a step that is an event.
pub(crate) fn play(progress: &mut Engine, event: &Step) -> Result<Played, Refused> {
    let finished = match event {
        Step::Finish(None) => progress.finish()?,
        Step::Finish(Some(stars)) => {
            let finished = progress.finish_with_stars(*stars)?;
            // The rating is part of the step. A record that did not take its value is not, and the level is finished.
            let refused = finished.iter().flat_map(|finished| &finished.refused);
            let is_rating = |why: &Why| matches!(why, Why::Stars { .. } | Why::StarsByRules { .. });
            if let Some(refused) = refused.into_iter().find(|refused| is_rating(&refused.why)) {
                return Err(refused.clone());
            }
            finished
        }
        Step::Erase(what, yes) => {
            let erased = progress.erase(what, *yes)?.into_iter().map(|erased| erased.name).collect();
            return Ok(Played { erased: Some(erased), ..Played::default() });
        }
        other => return act(progress, other).map(|()| Played::default()),
    };
    let next = finished.map(|finished| finished.next.map(|next| next.level));
    Ok(Played { next, ..Played::default() })
}

fn act(progress: &mut Engine, event: &Step) -> Result<(), Refused> {
    match event {
        Step::Suppose(asked, value) => progress.put_asked(asked, value.clone()),
        Step::SupposeReported(moment, yes) => {
            progress.suppose_reported(*moment, *yes);
            Ok(())
        }
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
        Step::Buy(unlock) => progress.buy(*unlock).map(drop),
        Step::Die => {
            progress.die();
            Ok(())
        }
        Step::Respawn => progress.respawn().map(drop),
        Step::Retry => progress.retry().map(drop),
        Step::Leave => progress.leave().map(drop),
        Step::EndRun => progress.end_run().map(drop),
        _ => Ok(()),
    }
}

/// Runs one frame of a sixtieth of a second in which a signal is true, or none.
fn feed_frame(progress: &mut Engine, signal: Option<&Feed>) -> Result<(), Refused> {
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
    progress: &mut Engine,
    asked: &Asked,
    write: impl FnOnce(&mut Engine, usize) -> Result<(), Refused>,
) -> Result<(), Refused> {
    match progress.target(asked) {
        Some(Target::Cell(cell)) => write(progress, cell),
        _ => Ok(()),
    }
}

/// Returns the checkpoint of this name in the current level, else in the first level that has one.
fn checkpoint(progress: &Engine, name: &str) -> Option<Checkpoint> {
    let schema = progress.schema();
    let all = (0..schema.levels.len()).filter_map(|index| schema.level_at(index));
    progress.level().into_iter().chain(all).find_map(|level| schema.checkpoint(level, name).ok())
}
