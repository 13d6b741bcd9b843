//! Running the steps of a rehearsal on a slot. Stops at the first step that is not as it should be, and says what was
//! expected, what is there, and what made it so.

use std::collections::BTreeMap;
use std::fmt;

use keblin_schema::model::At;
use keblin_schema::{Difficulty, Level, Value};

use super::expectation::{Expectation, Unmet};
use super::play::play;
use super::script::{Line, Rehearsal, Step};
use super::trace::{Seen, Trace, Traced};
use crate::progress::journal::FACT_AXES;
use crate::progress::{Notice, Progress, Refused};
use crate::snapshot::Snapshot;
use crate::store::{SaveDir, Slot};

/// The slot a rehearsal plays on.
const SLOT: &str = "rehearsal";

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
            FailureKind::Closed => write!(f, "the game is closed here; `launch` it first"),
            FailureKind::Running => write!(f, "the game is running here; `quit` or `kill` it first"),
            FailureKind::Slot(error) => write!(f, "{error}"),
        }
    }
}

impl Rehearsal {
    /// Runs the steps on a slot of a folder, which should be empty. The same rehearsal gives the same report.
    #[must_use]
    pub fn run(&self, dir: &SaveDir) -> Report {
        let mut report = Report { name: self.name.clone(), steps: Vec::new(), held: 0, failure: None };
        let (trace, told) = (Trace::default(), Told::default());
        let mut stage = Stage {
            rehearsal: self,
            dir,
            progress: None,
            closed: None,
            trace,
            told,
            due: None,
            autosave: true,
            held: None,
        };
        let launched = stage.launch();
        if let (Err(kind), Some(line)) = (launched, self.lines.first()) {
            report.failure = Some(Failure { line: line.number, text: line.text.clone(), kind });
            return report;
        }
        for line in &self.lines {
            match stage.line(line) {
                Ok(step) => {
                    report.held += usize::from(line.step.is_expectation());
                    report.steps.push(step);
                }
                Err(kind) => {
                    report.failure = Some(Failure { line: line.number, text: line.text.clone(), kind });
                    break;
                }
            }
        }
        report
    }
}

/// The game under rehearsal.
struct Stage<'r> {
    rehearsal: &'r Rehearsal,
    dir: &'r SaveDir,
    /// `None` while the game is closed.
    progress: Option<Progress>,
    /// What was seen last before the game was closed.
    closed: Option<Seen>,
    trace: Trace,
    told: Told,
    /// What was due last, to be on the disk at the latest when the game ends; each line is a frame.
    due: Option<(Snapshot, &'static str)>,
    autosave: bool,
    /// The instant to be loaded.
    held: Option<Snapshot>,
}

/// How often each notice was told since it was last expected.
#[derive(Default)]
struct Told(BTreeMap<String, usize>);

impl Told {
    fn expect(&mut self, word: &str, expected: usize) -> Result<(), FailureKind> {
        let actual = self.0.remove(word).unwrap_or(0);
        let word = word.to_string();
        if actual == expected { Ok(()) } else { Err(FailureKind::Notices { word, expected, actual }) }
    }

    fn count(&mut self, word: String) {
        *self.0.entry(word).or_default() += 1;
    }
}

impl Stage<'_> {
    fn line(&mut self, line: &Line) -> Result<StepReport, FailureKind> {
        let before = self.progress.as_ref().map(Seen::of);
        let refused = match &line.step {
            Step::Refused(step) => match self.step(step) {
                Err(FailureKind::Refused(refused)) => Some(refused),
                Err(other) => return Err(other),
                Ok(()) => return Err(FailureKind::NotRefused),
            },
            step => {
                self.step(step)?;
                None
            }
        };
        self.count_notices();
        let due =
            self.progress.as_mut().and_then(|progress| Some((progress.take_due()?, progress.snapshot())));
        let due = due.filter(|_| self.autosave).map(|(at, snapshot)| (snapshot, at.as_str()));
        self.due = due.or(self.due.take());
        let mut changes = Vec::new();
        match (before, &self.progress) {
            (Some(before), Some(progress)) => {
                let at = (line.number, line.text.as_str());
                let word = line.text.split_whitespace().next().unwrap_or_default();
                changes = self.trace.note(at, (&before, &Seen::of(progress)), progress, word);
            }
            (Some(before), None) => self.closed = Some(before),
            (None, Some(progress)) => {
                if let Some(before) = self.closed.take() {
                    let at = (line.number, line.text.as_str());
                    changes = self.trace.note(at, (&before, &Seen::of(progress)), progress, "as saved");
                }
            }
            (None, None) => {}
        }
        Ok(StepReport { line: line.number, text: line.text.clone(), changes, refused })
    }

    fn count_notices(&mut self) {
        for notice in self.progress.iter_mut().flat_map(Progress::drain_notices) {
            self.told.count(notice.word().to_string());
            if let Notice::Moment(_) = notice {
                self.told.count(notice.text(&self.rehearsal.schema));
            }
        }
    }

    fn slot(&self) -> Result<Slot, FailureKind> {
        self.dir.slot(SLOT).map_err(|error| FailureKind::Slot(error.to_string()))
    }

    fn launch(&mut self) -> Result<(), FailureKind> {
        if self.progress.is_some() {
            return Err(FailureKind::Running);
        }
        let opened = self.slot()?.open(&self.rehearsal.schema);
        self.progress = Some(opened.map_err(|error| FailureKind::Slot(error.to_string()))?.progress);
        self.told = Told::default();
        self.count_notices();
        Ok(())
    }

    fn save(&mut self, cause: &str) -> Result<(), FailureKind> {
        let snapshot = self.progress.as_ref().ok_or(FailureKind::Closed)?.snapshot();
        self.due = None;
        self.write(&snapshot, cause)
    }

    fn write(&self, snapshot: &Snapshot, cause: &str) -> Result<(), FailureKind> {
        let saved = self.slot()?.save(snapshot, cause);
        saved.map(drop).map_err(|error| FailureKind::Slot(error.to_string()))
    }

    /// Nothing is flushed: only what was due and saved by itself is there.
    fn kill(&mut self) -> Result<(), FailureKind> {
        self.progress.take().ok_or(FailureKind::Closed)?;
        match self.due.take() {
            Some((snapshot, cause)) => self.write(&snapshot, cause),
            None => Ok(()),
        }
    }

    fn step(&mut self, step: &Step) -> Result<(), FailureKind> {
        match step {
            Step::Launch => return self.launch(),
            Step::Save => return self.save("save"),
            Step::Quit => {
                self.save("quit")?;
                self.progress = None;
                return Ok(());
            }
            Step::Kill => return self.kill(),
            Step::Suspend => return self.save("suspend"),
            Step::Hold => {
                self.held = Some(self.progress.as_ref().ok_or(FailureKind::Closed)?.snapshot());
                return Ok(());
            }
            Step::Autosave(on) => {
                self.autosave = *on;
                return Ok(());
            }
            _ => {}
        }
        let progress = self.progress.as_mut().ok_or(FailureKind::Closed)?;
        match step {
            Step::Expect(expectation) => expect(progress, &self.trace, expectation),
            Step::ExpectOpen { level, difficulty, open } => expect_open(progress, *level, *difficulty, *open),
            Step::ExpectNotice(word, times) => self.told.expect(word, *times),
            Step::ExpectMoment(moment, times) => {
                let told = Notice::Moment(*moment).text(&self.rehearsal.schema);
                self.told.expect(&told, *times)
            }
            Step::Load(yes) => {
                let held = self.held.clone().ok_or(FailureKind::NotHeld)?;
                progress.load(&held, *yes).map_err(FailureKind::Refused)
            }
            event => play(progress, event).map_err(FailureKind::Refused),
        }
    }
}

fn expect_open(
    progress: &Progress,
    level: Level,
    difficulty: Option<Difficulty>,
    expected: bool,
) -> Result<(), FailureKind> {
    let open = progress.is_open(level, difficulty);
    if open == expected {
        return Ok(());
    }
    let schema = progress.schema();
    let at = At::level(Some(level.index()), difficulty.map(Difficulty::index));
    let parts = progress.why_locked(level, difficulty);
    let missing = parts.iter().filter(|part| !part.met).map(|part| part.text(schema)).collect();
    Err(FailureKind::Openness { level: schema.place_text(&FACT_AXES, at), open, missing })
}

fn expect(progress: &Progress, trace: &Trace, expectation: &Expectation) -> Result<(), FailureKind> {
    let Some(Unmet { name, expected, actual }) = expectation.unmet(progress) else { return Ok(()) };
    let cause = trace.last(&expectation.names(progress.schema())).cloned().map(Box::new);
    Err(FailureKind::Expectation { name, expected, actual, cause })
}
