//! The steps of a rehearsal, and the text they are written in. Every name is resolved against the schema when the text
//! is parsed, so that a misspelt one is told with its place before anything runs, all of them at once.

use std::sync::Arc;
use std::time::Duration;

use keblin_schema::condition::names::Asked;
use keblin_schema::{Difficulty, Level, Moment, Schema, Value};

use super::expectation::Expectation;
use crate::progress::Erase;
use crate::progress::items::Place;

/// A rehearsal: steps in order.
#[derive(Clone, Debug)]
pub struct Rehearsal {
    pub(super) name: String,
    pub(super) schema: Arc<Schema>,
    pub(super) lines: Vec<Line>,
}

/// A step and where it stands.
#[derive(Clone, Debug)]
pub struct Line {
    /// Counted from 1.
    pub number: usize,
    /// As written, without its comment.
    pub text: String,
    /// What it does.
    pub step: Step,
}

/// What is fed every frame.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Feed {
    /// The player has died.
    Death,
    /// The level's end is reached.
    Finish,
    /// A checkpoint of the level being played is touched.
    Reach(String),
}

keblin_schema::words! {
    /// A step of writing, at which the power goes.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum WriteStep {
        /// Nothing is written yet.
        Begin = "begin",
        /// Half of it is written.
        Half = "half",
        /// All of it is written and nothing is synced, and what is not synced is lost.
        Sync = "sync",
        /// It is synced, and the game has not heard of it.
        End = "end",
    }
}

/// What a line of a rehearsal does.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Step {
    /// Puts a made-up value in place.
    Suppose(Asked, Value),
    /// Puts an item into a list or set, or under a key of a map.
    Put(Asked, Place, Value),
    /// Takes an item out of a list, set or map.
    Take(Asked, Place),
    /// Feeds a signal for so many frames; `None` is none of them.
    Feed(Option<Feed>, usize),
    /// Stops the clocks, or lets them go on.
    Pause(bool),
    /// Holds this instant, to be loaded.
    Hold,
    /// Goes back to the instant that is held, with the yes or without.
    Load(bool),
    /// The game goes to the background: what is there is saved at once.
    Suspend,
    /// Whether what is due is saved by itself from here on.
    Autosave(bool),
    /// How often a moment was told since this was last expected.
    ExpectMoment(Moment, usize),
    /// Begins a run.
    Begin {
        /// On this difficulty; `None` is the one last chosen.
        difficulty: Option<Difficulty>,
        /// In place of one that is under way.
        replacing: bool,
    },
    /// Goes on with a run or a level.
    Resume,
    /// Enters a level.
    Enter(Level),
    /// Sets a value.
    Set(Asked, Value),
    /// Adds to a value.
    Add(Asked, Value),
    /// Spends some of a value.
    Spend(Asked, Value),
    /// Offers a record.
    Submit(Asked, Value),
    /// Lets time pass, so often.
    Tick(Duration, usize),
    /// Reaches the checkpoint of this name in the level being played.
    Reach(String),
    /// Dies.
    Die,
    /// Comes back after a death.
    Respawn,
    /// Tries the level again.
    Retry,
    /// Finishes the level, with a rating if one is given.
    Finish(Option<i64>),
    /// Leaves the level for the map.
    Leave,
    /// Gives the run up.
    EndRun,
    /// Saves.
    Save,
    /// Saves and closes the game.
    Quit,
    /// Ends the game without saving, or in the middle of saving what there is.
    Kill(Option<WriteStep>),
    /// Opens the game again; what was saved is there so much later.
    Launch(Duration),
    /// Does a step in another copy of the game, which then saves and closes.
    Elsewhere(Box<Step>),
    /// Erases, once the yes is said.
    Erase(Erase, bool),
    /// A condition that must hold.
    Expect(Box<Expectation>),
    /// A level that must be open, or locked.
    ExpectOpen {
        /// The level.
        level: Level,
        /// On this difficulty; `None` is the one in question.
        difficulty: Option<Difficulty>,
        /// Whether it must be open.
        open: bool,
    },
    /// How often a notice must have been told since it was last expected, or since the launch.
    ExpectNotice(&'static str, usize),
    /// Does a step that must be refused.
    Refused(Box<Step>),
}

impl Step {
    /// Whether it changes nothing and only holds what is there against what is expected.
    #[must_use]
    pub fn is_expectation(&self) -> bool {
        use Step::{Expect, ExpectMoment, ExpectNotice, ExpectOpen, Refused};
        matches!(self, Expect(_) | ExpectOpen { .. } | ExpectNotice(..) | ExpectMoment(..) | Refused(_))
    }
}

impl Rehearsal {
    /// The steps, in order.
    #[must_use]
    pub fn lines(&self) -> &[Line] {
        &self.lines
    }
}
