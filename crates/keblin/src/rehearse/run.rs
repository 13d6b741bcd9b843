//! Running the steps of a rehearsal on a slot. Stops at the first step that is not as it should be, and says what was
//! expected, what is there, and what made it so.

use std::fmt;

use keblin_schema::condition::Comparison;
use keblin_schema::condition::names::{Asked, ENGINE};
use keblin_schema::{Checkpoint, Value};

use super::script::{Line, Rehearsal, Step};
use super::trace::{Seen, Trace, Traced};
use crate::progress::journal::{Cause, Target};
use crate::progress::{Progress, Refused};
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
    /// The step was refused.
    Refused(Refused),
    /// The step was to be refused and was not.
    NotRefused,
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
            FailureKind::Refused(refused) => write!(f, "{refused}"),
            FailureKind::NotRefused => write!(f, "expected a refusal, but it was done"),
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
        let mut stage = Stage { rehearsal: self, dir, progress: None, closed: None, trace: Trace::default() };
        let launched = stage.launch();
        if let (Err(kind), Some(line)) = (launched, self.lines.first()) {
            report.failure = Some(Failure { line: line.number, text: line.text.clone(), kind });
            return report;
        }
        for line in &self.lines {
            match stage.line(line) {
                Ok(step) => {
                    report.held += usize::from(matches!(line.step, Step::Expect(..) | Step::Refused(_)));
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

    fn slot(&self) -> Result<Slot, FailureKind> {
        self.dir.slot(SLOT).map_err(|error| FailureKind::Slot(error.to_string()))
    }

    fn launch(&mut self) -> Result<(), FailureKind> {
        if self.progress.is_some() {
            return Err(FailureKind::Running);
        }
        let opened = self.slot()?.open(&self.rehearsal.schema);
        self.progress = Some(opened.map_err(|error| FailureKind::Slot(error.to_string()))?.progress);
        Ok(())
    }

    fn save(&mut self, cause: &str) -> Result<(), FailureKind> {
        let snapshot = self.progress.as_ref().ok_or(FailureKind::Closed)?.snapshot();
        let saved = self.slot()?.save(&snapshot, cause);
        saved.map(drop).map_err(|error| FailureKind::Slot(error.to_string()))
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
            Step::Kill => {
                return self.progress.take().map(drop).ok_or(FailureKind::Closed);
            }
            _ => {}
        }
        let progress = self.progress.as_mut().ok_or(FailureKind::Closed)?;
        match step {
            Step::Expect(asked, comparison, value) => {
                expect(progress, &self.trace, asked, *comparison, value)
            }
            event => play(progress, event).map_err(FailureKind::Refused),
        }
    }
}

/// Plays an event.
fn play(progress: &mut Progress, event: &Step) -> Result<(), Refused> {
    match event {
        Step::Suppose(asked, value) => progress.suppose_asked(asked, value.clone()),
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
            progress.add_to(cell, amount.number().unwrap_or(0)).refused.map_or(Ok(()), Err)
        }),
        Step::Spend(asked, amount) => written(progress, asked, |progress, cell| {
            progress.spend_from(cell, amount.number().unwrap_or(0)).map(drop)
        }),
        Step::Submit(asked, value) => written(progress, asked, |progress, cell| {
            progress.submit_to(cell, value.clone()).refused.map_or(Ok(()), Err)
        }),
        Step::Tick(elapsed) => {
            progress.tick(*elapsed);
            Ok(())
        }
        Step::Reach(name) => {
            checkpoint(progress, name).map_or(Ok(()), |checkpoint| progress.reach(checkpoint).map(drop))
        }
        Step::Die => {
            progress.die();
            Ok(())
        }
        Step::Respawn => progress.respawn().map(drop),
        Step::Retry => progress.retry().map(drop),
        Step::Finish(None) => progress.finish().map(drop),
        Step::Finish(Some(stars)) => progress.finish_with_stars(*stars).and_then(|finished| {
            // A rating that is refused singly is what the author of the step wants to hear of.
            let refused = finished.into_iter().flat_map(|finished| finished.refused).next();
            refused.map_or(Ok(()), Err)
        }),
        Step::Leave => progress.leave().map(drop),
        Step::EndRun => progress.end_run().map(drop),
        _ => Ok(()),
    }
}

fn written(
    progress: &mut Progress,
    asked: &Asked,
    write: impl FnOnce(&mut Progress, usize) -> Result<(), Refused>,
) -> Result<(), Refused> {
    match progress.target(asked) {
        Some(Target::Cell(cell)) => write(progress, cell),
        _ => Ok(()),
    }
}

/// The checkpoint of this name in the level being played, else in the first level that has one.
fn checkpoint(progress: &Progress, name: &str) -> Option<Checkpoint> {
    let schema = progress.schema();
    let all = (0..schema.levels.len()).filter_map(|index| schema.level_at(index));
    progress.level().into_iter().chain(all).find_map(|level| schema.checkpoint(level, name).ok())
}

fn expect(
    progress: &Progress,
    trace: &Trace,
    asked: &Asked,
    comparison: Comparison,
    value: &Value,
) -> Result<(), FailureKind> {
    let actual = progress.answer(asked);
    if comparison.holds(&actual, value) == Some(true) {
        return Ok(());
    }
    let engine_word =
        || ENGINE.iter().find(|(_, known)| known == asked).map_or("?", |(word, _)| word).to_string();
    let name = progress.target(asked).map_or_else(engine_word, |target| target.text(progress.schema()));
    let sign =
        if comparison == Comparison::Equal { String::new() } else { format!("{} ", comparison.sign()) };
    let cause = trace.last(&name).cloned().map(Box::new);
    Err(FailureKind::Expectation { name, expected: format!("{sign}{value}"), actual, cause })
}
