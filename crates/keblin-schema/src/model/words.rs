//! The words of a declaration: how long values live, when records are fed, what ends what.

use crate::text::time::Time;

crate::words! {
    /// How long a value lives.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    #[non_exhaustive]
    pub enum Scope {
        /// One visit to a level.
        Level = "level",
        /// One run, from begin to its end.
        Run = "run",
        /// As long as the player's profile.
        Profile = "profile",
        /// As long as the device: settings, apart from every profile.
        Device = "device",
    }
}

impl Scope {
    /// Whether it ends with a run: level and run scope.
    #[must_use]
    pub fn is_of_run(self) -> bool {
        matches!(self, Scope::Level | Scope::Run)
    }
}

crate::words! {
    /// When a record is fed by the engine.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum RecordAt {
        /// At finishing a level.
        Finish = "finish",
        /// At every way a run can end.
        RunEnd = "run_end",
    }
}

crate::words! {
    /// What happens when the last life is gone.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum AtZero {
        /// The run ends.
        EndRun = "end_run",
        /// The lives are filled up and the level begins again.
        RestartLevel = "restart_level",
    }
}

crate::words! {
    /// Which instant a resumed run comes back to.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum Resume {
        /// To the last checkpoint, as after a death, without the death.
        Checkpoint = "checkpoint",
        /// To the very instant that was saved.
        Exact = "exact",
    }
}

crate::words! {
    /// What finishing the last level in order does.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum AfterLast {
        /// Back to the map.
        Map = "map",
        /// The run ends.
        EndRun = "end_run",
    }
}

/// When a game wants to be saved.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum SaveAt {
    /// A run begins.
    Begin,
    /// A level is entered.
    Enter,
    /// A checkpoint is reached.
    Checkpoint,
    /// A death.
    Death,
    /// A level is tried again.
    Retry,
    /// A level is finished.
    Finish,
    /// A level is left for the map.
    Leave,
    /// A run ends.
    RunEnd,
    /// A value of profile or device scope changes.
    Change,
    /// So much time has been played since the last save.
    Every(Time),
}

impl SaveAt {
    /// The words for all but [`SaveAt::Every`], in the order in which complaints list them.
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

    /// When a game that declares nothing is saved.
    pub const BY_ITSELF: [SaveAt; 5] =
        [SaveAt::Begin, SaveAt::Checkpoint, SaveAt::Death, SaveAt::Finish, SaveAt::RunEnd];

    /// The word for it, as what made the game save.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        SaveAt::WORDS.iter().find(|(_, at)| *at == self).map_or("every", |(word, _)| word)
    }
}

crate::words! {
    /// Which checkpoint counts when several are reached.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum CheckpointOrder {
        /// The furthest in declared order; an earlier one is passed over.
        Furthest = "furthest",
        /// The one reached last.
        Latest = "latest",
    }
}

crate::words! {
    /// How often a moment is told.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum Again {
        /// Each time it turns true. What a begin, a restore, a death or a retry makes true is not news.
        EachTime = "each_time",
        /// Once a visit; trying the level again is a chance to tell it again.
        Level = "level",
        /// Once a run.
        Run = "run",
        /// Once a profile.
        Profile = "profile",
    }
}

crate::words! {
    /// How a level's rating meets the one it had.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum StarsBy {
        /// The rating is how many stars hold in one attempt; the best attempt counts.
        BestAttempt = "best_attempt",
        /// Each star is collected by itself, over all attempts.
        Each = "each",
    }
}
