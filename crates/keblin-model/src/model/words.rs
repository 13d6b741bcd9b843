//! The words of a declaration: how long values live, when records take values, what ends what.

use crate::text::time::Time;

crate::words! {
    /// How long a value lives.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    pub enum Scope {
        /// One visit to a level.
        Level = "level",
        /// One run, from begin to its end.
        Run = "run",
        /// As long as the player's profile.
        Profile = "profile",
        /// As long as the device: settings, outside all profiles.
        Device = "device",
    }
}

impl Scope {
    /// Returns whether the scope ends with a run: level and run scope.
    #[must_use]
    pub fn is_of_run(self) -> bool {
        matches!(self, Scope::Level | Scope::Run)
    }
}

crate::words! {
    /// When the engine feeds a record.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum FeedAt {
        /// When a level is finished.
        Finish = "finish",
        /// However a run ends.
        RunEnd = "run_end",
    }
}

crate::words! {
    /// What the last death does.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum AtZero {
        /// The run ends.
        EndRun = "end_run",
        /// The lives are refilled and the level restarts.
        RestartLevel = "restart_level",
    }
}

crate::words! {
    /// Where a resumed run continues.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum Resume {
        /// At the last checkpoint, as after a death, without the death.
        Checkpoint = "checkpoint",
        /// Exactly where it was saved.
        Exact = "exact",
    }
}

crate::words! {
    /// What finishing the last level in order does.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum AfterLast {
        /// Back to the map.
        Map = "map",
        /// The run ends.
        EndRun = "end_run",
    }
}

/// An event that makes a save due.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum SaveAt {
    /// A run begins.
    Begin,
    /// A level is entered.
    Enter,
    /// A checkpoint is reached.
    Checkpoint,
    /// A death.
    Death,
    /// A level is restarted.
    Retry,
    /// A level is finished.
    Finish,
    /// A level is left for the map.
    Leave,
    /// A run ends.
    RunEnd,
    /// A value of profile or device scope changes, at most once a second.
    Change,
    /// The same, at most once in this time.
    ChangeEvery(Time),
    /// This much time has been played since the last save.
    Every(Time),
}

impl SaveAt {
    /// The words for all without a time, in the order in which messages list them.
    pub const WORDS: [(&'static str, SaveAt); 9] = [
        ("begin", SaveAt::Begin),
        ("enter", SaveAt::Enter),
        ("checkpoint", SaveAt::Checkpoint),
        ("death", SaveAt::Death),
        ("retry", SaveAt::Retry),
        ("finish", SaveAt::Finish),
        ("leave", SaveAt::Leave),
        ("run_end", SaveAt::RunEnd),
        ("change", SaveAt::Change),
    ];

    /// The events that make a save due in a game that declares none.
    pub const BY_ITSELF: [SaveAt; 5] =
        [SaveAt::Begin, SaveAt::Checkpoint, SaveAt::Death, SaveAt::Finish, SaveAt::RunEnd];

    /// Returns it as a declaration writes it: `checkpoint`, `every 1m`, `change every 5s`.
    #[must_use]
    pub fn text(self) -> String {
        match self {
            SaveAt::Every(time) => format!("every {time}"),
            SaveAt::ChangeEvery(time) => format!("change every {time}"),
            plain => plain.as_str().to_string(),
        }
    }

    /// Returns the time between two saves for changes; `None` if it is another event.
    #[must_use]
    pub fn between_changes(self) -> Option<Time> {
        match self {
            SaveAt::Change => Some(Time::from_millis(1000)),
            SaveAt::ChangeEvery(time) => Some(time),
            _ => None,
        }
    }

    /// Returns its word, which a save keeps as its cause.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            SaveAt::Every(_) => "every",
            SaveAt::ChangeEvery(_) => "change",
            plain => SaveAt::WORDS.iter().find(|(_, at)| *at == plain).map_or("", |(word, _)| word),
        }
    }
}

crate::words! {
    /// Which checkpoint counts when several are reached.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum CheckpointOrder {
        /// The furthest in declared order; an earlier one is ignored.
        Furthest = "furthest",
        /// The one reached last.
        Latest = "latest",
    }
}

crate::words! {
    /// How long a death leads back to a checkpoint.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum CheckpointLasts {
        /// As long as its level is being played.
        Level = "level",
        /// Until the run ends, also from another level: a save point.
        Run = "run",
    }
}

crate::words! {
    /// How often a moment is reported.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum Again {
        /// Each time it becomes true, except by a begin, a load, a death or a retry.
        EachTime = "each_time",
        /// Once per visit; restarting the level allows one more report.
        Level = "level",
        /// Once per run.
        Run = "run",
        /// Once per profile.
        Profile = "profile",
    }
}

crate::words! {
    /// How a new rating of a level meets the stored one.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum StarsBy {
        /// The rating is the number of stars of one attempt; the best attempt counts.
        BestAttempt = "best_attempt",
        /// Each star is collected separately, over all attempts.
        Each = "each",
    }
}
