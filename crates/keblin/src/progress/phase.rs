//! Phases, events, and the table that says which event does what in which phase. The table is the contract: events
//! check it first, and error messages list from it what is possible instead.

use std::fmt;

keblin_model::words! {
    /// Where a player is.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    pub enum Phase {
        /// Before a run, or while a run waits to be resumed.
        Title = "title",
        /// In a run, between levels.
        Map = "map",
        /// In a level.
        Playing = "playing",
        /// In a level, after a death and before the respawn.
        Down = "down",
        /// After a run.
        Over = "over",
    }
}

impl fmt::Display for Phase {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.as_str())
    }
}

keblin_model::words! {
    /// An event or write that progress can refuse.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
    #[non_exhaustive]
    pub enum EventName {
        /// Begin a run.
        Begin = "begin",
        /// Resume the waiting run, or the level that was left half-way.
        Resume = "resume",
        /// Enter a level from its start.
        Enter = "enter",
        /// Change a value of level scope.
        WriteLevel = "write level",
        /// Change a value of run scope.
        WriteRun = "write run",
        /// Change a value of profile scope, including a record.
        WriteProfile = "write profile",
        /// Let time pass.
        Tick = "tick",
        /// Reach a checkpoint.
        Reach = "reach",
        /// Die.
        Die = "die",
        /// Respawn after a death.
        Respawn = "respawn",
        /// Restart the level.
        Retry = "retry",
        /// Finish the level.
        Finish = "finish",
        /// Leave the level for the map.
        Leave = "leave",
        /// Give up the run.
        EndRun = "end_run",
        /// Erase the profile, a level, a fact or a field.
        Erase = "erase",
        /// Load a held snapshot.
        Load = "load",
    }
}

/// What a phase does with an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Answer {
    /// It is accepted.
    Happens,
    /// It is accepted without effect, because games fire it every frame.
    Ignored,
    /// It is refused, and nothing changes.
    Refused,
    /// It depends on more than the phase; the event itself decides.
    Depends,
}

use Answer::{Depends, Happens, Ignored, Refused};

/// By phase, in the order of [`Phase::ALL`].
const TABLE: [(EventName, [Answer; 5]); 16] = [
    (EventName::Begin, [Depends, Depends, Depends, Depends, Happens]),
    (EventName::Resume, [Depends, Depends, Refused, Refused, Refused]),
    (EventName::Enter, [Refused, Happens, Depends, Refused, Refused]),
    (EventName::WriteLevel, [Refused, Refused, Happens, Refused, Refused]),
    (EventName::WriteRun, [Refused, Happens, Happens, Refused, Refused]),
    (EventName::WriteProfile, [Happens, Happens, Happens, Happens, Happens]),
    (EventName::Tick, [Happens, Happens, Happens, Happens, Happens]),
    (EventName::Reach, [Ignored, Ignored, Depends, Ignored, Ignored]),
    (EventName::Die, [Ignored, Ignored, Happens, Ignored, Ignored]),
    (EventName::Respawn, [Refused, Refused, Ignored, Happens, Refused]),
    (EventName::Retry, [Refused, Depends, Happens, Happens, Refused]),
    (EventName::Finish, [Refused, Depends, Happens, Refused, Depends]),
    (EventName::Leave, [Refused, Ignored, Happens, Happens, Ignored]),
    (EventName::EndRun, [Depends, Happens, Happens, Happens, Ignored]),
    (EventName::Erase, [Happens, Happens, Happens, Happens, Happens]),
    (EventName::Load, [Happens, Happens, Happens, Happens, Happens]),
];

impl EventName {
    /// Returns what a phase does with it.
    #[must_use]
    #[inline]
    pub fn answer(self, phase: Phase) -> Answer {
        // Both are declared in the order of the table; the test of the page checks it.
        let row = TABLE.get(self as usize).filter(|(event, _)| *event == self);
        row.and_then(|(_, answers)| answers.get(phase as usize).copied()).unwrap_or(Refused)
    }

    /// Returns the events that a phase may accept, except writes, ticks and erasing: what to offer instead of a
    /// refused one.
    pub fn possible_in(phase: Phase) -> impl Iterator<Item = EventName> {
        let offered = move |event: &EventName| {
            use EventName::{Erase, Load, Tick, WriteLevel, WriteProfile, WriteRun};
            let at_any_time = [WriteLevel, WriteRun, WriteProfile, Tick, Erase, Load];
            !at_any_time.contains(event) && matches!(event.answer(phase), Happens | Depends)
        };
        TABLE.iter().map(|(event, _)| *event).filter(offered)
    }
}

impl fmt::Display for EventName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.as_str())
    }
}
