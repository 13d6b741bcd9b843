//! The result of a rehearsal: its steps, what each changed, and the failure.

use std::fmt;

use keblin_model::{Name, Value};

use super::trace::Traced;
use crate::progress::Refused;
use crate::world::WorldError;

/// The result of a rehearsal.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Report {
    /// The name of the rehearsal.
    pub name: String,
    /// The steps that ran, in order, the failed one last.
    pub steps: Vec<StepReport>,
    /// How many expectations and refusals were met.
    pub held: usize,
    /// The step that failed, and how.
    pub failure: Option<Failure>,
}

/// The result of a step.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct StepReport {
    /// Its line, from 1.
    pub line: usize,
    /// The step as written.
    pub text: String,
    /// What it changed.
    pub changes: Vec<Traced>,
    /// Why it was refused, if it was.
    pub refused: Option<Refused>,
}

/// A step that failed.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Failure {
    /// Its line, from 1.
    pub line: usize,
    /// The step as written.
    pub text: String,
    /// How it failed.
    pub kind: FailureKind,
}

/// How a step failed.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum FailureKind {
    /// A value is not the expected one.
    Expectation {
        /// The name of the value, as people read it.
        name: String,
        /// The expected value.
        expected: String,
        /// The actual value.
        actual: Value,
        /// What last changed it; `None` if nothing did.
        cause: Option<Box<Traced>>,
    },
    /// A level is open or locked, but should not be.
    Openness {
        /// The level, as people read it.
        level: String,
        /// Whether it is open.
        open: bool,
        /// What is missing, if it is locked.
        missing: Vec<String>,
    },
    /// A screen shows something else.
    Shown {
        /// What it is.
        what: String,
        /// What was expected.
        expected: String,
        /// What is shown.
        actual: String,
    },
    /// A notice was delivered more or less often than expected.
    Notices {
        /// The word of the notice.
        word: String,
        /// The expected number.
        expected: usize,
        /// The actual number.
        actual: usize,
    },
    /// The step broke an invariant.
    Broken {
        /// Its id.
        invariant: Name,
        /// Its condition.
        holds: String,
    },
    /// The step was refused.
    Refused(Refused),
    /// The step should have been refused, but was not.
    NotRefused,
    /// There is no held snapshot to load.
    NotHeld,
    /// Another copy of the game has the slot.
    InUse,
    /// The slot was never saved, so no file can be synced.
    NoFile,
    /// The game is closed.
    Closed,
    /// The game is running already.
    Running,
    /// A call about the world failed.
    World(WorldError),
    /// The slot could not be opened or saved.
    Slot(String),
}

impl fmt::Display for FailureKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            FailureKind::Expectation { name, expected, actual, cause } => {
                write!(f, "{name}: expected {expected}, but found {actual}; ")?;
                match cause {
                    Some(change) => {
                        let Traced { line, step, before, after, cause, .. } = change.as_ref();
                        write!(f, "line {line}, `{step}`, last changed it: {before} -> {after} ({cause})")
                    }
                    None => write!(f, "nothing changed it: it still has its default"),
                }
            }
            FailureKind::Openness { level, open: true, .. } => {
                write!(f, "{level}: expected locked, but it is open")
            }
            FailureKind::Openness { level, missing, .. } => {
                write!(f, "{level}: expected open, but it is locked: {}", missing.join("; "))
            }
            FailureKind::Shown { what, expected, actual } => {
                write!(f, "{what}: expected {expected}, but found {actual}")
            }
            FailureKind::Notices { word, expected, actual } => {
                write!(f, "notice {word}: expected {expected} times, but it was delivered {actual} times")
            }
            FailureKind::Broken { invariant, holds } => {
                write!(f, "the invariant {invariant} is broken: expected `{holds}`")
            }
            FailureKind::Refused(refused) => write!(f, "{refused}"),
            FailureKind::NotRefused => write!(f, "expected a refusal, but the step was accepted"),
            FailureKind::NotHeld => write!(f, "there is no snapshot to load here; use `hold` first"),
            FailureKind::InUse => write!(f, "the slot is open in the game; another copy can only view it"),
            FailureKind::NoFile => write!(f, "nothing was saved to this slot yet; `save` first"),
            FailureKind::Closed => write!(f, "the game is closed here; `launch` it first"),
            FailureKind::Running => write!(f, "the game is running here; `quit` or `kill` it first"),
            FailureKind::World(error) => write!(f, "{error}"),
            FailureKind::Slot(error) => write!(f, "{error}"),
        }
    }
}
