//! Breaches: promises that are not kept, each with the shortest rehearsal that shows it.

use std::fmt;

keblin_model::words! {
    /// A promise that is not kept.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    #[non_exhaustive]
    pub enum BreachCode {
        /// A record, a sum or something that is kept once got worse.
        RecordWorse = "record_worse",
        /// A fact or an unlock that is kept for good was lost.
        FactLost = "fact_lost",
        /// A finished level can no longer be entered.
        FinishedShut = "finished_shut",
        /// The rule of a level or unlock can fall again.
        RuleFalls = "rule_falls",
        /// A level or unlock can never be reached from here any more.
        DeadEnd = "dead_end",
        /// A level or unlock can never be reached.
        NeverReached = "never_reached",
        /// A level can be reached on one difficulty, but not on another.
        NotOnDifficulty = "not_on_difficulty",
        /// A moment is never reported.
        NeverReported = "never_reported",
        /// An invariant is broken.
        InvariantBroken = "invariant_broken",
        /// A value that a rule reads is lost when the game is closed.
        LostOnReload = "lost_on_reload",
        /// A value changes when the game is closed although the survival table says that it stays.
        ReloadDiffers = "reload_differs",
        /// A life is given back.
        LifeGivenBack = "life_given_back",
        /// A death costs more or less than one life.
        DeathMiscounted = "death_miscounted",
        /// A value was better than its record, and is gone.
        BestMissed = "best_missed",
        /// A value was better than its record when the last level was finished, and counts only if the run is lost.
        BestWaits = "best_waits",
        /// A bound that follows another value has taken some of a value away.
        BoundTakes = "bound_takes",
        /// A new run begins with a value of the last one.
        CarriedOver = "carried_over",
        /// What an event has changed is lost if the game is killed after it.
        KillLoses = "kill_loses",
        /// What one of two copies has is lost when they meet.
        MeetingLoses = "meeting_loses",
        /// What two copies have added and taken does not count once each when they meet.
        AmountMiscounted = "amount_miscounted",
        /// A step to this version gives what playing cannot.
        StepGives = "step_gives",
        /// A locked level can be entered.
        LockedEntered = "locked_entered",
        /// An event is refused although its phase allows it.
        RefusedAlthoughOk = "refused_although_ok",
    }
}

impl fmt::Display for BreachCode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.as_str())
    }
}

/// A promise that is not kept, and how to see it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Breach {
    /// Which promise.
    pub code: BreachCode,
    /// What it is about: a field, a level, an unlock, a moment.
    pub about: String,
    /// What happens, in a sentence.
    pub message: String,
    /// The shortest rehearsal that fails because of it. No step can be left out.
    pub script: String,
    /// How the rehearsal fails.
    pub failure: String,
    /// The changes of the values on the way: one line each.
    pub trace: Vec<String>,
}

/// What happens, and the rehearsal that shows it.
impl fmt::Display for Breach {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(f, "{}: {} [{}]", self.about, self.message, self.code)?;
        self.script.lines().try_for_each(|line| writeln!(f, "    {line}"))?;
        writeln!(f, "  = {}", self.failure)
    }
}

impl Breach {
    /// Returns how many steps the rehearsal has, expectations included.
    #[must_use]
    pub fn steps(&self) -> usize {
        self.script.lines().filter(|line| !line.is_empty() && !line.starts_with('#')).count()
    }

    /// Returns what names it for good: `best_missed score`.
    #[must_use]
    pub fn id(&self) -> String {
        format!("{} {}", self.code, self.about)
    }
}

/// A promise that one move does not keep, before it is shown to be true.
#[derive(Clone, Debug)]
pub(super) struct Unkept {
    pub(super) code: BreachCode,
    pub(super) about: String,
    pub(super) message: String,
    /// Lines that hold before the move.
    pub(super) holds: Vec<String>,
    /// Lines between the move and the one that fails.
    pub(super) then: Vec<String>,
    /// The line that fails; `None` if the move itself does.
    pub(super) fails: Option<String>,
}

impl Unkept {
    pub(super) fn new(code: BreachCode, about: impl Into<String>, message: impl Into<String>) -> Unkept {
        let (holds, then) = (Vec::new(), Vec::new());
        Unkept { code, about: about.into(), message: message.into(), holds, then, fails: None }
    }

    /// With a line that holds before the move, and fails after it.
    pub(super) fn no_longer(mut self, line: Option<String>) -> Unkept {
        self.holds.extend(line.clone());
        self.fails = line;
        self
    }

    /// With a line that fails after the move.
    pub(super) fn fails(mut self, line: Option<String>) -> Unkept {
        self.fails = line;
        self
    }
}
