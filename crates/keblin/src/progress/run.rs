//! Runs: begin, resume, end. A run ends in four ways, and each feeds the records of `run_end` once, with the values
//! as they are before anything is reset.

use std::sync::Arc;

use keblin_model::model::{Again, FeedAt, FieldDef, OnReset, SaveAt};
use keblin_model::{AnyGame, Checkpoint, Difficulty, Level, OfGame, Unlock};

use super::journal::Cause;
use super::notice::{Arrival, NewRecord, Notice};
use super::phase::{Answer, EventName};
use super::place::{Place, RunEnd};
use super::refusal::{Refused, Why};
use super::{Engine, Holder, Phase, Play, Stage};
use crate::snapshot::{AT_CHECKPOINT, AT_ENTRY, Carried, Run, Stay};

/// The result of a begin.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Begun<G = AnyGame> {
    /// The difficulty of the run; `None` if none are declared.
    pub difficulty: Option<Difficulty<G>>,
    /// How the replaced run ended, if one was in progress.
    pub replaced: Option<RunOver<G>>,
}

/// How a run ended.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct RunOver<G = AnyGame> {
    /// In which way.
    pub end: RunEnd,
    /// The records it beat.
    pub records: Vec<NewRecord<G>>,
    /// Values that were offered to records but are outside their bounds.
    pub refused: Vec<Refused>,
    /// The levels that the end of the run opened.
    pub opened: Vec<Level<G>>,
    /// The unlocks that the end of the run unlocked.
    pub unlocked: Vec<Unlock<G>>,
}

/// The run or level that can be resumed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct ResumePoint<G = AnyGame> {
    /// The level that is being played or was left half-way; `None` is the map.
    pub level: Option<Level<G>>,
    /// The last checkpoint reached in it.
    pub checkpoint: Option<Checkpoint<G>>,
    /// The difficulty of the run; `None` if none are declared.
    pub difficulty: Option<Difficulty<G>>,
}

/// The result of a resume.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Resumed<G = AnyGame> {
    /// The player is on the map.
    Map,
    /// The player is in a level, at this place.
    Playing(Place<G>),
}

impl<G, P: Holder> Play<G, P> {
    /// Begins a run on a difficulty; `None` is the one last chosen. Values are reset as their `on_new_run` says;
    /// records, facts and everything else of profile scope stay.
    ///
    /// # Errors
    /// [`Why::RunUnderWay`] if there is a run already: after confirming with the player, call
    /// [`Play::begin_replacing`].
    pub fn begin(&mut self, difficulty: Option<Difficulty<G>>) -> Result<Begun<G>, Refused> {
        self.engine_mut().begin(difficulty.map(Difficulty::of_any)).map(OfGame::of_game)
    }

    /// Begins a run, replacing one that may be in progress: that one ends first, and its records count.
    pub fn begin_replacing(&mut self, difficulty: Option<Difficulty<G>>) -> Begun<G> {
        self.engine_mut().begin_replacing(difficulty.map(Difficulty::of_any)).of_game()
    }

    /// Returns the difficulty of the run, or the one last chosen; `None` if none are declared.
    #[must_use]
    pub fn difficulty(&self) -> Option<Difficulty<G>> {
        self.engine().difficulty().of_game()
    }

    /// Returns whether a run is in progress or waits at the title.
    #[must_use]
    pub fn has_run(&self) -> bool {
        self.engine().has_run()
    }

    /// Returns what [`Play::resume`] would resume, if anything: at the title a waiting run, on the map a level left
    /// half-way.
    #[must_use]
    pub fn resume_point(&self) -> Option<ResumePoint<G>> {
        self.engine().resume_point().of_game()
    }

    /// Resumes the waiting run at the title, or the level left half-way on the map.
    ///
    /// # Errors
    /// [`Why::NoRun`] at the title without a run, [`Why::NoVisit`] on the map without a level left half-way, else
    /// [`Why::Phase`].
    pub fn resume(&mut self) -> Result<Resumed<G>, Refused> {
        self.engine_mut().resume().map(OfGame::of_game)
    }

    /// Gives up the run. Returns `None` if it is over already.
    ///
    /// # Errors
    /// [`Why::NoRun`] at the title without a waiting run.
    pub fn end_run(&mut self) -> Result<Option<RunOver<G>>, Refused> {
        self.engine_mut().end_run().map(OfGame::of_game)
    }
}

impl Engine {
    pub(crate) fn begin(&mut self, difficulty: Option<Difficulty>) -> Result<Begun, Refused> {
        self.ask(EventName::Begin)?;
        if self.has_run() {
            Err(self.refusal(EventName::Begin, Why::RunUnderWay))
        } else {
            Ok(self.begun(difficulty))
        }
    }

    pub(crate) fn begin_replacing(&mut self, difficulty: Option<Difficulty>) -> Begun {
        self.begun(difficulty)
    }

    fn begun(&mut self, difficulty: Option<Difficulty>) -> Begun {
        let replaced = self.has_run().then(|| self.end(RunEnd::Replaced));
        let chosen =
            difficulty.map(Difficulty::index).filter(|index| *index < self.schema.difficulties.len());
        self.state.difficulty = chosen.or(self.state.difficulty);
        self.state.run = Some(Run { difficulty: self.state.difficulty, visit: None, save_point: None });
        self.runs_begun += 1;
        self.forget_unknown_run();
        self.put_back(|field| field.survival.on_new_run.into(), &Cause::Begin);
        self.forget_copies_of_world(&[AT_ENTRY, AT_CHECKPOINT]);
        self.put_world_back(|kind| kind.on_new_run.into());
        self.stage = Stage::Running;
        self.changed();
        self.signals.arm_all();
        self.put_supposed_for_begin();
        self.forget_told(Again::Run);
        self.forget_told(Again::Level);
        if self.schema.levels.is_empty() {
            self.open_visit(None);
        }
        self.note_rules();
        self.save_at(SaveAt::Begin);
        let difficulty = self.difficulty();
        Begun { difficulty, replaced }
    }

    /// Removes what another build has saved of the run before: the next run starts without it.
    pub(super) fn forget_unknown_run(&mut self) {
        if *self.carried == Carried::default() {
            return;
        }
        let schema = Arc::clone(&self.schema);
        let carried = Arc::make_mut(&mut self.carried);
        let mut kept = std::mem::take(&mut carried.values);
        // What is not known of a value stays with it.
        kept.retain(|cell, _| {
            let is_reset = |field: &FieldDef| field.survival.on_new_run == OnReset::Default;
            *cell >= schema.copied_cells || !schema.field_at(*cell).is_some_and(is_reset)
        });
        carried.with_run_of(&schema, None);
        carried.values = kept;
    }

    /// Removes what another build has saved of a value.
    pub(super) fn forget_unknown_of(&mut self, cell: usize) {
        if self.carried.values.contains_key(&cell) {
            Arc::make_mut(&mut self.carried).values.remove(&cell);
        }
    }

    pub(crate) fn difficulty(&self) -> Option<Difficulty> {
        self.here().difficulty.and_then(|index| self.schema.difficulty_at(index))
    }

    pub(crate) fn has_run(&self) -> bool {
        self.stage != Stage::Over && self.state.run.is_some()
    }

    pub(crate) fn resume_point(&self) -> Option<ResumePoint> {
        let run = self.run()?;
        let visit = run.visit.as_ref().filter(|visit| visit.stay != Stay::Finished);
        match self.phase() {
            Phase::Title => {}
            Phase::Map if visit.is_some() => {}
            _ => return None,
        }
        Some(ResumePoint {
            level: visit.and_then(|visit| self.schema.level_at(visit.level?)),
            checkpoint: visit.and_then(|_| self.checkpoint()),
            difficulty: run.difficulty.and_then(|index| self.schema.difficulty_at(index)),
        })
    }

    pub(crate) fn resume(&mut self) -> Result<Resumed, Refused> {
        self.ask(EventName::Resume)?;
        let phase = self.phase();
        let stay = self.visit().map(|visit| visit.stay);
        let has_visit = matches!(stay, Some(Stay::Playing | Stay::Down | Stay::Left));
        match phase {
            Phase::Title if self.state.run.is_none() => {
                return Err(self.refusal(EventName::Resume, Why::NoRun));
            }
            Phase::Map if !has_visit => return Err(self.refusal(EventName::Resume, Why::NoVisit)),
            _ => {}
        }
        self.stage = Stage::Running;
        self.state.difficulty = self.run().and_then(|run| run.difficulty).or(self.state.difficulty);
        self.supposed.clear();
        self.signals.arm_all();
        if let Some(visit) = self.visit_mut().filter(|_| has_visit) {
            visit.stay = Stay::Playing;
        }
        // The current difficulty may have changed.
        self.note_rules();
        if !has_visit {
            return Ok(Resumed::Map);
        }
        let place = self.current_place();
        self.tell(Notice::Entered { level: place.level, arrival: Arrival::Resumed });
        Ok(Resumed::Playing(place))
    }

    pub(crate) fn end_run(&mut self) -> Result<Option<RunOver>, Refused> {
        match self.ask(EventName::EndRun)? {
            Answer::Ignored => Ok(None),
            _ if self.state.run.is_none() => Err(self.refusal(EventName::EndRun, Why::NoRun)),
            _ => Ok(Some(self.end(RunEnd::GivenUp))),
        }
    }

    /// Ends the run: feeds its records, and leaves its values readable until the next begin.
    pub(super) fn end(&mut self, end: RunEnd) -> RunOver {
        let (records, refused) = self.offer_records(FeedAt::RunEnd, &Cause::RunEnd(end));
        self.stage = Stage::Over;
        self.end_pause();
        if let Some(visit) = self.visit_mut() {
            visit.entry = Arc::default();
            visit.at_checkpoint = None;
        }
        self.state.run.iter_mut().for_each(|run| run.save_point = None);
        self.tell(Notice::RunOver(end));
        let opened = self.moved();
        self.save_at(SaveAt::RunEnd);
        RunOver { end, records, refused, opened: opened.levels, unlocked: opened.unlocks }
    }
}
