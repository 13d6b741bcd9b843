//! What a rehearsal did: its steps, what each of them changed, and what was not as it should be.

use std::fmt;

use keblin_schema::Value;

use super::trace::Traced;
use crate::progress::Refused;

/// What a rehearsal did.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Report {
    /// What the rehearsal is called.
    pub name: String,
    /// The steps that ran, in order, the failed one last.
    pub steps: Vec<StepReport>,
    /// How many expectations and refusals were as written.
    pub held: usize,
    /// What was not as it should be.
    pub failure: Option<Failure>,
}

/// What a step did.
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

/// A step that was not as it should be.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Failure {
    /// Its line, from 1.
    pub line: usize,
    /// The step as written.
    pub text: String,
    /// What was wrong.
    pub kind: FailureKind,
}

/// What was wrong with a step.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum FailureKind {
    /// A value is not as expected.
    Expectation {
        /// What was asked, as people read it.
        name: String,
        /// What was expected.
        expected: String,
        /// What is there.
        actual: Value,
        /// What changed it last; `None` if nothing did.
        cause: Option<Box<Traced>>,
    },
    /// A level is open, or locked, and should not be.
    Openness {
        /// The level, as people read it.
        level: String,
        /// Whether it is open.
        open: bool,
        /// What is missing, if it is locked.
        missing: Vec<String>,
    },
    /// A notice was told more or less often than expected.
    Notices {
        /// Which.
        word: String,
        /// How often it was expected.
        expected: usize,
        /// How often it was told.
        actual: usize,
    },
    /// The step was refused.
    Refused(Refused),
    /// The step was to be refused and was not.
    NotRefused,
    /// Nothing is held that could be loaded.
    NotHeld,
    /// Another copy of the game has the slot.
    InUse,
    /// The game is closed.
    Closed,
    /// The game is running already.
    Running,
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
                        write!(f, "line {line}, `{step}`, changed it last: {before} -> {after} ({cause})")
                    }
                    None => write!(f, "nothing has changed it: it is as declared"),
                }
            }
            FailureKind::Openness { level, open: true, .. } => {
                write!(f, "{level}: expected locked, but it is open")
            }
            FailureKind::Openness { level, missing, .. } => {
                write!(f, "{level}: expected open, but it is locked: {}", missing.join("; "))
            }
            FailureKind::Notices { word, expected, actual } => {
                write!(f, "notice {word}: expected {expected} times, but it was told {actual} times")
            }
            FailureKind::Refused(refused) => write!(f, "{refused}"),
            FailureKind::NotRefused => write!(f, "expected a refusal, but it was done"),
            FailureKind::NotHeld => write!(f, "nothing is held here; `hold` an instant first"),
            FailureKind::InUse => write!(f, "the slot is open in the game; another copy can only look"),
            FailureKind::Closed => write!(f, "the game is closed here; `launch` it first"),
            FailureKind::Running => write!(f, "the game is running here; `quit` or `kill` it first"),
            FailureKind::Slot(error) => write!(f, "{error}"),
        }
    }
}
