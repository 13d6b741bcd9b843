//! Visits: enter, retry, finish, leave, and the passing of time. A visit owns the values of level scope, the
//! checkpoint, and the copies that a death or a retry restores.

use std::sync::Arc;
use std::time::Duration;

use keblin_model::model::{AfterLast, Again, FeedAt, FieldDef, OnRetry, SaveAt};
use keblin_model::{AnyGame, Difficulty, Level, Name, OfGame, Time, Unlock};

use super::journal::Cause;
use super::notice::{Arrival, NewRecord, Notice};
use super::phase::{Answer, EventName};
use super::place::{Place, RunEnd};
use super::refusal::{Refused, Why};
use super::run::RunOver;
use super::standing::Standing;
use super::{Engine, Holder, Origin, Phase, Play};
use crate::broken::Broken;
use crate::snapshot::{AT_ENTRY, State, Stay, Visit};

/// The result of an enter or a retry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Entered<G = AnyGame> {
    /// The level; `None` in a game without levels.
    pub level: Option<Level<G>>,
    /// How often it was entered or restarted, including this time; 0 in a game without levels.
    pub attempt: u64,
}

/// The result of a finish.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Finished<G = AnyGame> {
    /// The level; `None` in a game without levels.
    pub level: Option<Level<G>>,
    /// The difficulty it was finished on; `None` if none are declared.
    pub difficulty: Option<Difficulty<G>>,
    /// The best rating before.
    pub stars_before: u8,
    /// The best rating now.
    pub stars: u8,
    /// The records it beat.
    pub records: Vec<NewRecord<G>>,
    /// A rating or a record outside its bounds; the finish still counts.
    pub refused: Vec<Refused>,
    /// The level's stars one by one, if rules decide them: whether each was earned in this attempt, and why not.
    pub star_rules: Vec<StarHeld<G>>,
    /// The levels it opened.
    pub opened: Vec<Level<G>>,
    /// The unlocks it unlocked.
    pub unlocked: Vec<Unlock<G>>,
    /// The next level: the next one in order that counts, or the first open one of those that the level names; `None`
    /// after the last.
    pub next: Option<Next<G>>,
    /// All levels that may come next, the open ones first: several where the way branches.
    pub all_next: Vec<Next<G>>,
    /// How the run ended, if this was its last level.
    pub run_over: Option<RunOver<G>>,
}

/// Whether a star was earned in an attempt.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct StarHeld<G = AnyGame> {
    /// Its id, if the declaration gives it one.
    pub id: Option<Name>,
    /// Whether it was earned.
    pub held: bool,
    /// Its rule, part by part, at the finish.
    pub parts: Vec<Standing<G>>,
}

/// The next level in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Next<G = AnyGame> {
    /// The level.
    pub level: Level<G>,
    /// Whether it can be entered.
    pub open: bool,
}

impl<G, P: Holder> Play<G, P> {
    /// Enters a level from its start: values are reset as their `on_level` says, then the entry copy is taken. A
    /// visit to another level ends without being finished.
    ///
    /// # Errors
    /// [`Why::Locked`] with the level that must be finished first; [`Why::SameLevel`] if it is being played already;
    /// [`Why::Phase`] outside a run, after a death and after a run.
    ///
    /// # Panics
    /// If the level was looked up in a schema with more levels.
    pub fn enter(&mut self, level: Level<G>) -> Result<Entered<G>, Refused> {
        self.engine_mut().enter(level.of_any()).map(OfGame::of_game)
    }

    /// Restarts the level: values are reset as their `on_retry` says, and the checkpoint is forgotten.
    ///
    /// # Errors
    /// [`Why::NoVisit`] on the map without a level left half-way; [`Why::Phase`] outside a run and after one.
    pub fn retry(&mut self) -> Result<Entered<G>, Refused> {
        self.engine_mut().retry().map(OfGame::of_game)
    }

    /// Finishes the level. Stars that rules decide are evaluated here, with the current values; otherwise it is
    /// finished without a rating. Returns `None` if the visit is finished already.
    ///
    /// # Errors
    /// [`Why::Phase`] if no level is being played.
    pub fn finish(&mut self) -> Result<Option<Finished<G>>, Refused> {
        self.engine_mut().finish().map(OfGame::of_game)
    }

    /// Finishes the level with a rating of `stars`, if the game decides the rating. The best rating is kept. A rating
    /// outside the declared range, or for a level whose rules decide the stars, is reported in [`Finished::refused`],
    /// and the finish still counts. Returns `None` if the visit is finished already.
    ///
    /// # Errors
    /// [`Why::Phase`] if no level is being played.
    pub fn finish_with_stars(&mut self, stars: i64) -> Result<Option<Finished<G>>, Refused> {
        self.engine_mut().finish_with_stars(stars).map(OfGame::of_game)
    }

    /// Leaves the level for the map; its visit can be resumed. Returns `false` if there is no visit to leave.
    ///
    /// # Errors
    /// [`Why::Phase`] at the title.
    pub fn leave(&mut self) -> Result<bool, Refused> {
        self.engine_mut().leave()
    }

    /// Stops all clocks, as for a loading screen, or restarts them. A pause ends with the visit: when the level is
    /// finished or left for the map or another level, and when the run ends. Not saved.
    pub fn pause(&mut self, on: bool) {
        self.engine_mut().pause(on);
    }

    /// Returns whether the clocks are stopped.
    #[must_use]
    pub fn is_paused(&self) -> bool {
        self.engine().is_paused()
    }

    /// Returns the level that is being played, was left half-way or was finished last in this run; `None` if there is
    /// none.
    #[must_use]
    pub fn level(&self) -> Option<Level<G>> {
        self.engine().level().of_game()
    }

    /// Returns where a death or a resume leads to: the last checkpoint, else the start of the level. With
    /// `checkpoint_lasts = "run"` the last checkpoint may be in another level.
    #[must_use]
    pub fn place(&self) -> Place<G> {
        self.engine().place().of_game()
    }
}

impl Engine {
    pub(crate) fn tick(&mut self, elapsed: Duration) {
        let in_play = self.phase() == Phase::Playing && !self.paused;
        self.signals.frame_ends(in_play);
        self.waited(Time::from(elapsed));
        if !in_play {
            self.report_too_early();
            return;
        }
        let elapsed = Time::from(elapsed);
        self.state.played = self.state.played.saturating_add(elapsed);
        for clock in 0..self.schema.clock_cells.len() {
            if let Some(cell) = self.schema.clock_cells.get(clock) {
                self.advance_clock(*cell, elapsed);
            }
        }
        self.rules.time_passed(&self.schema);
        self.settle();
        self.played_on(elapsed);
    }

    pub(crate) fn tick_secs(&mut self, elapsed: f64) {
        let nanos = elapsed * 1e9 + self.rest_nanos;
        let whole = if nanos.is_finite() { nanos.round().clamp(0.0, 1e18) } else { 0.0 };
        self.rest_nanos = if nanos.is_finite() { (nanos - whole).clamp(-0.5, 0.5) } else { 0.0 };
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "clamped to whole numbers that fit"
        )]
        self.tick(Duration::from_nanos(whole as u64));
    }

    pub(crate) fn enter(&mut self, level: Level) -> Result<Entered, Refused> {
        self.ask(EventName::Enter)?;
        let index = self.known(level);
        let current = self.visit().and_then(|visit| visit.level);
        if self.phase() == Phase::Playing && current == Some(index) {
            return Err(self.refusal(EventName::Enter, Why::SameLevel { level: self.level_name(index) }));
        }
        if let Some(locked) = self.locked(index).filter(|_| !Broken::LockNotAsked.is()) {
            return Err(self.refusal(EventName::Enter, locked));
        }
        match self.phase() {
            Phase::Map => self.signals.arm_all(),
            // A pause on the map is a loading screen for this level, and lasts.
            _ => self.end_pause(),
        }
        self.covered();
        let entered = self.open_visit(Some(level));
        self.covers();
        self.moved();
        self.save_at(SaveAt::Enter);
        Ok(entered)
    }

    pub(super) fn open_visit(&mut self, level: Option<Level>) -> Entered {
        self.put_back(|field| field.survival.on_level.into(), &Cause::Enter);
        self.put_supposed_for_enter();
        // Copied values are within their bounds.
        self.hold_bounds();
        self.forget_told(Again::Level);
        self.keep_save_point();
        let index = level.map(Level::index);
        let entry = match Broken::EntryNotCopied.is() {
            true => Arc::from(State::first_cells(&self.schema)),
            false => self.state.copy(&self.schema),
        };
        self.forget_copies_of_world(&[AT_ENTRY]);
        if let Some(run) = &mut self.state.run {
            run.visit = Some(Visit {
                level: index,
                stay: Stay::Playing,
                checkpoint: None,
                entry,
                at_checkpoint: None,
            });
        }
        self.forget_checkpoint_of_world();
        let counted = index.filter(|index| self.schema.levels.get(*index).is_some_and(|level| level.counted));
        self.state.furthest = self.state.furthest.max(counted);
        self.tell(Notice::Entered { level, arrival: Arrival::Afresh });
        Entered { level, attempt: self.count_attempt(&Cause::Enter) }
    }

    pub(crate) fn retry(&mut self) -> Result<Entered, Refused> {
        self.ask(EventName::Retry)?;
        if self.phase() == Phase::Map && self.visit().is_none_or(|visit| visit.stay != Stay::Left) {
            return Err(self.refusal(EventName::Retry, Why::NoVisit));
        }
        self.back_to_start(Stay::Playing, &Cause::Retry);
        let level = self.level();
        self.tell(Notice::Entered { level, arrival: Arrival::Retried });
        let attempt = self.count_attempt(&Cause::Retry);
        self.rules.quiet = true;
        self.moved();
        self.rules.quiet = false;
        self.save_at(SaveAt::Retry);
        Ok(Entered { level, attempt })
    }

    /// Resets the visit to the level's start by `on_retry`.
    pub(super) fn back_to_start(&mut self, stay: Stay, cause: &Cause) {
        let origin = |word| match word {
            OnRetry::Stays => Origin::Live,
            OnRetry::Entry => Origin::Entry,
            OnRetry::Default => Origin::Default,
        };
        let word = |field: &FieldDef| match Broken::RetryResets.is() {
            true => OnRetry::Default,
            false => field.survival.on_retry,
        };
        self.put_back(|field| origin(word(field)), cause);
        self.put_world_back(|kind| origin(kind.on_retry));
        self.keep_save_point();
        if let Some(visit) = self.visit_mut() {
            visit.stay = stay;
            visit.checkpoint = None;
            visit.at_checkpoint = None;
        }
        self.forget_checkpoint_of_world();
        self.forget_told(Again::Level);
    }

    pub(crate) fn finish(&mut self) -> Result<Option<Finished>, Refused> {
        self.finish_rated(None)
    }

    pub(crate) fn finish_with_stars(&mut self, stars: i64) -> Result<Option<Finished>, Refused> {
        self.finish_rated(Some(stars))
    }

    fn finish_rated(&mut self, stars: Option<i64>) -> Result<Option<Finished>, Refused> {
        if self.ask(EventName::Finish)? == Answer::Depends {
            let finished = self.visit().is_some_and(|visit| visit.stay == Stay::Finished);
            return if finished { Ok(None) } else { Err(self.not_now(EventName::Finish)) };
        }
        let here = self.here();
        let mut refused = Vec::new();
        let star_rules = self.hold_stars();
        let (stars_before, stars) = self.note_finished(stars, &star_rules, &mut refused);
        let (records, records_refused) = self.offer_records(FeedAt::Finish, &Cause::Finish);
        refused.extend(records_refused);
        self.keep_save_point();
        if let Some(visit) = self.visit_mut() {
            visit.stay = Stay::Finished;
            visit.entry = Arc::default();
            visit.at_checkpoint = None;
        }
        self.end_pause();
        let level = self.level();
        self.tell(Notice::Finished { level, stars });
        let opened = self.moved();
        self.reach_furthest();
        let next = here.level.map_or_else(Vec::new, |level| self.next_levels(level, here.difficulty));
        let counts = here.level.and_then(|level| self.schema.levels.get(level)).is_none_or(|def| def.counted);
        let ends = next.is_empty()
            && counts
            && (here.level.is_none() || self.schema.after_last == AfterLast::EndRun);
        self.save_at(SaveAt::Finish);
        let run_over = ends.then(|| self.end(RunEnd::LastLevel));
        let difficulty = here.difficulty.and_then(|index| self.schema.difficulty_at(index));
        Ok(Some(Finished {
            level,
            difficulty,
            stars_before,
            stars,
            star_rules,
            records,
            refused,
            opened: opened.levels,
            unlocked: opened.unlocks,
            next: next.first().copied(),
            all_next: next,
            run_over,
        }))
    }

    pub(crate) fn leave(&mut self) -> Result<bool, Refused> {
        if self.ask(EventName::Leave)? == Answer::Ignored {
            return Ok(false);
        }
        if let Some(visit) = self.visit_mut() {
            visit.stay = Stay::Left;
        }
        self.end_pause();
        self.moved();
        self.save_at(SaveAt::Leave);
        Ok(true)
    }

    pub(crate) fn pause(&mut self, on: bool) {
        self.paused = on;
        self.changed();
    }

    /// Ends a pause with its visit or run.
    pub(super) fn end_pause(&mut self) {
        if std::mem::take(&mut self.paused) {
            log::debug!("{}: the game was still paused; the pause ended with its level", self.schema.game);
        }
    }

    pub(crate) fn is_paused(&self) -> bool {
        self.paused
    }

    pub(crate) fn level(&self) -> Option<Level> {
        self.schema.level_at(self.visit()?.level?)
    }

    pub(crate) fn place(&self) -> Place {
        self.place_of_save_point().unwrap_or_else(|| self.current_place())
    }

    /// Returns where the player is: the level of the visit, and the checkpoint reached in it.
    pub(super) fn current_place(&self) -> Place {
        Place { level: self.level(), checkpoint: self.checkpoint() }
    }
}
