//! The words of a declaration: how long values live, when records are fed, what ends what.

use crate::text::time::Time;

/// How long a value lives.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Scope {
    /// One visit to a level.
    Level,
    /// One run, from begin to its end.
    Run,
    /// As long as the player's profile.
    Profile,
    /// As long as the device: settings, apart from every profile.
    Device,
}

impl Scope {
    /// Whether it ends with a run: level and run scope.
    #[must_use]
    pub fn is_of_run(self) -> bool {
        matches!(self, Scope::Level | Scope::Run)
    }

    /// Every scope, shortest life first.
    pub const ALL: [Scope; 4] = [Scope::Level, Scope::Run, Scope::Profile, Scope::Device];

    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Scope::Level => "level",
            Scope::Run => "run",
            Scope::Profile => "profile",
            Scope::Device => "device",
        }
    }
}

/// When a record is fed by the engine.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum RecordAt {
    /// At finishing a level.
    Finish,
    /// At every way a run can end.
    RunEnd,
}

impl RecordAt {
    /// Every moment.
    pub const ALL: [RecordAt; 2] = [RecordAt::Finish, RecordAt::RunEnd];

    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            RecordAt::Finish => "finish",
            RecordAt::RunEnd => "run_end",
        }
    }
}

/// What happens when the last life is gone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum AtZero {
    /// The run ends.
    EndRun,
    /// The lives are filled up and the level begins again.
    RestartLevel,
}

/// Which instant a resumed run comes back to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Resume {
    /// To the last checkpoint, as after a death, without the death.
    Checkpoint,
    /// To the very instant that was saved.
    Exact,
}

/// What finishing the last level in order does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum AfterLast {
    /// Back to the map.
    Map,
    /// The run ends.
    EndRun,
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

/// Which checkpoint counts when several are reached.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum CheckpointOrder {
    /// The furthest in declared order; an earlier one is passed over.
    Furthest,
    /// The one reached last.
    Latest,
}

/// How often a moment is told.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Again {
    /// Each time it turns true. What a begin, a restore, a death or a retry makes true is not news.
    EachTime,
    /// Once a visit; trying the level again is a chance to tell it again.
    Level,
    /// Once a run.
    Run,
    /// Once a profile.
    Profile,
}

impl Again {
    /// Every word, in the order in which complaints list them.
    pub const ALL: [Again; 4] = [Again::EachTime, Again::Level, Again::Run, Again::Profile];

    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Again::EachTime => "each_time",
            Again::Level => "level",
            Again::Run => "run",
            Again::Profile => "profile",
        }
    }
}

/// How a level's rating meets the one it had.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum StarsBy {
    /// The rating is how many stars hold in one attempt; the best attempt counts.
    BestAttempt,
    /// Each star is collected by itself, over all attempts.
    Each,
}

impl Resume {
    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Resume::Checkpoint => "checkpoint",
            Resume::Exact => "exact",
        }
    }
}

impl AfterLast {
    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            AfterLast::Map => "map",
            AfterLast::EndRun => "end_run",
        }
    }
}

impl StarsBy {
    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            StarsBy::BestAttempt => "best_attempt",
            StarsBy::Each => "each",
        }
    }
}

impl AtZero {
    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            AtZero::EndRun => "end_run",
            AtZero::RestartLevel => "restart_level",
        }
    }
}

impl CheckpointOrder {
    /// The word for it in a declaration.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            CheckpointOrder::Furthest => "furthest",
            CheckpointOrder::Latest => "latest",
        }
    }
}
