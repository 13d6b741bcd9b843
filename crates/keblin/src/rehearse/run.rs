//! Runs the steps of a rehearsal on a slot. Stops at the first step that fails, and reports what was expected, what
//! was found, and what caused it.

use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;
use std::time::Duration;

use keblin_schema::model::At;
use keblin_schema::{Difficulty, Level};

use super::expectation::{Expectation, Unmet};
use super::report::{Failure, FailureKind, Report, StepReport};
use super::script::{Line, Rehearsal};
use super::step::play;
use super::step::{Step, WriteStep};
use super::trace::{Seen, Trace};
use crate::progress::place::FACT_AXES;
use crate::progress::{Engine, Notice};
use crate::snapshot::Snapshot;
use crate::store::backend::{Backend, PowerCut, Tear};
use crate::store::{OpenError, Origin, SaveDir, SaveError, Slot};

/// The slot a rehearsal plays on.
const SLOT: &str = "rehearsal";

impl Rehearsal {
    /// Runs the steps on an in-memory slot of their own. The same rehearsal gives the same report.
    #[must_use]
    pub fn run(&self) -> Report {
        let mut report = Report { name: self.name.clone(), steps: Vec::new(), held: 0, failure: None };
        let (trace, told) = (Trace::default(), Told::default());
        let mut stage = Stage {
            rehearsal: self,
            files: PowerCut::new(),
            slot: None,
            late: None,
            progress: None,
            closed: None,
            trace,
            told,
            due: None,
            erased: false,
            autosave: true,
            held: None,
        };
        let launched = stage.launch(Duration::ZERO);
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

/// The game of a rehearsal.
struct Stage<'r> {
    rehearsal: &'r Rehearsal,
    /// The files, which can lose power.
    files: PowerCut,
    /// The slot, while the game is open.
    slot: Option<Slot>,
    /// The save that is still loading, and how long it takes.
    late: Option<(Duration, Option<Snapshot>)>,
    /// `None` while the game is closed.
    progress: Option<Engine>,
    /// What was last seen before the game was closed.
    closed: Option<Seen>,
    trace: Trace,
    told: Told,
    /// The last due snapshot, which is on the disk at the latest when the game ends; each line is a frame.
    due: Option<(Snapshot, &'static str)>,
    /// Whether a file may still contain something that was erased.
    erased: bool,
    autosave: bool,
    /// The snapshot to load.
    held: Option<Snapshot>,
}

/// How often each notice was delivered since it was last expected.
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
                Err(FailureKind::InUse) => None,
                Err(other) => return Err(other),
                Ok(()) => return Err(FailureKind::NotRefused),
            },
            step => {
                self.step(step)?;
                None
            }
        };
        self.count_notices();
        self.erased |= self.progress.as_mut().is_some_and(|progress| !progress.take_erased().is_empty());
        // A save must not replace data that has not arrived yet.
        let ready = self.progress.as_mut().filter(|progress| progress.is_ready());
        let due = ready.and_then(|progress| Some((progress.take_due()?, progress.snapshot())));
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
        for notice in self.progress.iter_mut().flat_map(Engine::drain_notices) {
            self.told.count(notice.word().to_string());
            if let Notice::Moment(_) = notice {
                self.told.count(notice.text(&self.rehearsal.schema));
            }
        }
    }

    /// Returns a slot on the current files.
    fn a_slot(&self) -> Result<Slot, FailureKind> {
        let files: Arc<dyn Backend> = Arc::new(self.files.clone());
        SaveDir::on(files, "saves").slot(SLOT).map_err(failed)
    }

    fn launch(&mut self, late: Duration) -> Result<(), FailureKind> {
        if self.progress.is_some() {
            return Err(FailureKind::Running);
        }
        let slot = self.a_slot()?;
        let opened = slot.open(&self.rehearsal.schema).map_err(failed)?;
        self.progress = Some(match late.is_zero() {
            true => opened.progress.into_engine(),
            false => {
                let saved = (opened.origin != Origin::FirstRun).then(|| opened.progress.snapshot());
                self.late = Some((late, saved));
                Engine::awaiting(Arc::clone(&self.rehearsal.schema))
            }
        });
        self.slot = Some(slot);
        self.told = Told::default();
        self.count_notices();
        Ok(())
    }

    /// Lets time pass; the loading save may arrive.
    fn wait(&mut self, elapsed: Duration) {
        if let Some((left, saved)) = self.late.take() {
            match left.checked_sub(elapsed).filter(|left| !left.is_zero()) {
                Some(left) => self.late = Some((left, saved)),
                None => self.progress.iter_mut().for_each(|progress| progress.arrive(saved.clone())),
            }
        }
    }

    fn save(&mut self, cause: &str) -> Result<(), FailureKind> {
        let progress = self.progress.as_ref().ok_or(FailureKind::Closed)?;
        self.due = None;
        // A save must not replace data that has not arrived yet.
        let ready = progress.is_ready().then(|| progress.snapshot());
        ready.map_or(Ok(()), |snapshot| self.write(&snapshot, cause))
    }

    fn write(&mut self, snapshot: &Snapshot, cause: &str) -> Result<(), FailureKind> {
        let slot = self.slot.as_ref().ok_or(FailureKind::Closed)?;
        let saved = match std::mem::take(&mut self.erased) {
            true => slot.save_erased(snapshot, cause),
            false => slot.append(snapshot, cause),
        };
        let saved = saved.map_err(|error| match error {
            SaveError::InUse { .. } => FailureKind::InUse,
            other => failed(other),
        })?;
        let replaced = saved.replaced.filter(|replaced| replaced.has_met);
        if let (Some(replaced), Some(progress)) = (replaced, &mut self.progress) {
            progress.reconcile(&replaced.snapshot, replaced.base.as_ref());
        }
        Ok(())
    }

    /// Ends the game without saving: only what was due has been saved.
    fn kill(&mut self) -> Result<(), FailureKind> {
        self.progress.take().ok_or(FailureKind::Closed)?;
        let written = match self.due.take() {
            Some((snapshot, cause)) => self.write(&snapshot, cause),
            None => Ok(()),
        };
        (self.slot, self.late) = (None, None);
        written
    }

    /// Cuts the power while the current state is being saved.
    fn kill_at(&mut self, at: WriteStep) -> Result<(), FailureKind> {
        let before = self.files.calls();
        self.save("kill")?;
        let after = self.files.calls();
        let (calls, tear) = match at {
            WriteStep::Begin => (before, Tear::Lost),
            WriteStep::Half => ((before + 1).min(after), Tear::Half),
            WriteStep::Sync => (after.saturating_sub(1).max(before), Tear::Lost),
            WriteStep::End => (after, Tear::Lost),
        };
        (self.progress, self.slot, self.late) = (None, None, None);
        self.files = PowerCut::of(&self.files.after(calls, tear));
        Ok(())
    }

    /// Another copy of the game opens the slot, runs a step, saves and closes; it saves nothing after an expectation.
    fn elsewhere(&self, step: &Step) -> Result<(), FailureKind> {
        let slot = self.a_slot()?;
        let opened = slot.open(&self.rehearsal.schema).map_err(|error| match error {
            OpenError::InUse { .. } => FailureKind::InUse,
            other => failed(other),
        })?;
        let mut progress = opened.progress.into_engine();
        match step {
            Step::Expect(expectation) => return expect(&progress, &self.trace, expectation),
            Step::ExpectOpen { level, difficulty, open } => {
                return expect_open(&progress, *level, *difficulty, *open);
            }
            event => play(&mut progress, event).map_err(FailureKind::Refused)?,
        }
        slot.append(&progress.snapshot(), "quit").map(drop).map_err(failed)
    }

    fn step(&mut self, step: &Step) -> Result<(), FailureKind> {
        match step {
            Step::Launch(late) => return self.launch(*late),
            Step::Elsewhere(step) => return self.elsewhere(step),
            Step::Save => return self.save("save"),
            Step::Quit => {
                self.save("quit")?;
                (self.progress, self.slot, self.late) = (None, None, None);
                return Ok(());
            }
            Step::Kill(None) => return self.kill(),
            Step::Kill(Some(at)) => return self.kill_at(*at),
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
            Step::Tick(elapsed, times) => {
                play(progress, step).map_err(FailureKind::Refused)?;
                self.wait(elapsed.saturating_mul(u32::try_from(*times).unwrap_or(u32::MAX)));
                Ok(())
            }
            event => play(progress, event).map_err(FailureKind::Refused),
        }
    }
}

fn failed(error: impl fmt::Display) -> FailureKind {
    FailureKind::Slot(error.to_string())
}

fn expect_open(
    progress: &Engine,
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

fn expect(progress: &Engine, trace: &Trace, expectation: &Expectation) -> Result<(), FailureKind> {
    let Some(Unmet { name, expected, actual }) = expectation.unmet(progress) else { return Ok(()) };
    let cause = trace.last(&expectation.names(progress.schema())).cloned().map(Box::new);
    Err(FailureKind::Expectation { name, expected, actual, cause })
}
