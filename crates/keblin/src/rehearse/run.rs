//! Runs the steps of a rehearsal on a machine. Stops at the first step that fails, and reports what was expected, what
//! was found, and what caused it.

use std::time::Duration;

use keblin_model::model::At;
use keblin_model::{Difficulty, Level, Name};

use super::expectation::{Expectation, Unmet};
use super::machine::Machine;
use super::report::{Failure, FailureKind, Report, StepReport};
use super::script::{Line, Rehearsal};
use super::step::{Played, Shown, Step, play};
use super::trace::{Seen, Trace};
use crate::progress::place::FACT_AXES;
use crate::progress::{Engine, Notice, Refused, Why, sealed::HasEngine};
use crate::snapshot::{Schema, Snapshot};

impl Rehearsal {
    /// Runs the steps with a keeper on in-memory files of their own. The same rehearsal gives the same report.
    #[must_use]
    pub fn run(&self) -> Report {
        self.played().0
    }

    /// Returns the progress at the end; `None` if a step fails or the game is closed then.
    pub(crate) fn played_to_its_end(&self) -> Option<Engine> {
        let (report, stage) = self.played();
        let end = stage.machine.progress()?.clone();
        report.failure.is_none().then_some(end)
    }

    /// Returns whether every step holds, and the game is open at the end.
    #[must_use]
    pub fn ends_open(&self) -> bool {
        self.played_to_its_end().is_some()
    }

    fn played(&self) -> (Report, Stage<'_>) {
        let mut report = Report { name: self.name.clone(), steps: Vec::new(), held: 0, failure: None };
        let mut stage = Stage {
            rehearsal: self,
            machine: Machine::new(&self.schema),
            far: None,
            trace: Trace::default(),
            closed: None,
            held: None,
            shown: Played::default(),
        };
        let failed = |line: &Line, kind| Some(Failure { line: line.number, text: line.text.clone(), kind });
        let launched = stage.machine.launch(Duration::ZERO);
        if let (Err(kind), Some(line)) = (launched, self.lines.first()) {
            report.failure = failed(line, kind);
            return (report, stage);
        }
        for line in &self.lines {
            match stage.line(line) {
                Ok(step) => {
                    report.held += usize::from(line.step.is_expectation());
                    report.steps.push(step);
                }
                Err(kind) => {
                    report.failure = failed(line, kind);
                    break;
                }
            }
        }
        (report, stage)
    }
}

/// Where a rehearsal is played.
struct Stage<'r> {
    rehearsal: &'r Rehearsal,
    machine: Machine,
    /// Another machine, from its first use on.
    far: Option<Machine>,
    trace: Trace,
    /// What was last seen before the game was closed.
    closed: Option<Seen>,
    /// The snapshot to load.
    held: Option<Snapshot>,
    /// What the last finish and the last erase have shown.
    shown: Played,
}

impl Stage<'_> {
    fn line(&mut self, line: &Line) -> Result<StepReport, FailureKind> {
        let before = self.machine.progress().map(Seen::of);
        let broken: Vec<Name> =
            self.machine.progress().into_iter().flat_map(Engine::broken_invariants).cloned().collect();
        let refused = match &line.step {
            Step::Refused(step) => match self.step(step) {
                Err(FailureKind::Refused(refused)) => Some(refused),
                Err(FailureKind::InUse | FailureKind::World(_)) => None,
                Err(other) => return Err(other),
                Ok(()) => return Err(FailureKind::NotRefused),
            },
            step => {
                self.step(step)?;
                None
            }
        };
        self.machine.end_line(line.step.elapsed());
        self.keeps_invariants(&broken)?;
        let mut changes = Vec::new();
        match (before, self.machine.progress()) {
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

    /// Checks that no invariant is broken that was not before.
    fn keeps_invariants(&self, before: &[Name]) -> Result<(), FailureKind> {
        let Some(progress) = self.machine.progress() else { return Ok(()) };
        let Some(invariant) = progress.broken_invariants().find(|name| !before.contains(name)) else {
            return Ok(());
        };
        let mut all = progress.schema().invariants.iter();
        let holds = all.find(|def| def.name == *invariant).and_then(|def| def.holds.as_ref());
        let holds = holds.map_or(String::new(), |rule| rule.program.source().to_string());
        Err(FailureKind::Broken { invariant: invariant.clone(), holds })
    }

    /// Runs a step in another copy of the game on this machine, which then saves and closes; it saves nothing after an
    /// expectation.
    fn elsewhere(&self, step: &Step) -> Result<(), FailureKind> {
        let mut game = self.machine.elsewhere()?;
        let done = match expectation(game.holder.engine(), &self.trace, step) {
            Some(met) => met,
            None => {
                let played = play(game.holder.engine_mut(), step).map_err(FailureKind::Refused);
                played.and_then(|_| {
                    game.save_now().map(drop).map_err(|error| FailureKind::Slot(error.to_string()))
                })
            }
        };
        game.abandon();
        done
    }

    /// Runs a step on the other machine, which starts with a copy of the files here.
    fn far(&mut self, step: &Step) -> Result<(), FailureKind> {
        let far = self.far.take().unwrap_or_else(|| self.machine.another());
        let here = std::mem::replace(&mut self.machine, far);
        let done = self.step(step);
        self.machine.end_line(step.elapsed());
        self.far = Some(std::mem::replace(&mut self.machine, here));
        done
    }

    /// Installs another build of the game, on the other machine too. What was held belongs to the build before.
    fn install(&mut self, index: usize) -> Result<(), FailureKind> {
        let Some(schema) = self.rehearsal.others.get(index) else { return Ok(()) };
        self.machine.install(schema)?;
        self.far.iter_mut().try_for_each(|far| far.install(schema))?;
        (self.held, self.closed) = (None, None);
        Ok(())
    }

    fn step(&mut self, step: &Step) -> Result<(), FailureKind> {
        let machine = &mut self.machine;
        match step {
            Step::Launch(late) => return machine.launch(*late),
            Step::Elsewhere(step) => return self.elsewhere(step),
            Step::View(step) => {
                let game = machine.view()?;
                return expectation(game.holder.engine(), &self.trace, step).unwrap_or(Ok(()));
            }
            Step::Far(step) => return self.far(step),
            Step::Sync { from_far } => {
                let far = self.far.get_or_insert_with(|| machine.another());
                return if *from_far { machine.take_file_of(far) } else { far.take_file_of(machine) };
            }
            Step::Schema(index) => return self.install(*index),
            Step::Given(index) => {
                let save = self.rehearsal.saves.get(*index);
                return save.map_or(Ok(()), |save| machine.give(save));
            }
            Step::Save => return machine.save("save"),
            Step::Quit => return machine.quit(),
            Step::Kill(None) => return machine.kill(),
            Step::Kill(Some(at)) => return machine.kill_at(*at),
            Step::Suspend => return machine.save("suspend"),
            Step::Slot(name) => return machine.choose(name),
            Step::Pin(name) => return machine.pin(name),
            Step::BackTo(name, yes) => return machine.back_to(name, *yes),
            Step::Wait(elapsed) => {
                machine.pass(*elapsed);
                return Ok(());
            }
            Step::World(step) => return machine.world(step),
            Step::Hold => {
                self.held = Some(machine.progress_mut()?.snapshot());
                return Ok(());
            }
            Step::Autosave(on) => {
                machine.autosave = *on;
                return Ok(());
            }
            Step::ExpectNotice { word, about, times } => {
                machine.progress_mut()?;
                let told = about.as_ref().map_or(word.to_string(), |about| format!("{word} {about}"));
                return machine.expect_told(&told, *times);
            }
            Step::ExpectMoment(moment, times) => {
                machine.progress_mut()?;
                let told = Notice::Moment(*moment).about(machine.schema()).unwrap_or_default();
                return machine.expect_told(&format!("moment {told}"), *times);
            }
            _ => {}
        }
        let progress = machine.progress_mut()?;
        if let Some(met) = expectation(progress, &self.trace, step) {
            return met;
        }
        match step {
            Step::Load(yes) => {
                let held = self.held.clone().ok_or(FailureKind::NotHeld)?;
                progress.load(&held, *yes).map_err(FailureKind::Refused)
            }
            Step::ExpectShown(shown) => expect_shown(self.machine.schema(), &self.shown, shown),
            event => {
                let played = play(progress, event);
                let Played { next, erased } = played.as_ref().map_or_else(would_erase, Played::clone);
                self.shown.next = next.or(self.shown.next.take());
                self.shown.erased = erased.or(self.shown.erased.take());
                played.map(drop).map_err(FailureKind::Refused)
            }
        }
    }
}

/// Returns whether an expectation about values or a level is met; `None` for other steps.
fn expectation(progress: &Engine, trace: &Trace, step: &Step) -> Option<Result<(), FailureKind>> {
    match step {
        Step::Expect(expectation) => Some(expect(progress, trace, expectation)),
        Step::ExpectOpen { level, difficulty, open, because } => {
            let met = expect_open(progress, *level, *difficulty, *open);
            Some(met.and_then(|()| expect_reason(progress, (*level, *difficulty), because.as_deref())))
        }
        _ => None,
    }
}

/// Returns what an erase that needs confirmation lists.
fn would_erase(refused: &Refused) -> Played {
    let erased = match refused.why.as_ref() {
        Why::NotConfirmed { would } => Some(would.clone()),
        _ => None,
    };
    Played { erased, ..Played::default() }
}

fn expect_shown(schema: &Schema, last: &Played, shown: &Shown) -> Result<(), FailureKind> {
    let name = |level: Option<Level>| {
        let level = level.and_then(|level| schema.levels.get(level.index()));
        level.map_or("none".to_string(), |level| level.name.to_string())
    };
    let (what, expected, actual) = match shown {
        Shown::Levels(count) => {
            ("levels".to_string(), count.to_string(), schema.counted(None).count().to_string())
        }
        Shown::Position(level, position) => {
            let what = format!("the position of {}", name(Some(*level)));
            let place = schema.level_place(level.index());
            let place = place.map_or("none: it does not count".to_string(), |place| place.to_string());
            (what, position.to_string(), place)
        }
        Shown::Next(level) => {
            let actual = last.next.map_or("no finish before".to_string(), name);
            ("the next level".to_string(), name(*level), actual)
        }
        Shown::Erased(part) => {
            let listed = last.erased.as_deref().unwrap_or_default();
            if listed.contains(part) {
                return Ok(());
            }
            ("what the last erase lists".to_string(), part.clone(), listed.join("; "))
        }
    };
    if expected == actual { Ok(()) } else { Err(FailureKind::Shown { what, expected, actual }) }
}

/// Checks that a level is locked for a reason, or part of one.
fn expect_reason(
    progress: &Engine,
    (level, difficulty): (Level, Option<Difficulty>),
    because: Option<&str>,
) -> Result<(), FailureKind> {
    let Some(because) = because else { return Ok(()) };
    let schema = progress.schema();
    let parts = progress.why_locked(level, difficulty);
    let reasons: Vec<String> = parts.iter().filter(|part| !part.met).map(|part| part.text(schema)).collect();
    if reasons.iter().any(|reason| reason.contains(because)) {
        return Ok(());
    }
    let what = "the reason why it is locked".to_string();
    Err(FailureKind::Shown { what, expected: because.to_string(), actual: reasons.join("; ") })
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
