//! Runs: begin, resume, end. A run ends in four ways, and each offers the records of `run_end` once, on the values as
//! they were, before anything is reset.

use std::sync::Arc;

use keblin_schema::model::{Again, RecordAt, SaveAt};
use keblin_schema::{AnyGame, Checkpoint, Difficulty, Level, OfGame, Unlock};

use super::journal::Cause;
use super::notice::{Arrival, NewRecord, Notice};
use super::phase::{Answer, EventName};
use super::place::{Place, RunEnd};
use super::refusal::{Refused, Why};
use super::{Engine, Holder, Phase, Play, Stage};
use crate::snapshot::{Run, Stay};

/// What a begin did.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Begun<G = AnyGame> {
    /// The difficulty of the run; `None` where none are declared.
    pub difficulty: Option<Difficulty<G>>,
    /// How the run ended that was under way.
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
    /// Values that were offered as records and lie outside their bounds.
    pub refused: Vec<Refused>,
    /// The levels that a record opened.
    pub opened: Vec<Level<G>>,
    /// The unlocks that a record gave.
    pub unlocked: Vec<Unlock<G>>,
}

/// What can be gone on with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct ResumePoint<G = AnyGame> {
    /// The level that is open or was left half-way; `None` is the map.
    pub level: Option<Level<G>>,
    /// The checkpoint reached in it.
    pub checkpoint: Option<Checkpoint<G>>,
    /// The difficulty of the run; `None` where none are declared.
    pub difficulty: Option<Difficulty<G>>,
}

/// What a resume did.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Resumed<G = AnyGame> {
    /// The player is on the map.
    Map,
    /// The player is in a level, at this place.
    Playing(Place<G>),
}

impl<G, P: Holder> Play<G, P> {
    /// Begins a run on a difficulty; `None` is the one last chosen. Values go back to their defaults as their
    /// `on_new_run` says; records, facts and everything else of profile scope stay.
    ///
    /// # Errors
    /// [`Why::RunUnderWay`] if there is a run already: ask the player, then call [`Play::begin_replacing`].
    pub fn begin(&mut self, difficulty: Option<Difficulty<G>>) -> Result<Begun<G>, Refused> {
        self.engine_mut().begin(difficulty.map(Difficulty::of_any)).map(OfGame::of_game)
    }

    /// Begins a run, in place of one that may be under way: that one ends first, and its records count.
    pub fn begin_replacing(&mut self, difficulty: Option<Difficulty<G>>) -> Begun<G> {
        self.engine_mut().begin_replacing(difficulty.map(Difficulty::of_any)).of_game()
    }

    /// The difficulty of the run, or the one last chosen; `None` where none are declared.
    #[must_use]
    pub fn difficulty(&self) -> Option<Difficulty<G>> {
        self.engine().difficulty().of_game()
    }

    /// Whether a run is under way or waits at the title.
    #[must_use]
    pub fn has_run(&self) -> bool {
        self.engine().has_run()
    }

    /// What [`Play::resume`] would go on with, if anything: at the title a waiting run, on the map a level left
    /// half-way.
    #[must_use]
    pub fn resume_point(&self) -> Option<ResumePoint<G>> {
        self.engine().resume_point().of_game()
    }

    /// Goes on: at the title with the waiting run, on the map with the level left half-way.
    ///
    /// # Errors
    /// [`Why::NoRun`] at the title without a run, [`Why::NoVisit`] on the map without a level left half-way, else
    /// [`Why::Phase`].
    pub fn resume(&mut self) -> Result<Resumed<G>, Refused> {
        self.engine_mut().resume().map(OfGame::of_game)
    }

    /// Gives the run up. `None` after a run.
    ///
    /// # Errors
    /// [`Why::NoRun`] at the title without a waiting run.
    pub fn end_run(&mut self) -> Result<Option<RunOver<G>>, Refused> {
        self.engine_mut().end_run().map(OfGame::of_game)
    }
}

impl Engine {
    pub(crate) fn begin(&mut self, difficulty: Option<Difficulty>) -> Result<Begun, Refused> {
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
        self.state.run = Some(Run { difficulty: self.state.difficulty, visit: None });
        // A difficulty of another build was kept until there is one chosen here.
        if self.carried.difficulty.is_some() || self.carried.run_difficulty.is_some() {
            let carried = Arc::make_mut(&mut self.carried);
            (carried.difficulty, carried.run_difficulty) = (None, None);
        }
        self.put_back(|field| field.survival.on_new_run.into(), &Cause::Begin);
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
        // The difficulty in question may be another one now.
        self.note_rules();
        if !has_visit {
            return Ok(Resumed::Map);
        }
        let place = self.place();
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

    /// Ends the run: offers its records, leaves its values to be read until the next begin.
    pub(super) fn end(&mut self, end: RunEnd) -> RunOver {
        let (records, refused) = self.offer_records(RecordAt::RunEnd, &Cause::RunEnd(end));
        self.stage = Stage::Over;
        if let Some(visit) = self.visit_mut() {
            visit.entry = Arc::default();
            visit.at_checkpoint = None;
        }
        self.tell(Notice::RunOver(end));
        let opened = self.moved();
        self.save_at(SaveAt::RunEnd);
        RunOver { end, records, refused, opened: opened.levels, unlocked: opened.unlocks }
    }
}
