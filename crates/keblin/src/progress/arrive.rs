//! Data that arrives while the game is running: reloading a held snapshot, or a slow load completing.

use std::sync::Arc;

use keblin_schema::keep::meet;
use keblin_schema::{Keep, Value};

use super::journal::{Cause, Journal};
use super::notice::Notice;
use super::phase::EventName;
use super::refusal::{Refused, Why};
use super::{Engine, Holder, Play, Stage};
use crate::snapshot::{LevelFacts, Schema, Snapshot, State, Stay};

/// What was changed while the data was on its way, and what is reported only after it arrives.
#[derive(Clone, Debug)]
pub(super) struct Waiting {
    touched: Vec<bool>,
    held_back: Vec<Notice>,
}

impl<G, P: Holder> Play<G, P> {
    /// Returns whether the data has arrived; `false` only between [`Progress::awaiting`](crate::Progress::awaiting)
    /// and [`Play::arrive`].
    #[must_use]
    pub fn is_ready(&self) -> bool {
        self.engine().is_ready()
    }

    /// Applies the loaded data; `None` is a first run. A value that was not changed meanwhile becomes the loaded one.
    /// Records and facts meet by their keep rules. A run begun meanwhile replaces the saved one. Then it delivers the
    /// notices that were held back, and [`Notice::Ready`]. If the data has arrived already, the call has no effect.
    pub fn arrive(&mut self, loaded: Option<Snapshot>) {
        self.engine_mut().arrive(loaded);
    }

    /// Loads a held snapshot, after the player has confirmed: the run is exactly as it was then. What outlives runs
    /// meets its current value by its keep rule; a plain value stays as it is now, and so do settings. So loading
    /// never loses a record, an unlock or a finished level.
    ///
    /// # Errors
    /// [`Why::NotConfirmed`] if `yes` is false.
    pub fn load(&mut self, snapshot: &Snapshot, yes: bool) -> Result<(), Refused> {
        self.engine_mut().load(snapshot, yes)
    }
}

impl Engine {
    pub(crate) fn awaiting(schema: impl Into<Arc<Schema>>) -> Engine {
        let schema = schema.into();
        let state = State::first(&schema);
        let cells = state.cells.len();
        let mut progress = Engine::at_title(schema, state, Arc::default(), Notice::FirstRun);
        (progress.notices, progress.dropped) = Default::default();
        progress.state.told.fill(false);
        progress.waiting = Some(Waiting { touched: vec![false; cells], held_back: Vec::new() });
        progress
    }

    pub(crate) fn is_ready(&self) -> bool {
        self.waiting.is_none()
    }

    pub(crate) fn arrive(&mut self, loaded: Option<Snapshot>) {
        let Some(Waiting { touched, held_back }) = self.waiting.take() else { return };
        match loaded {
            None => self.tell(Notice::FirstRun),
            Some(snapshot) => {
                let loaded = Engine::restored(snapshot);
                let begun = self.stage != Stage::Title;
                let (played, mut facts) = (self.state.played, self.state.facts.clone().into_iter());
                self.take_in(&loaded.state, |progress, cell, value| {
                    let of_run = cell < progress.schema.copied_cells;
                    let untouched = touched.get(cell) == Some(&false);
                    if of_run && begun {
                        return None;
                    }
                    let held = progress.value_at(cell);
                    let keep = progress.schema.cell_owner(cell).map_or(Keep::Latest, |(field, _)| field.keep);
                    match (untouched, keep) {
                        (true, _) => Some(value.clone()),
                        // Sums that grew meanwhile are added to the loaded ones.
                        (false, Keep::Sum) => value.plus(held).map(|(sum, _)| sum),
                        (false, Keep::Latest) => None,
                        (false, keep) => meet(keep, held, value),
                    }
                });
                // Counts made meanwhile are added.
                self.state.played = loaded.state.played.saturating_add(played);
                self.put_facts(&loaded.state.facts, |held, saved| {
                    let meanwhile = facts.next().unwrap_or_default();
                    LevelFacts {
                        attempts: saved.attempts.saturating_add(meanwhile.attempts),
                        deaths: saved.deaths.saturating_add(meanwhile.deaths),
                        ..held
                    }
                });
                if !begun {
                    self.state.run.clone_from(&loaded.state.run);
                    self.state.difficulty = loaded.state.difficulty;
                }
                self.carried = loaded.carried;
                if !begun {
                    self.areas = loaded.areas;
                }
                self.tell(Notice::Restored);
            }
        }
        self.clamp_all();
        self.note_rules();
        for notice in held_back {
            self.tell_if_true(notice);
        }
        self.tell(Notice::Ready);
    }

    pub(crate) fn load(&mut self, snapshot: &Snapshot, yes: bool) -> Result<(), Refused> {
        if !yes {
            let would = if self.has_run() { vec!["the run in progress".to_string()] } else { Vec::new() };
            return Err(self.refusal(EventName::Load, Why::NotConfirmed { would }));
        }
        let saved = &snapshot.state;
        self.take_in(saved, |progress, cell, value| {
            let (field, _) = progress.schema.cell_owner(cell)?;
            match field.keep {
                _ if cell < progress.schema.copied_cells => Some(value.clone()),
                _ if cell >= progress.schema.saved_cells => None,
                Keep::Latest => None,
                keep => meet(keep, progress.value_at(cell), value),
            }
        });
        self.state.run.clone_from(&saved.run);
        self.areas = Arc::clone(&snapshot.areas);
        let in_run = saved.run.as_ref().is_some_and(|run| run.visit.is_some());
        self.stage = if in_run { Stage::Running } else { Stage::Title };
        self.state.difficulty = saved.run.as_ref().and_then(|run| run.difficulty).or(self.state.difficulty);
        if let Some(visit) = self.visit_mut().filter(|visit| visit.stay == Stay::Down) {
            visit.stay = Stay::Playing;
        }
        self.supposed.clear();
        self.signals.arm_all();
        self.clamp_all();
        self.journal = Journal::default();
        self.note_rules();
        self.tell(Notice::Restored);
        Ok(())
    }

    /// Takes over what another copy of the game saved to the same slot. Records, facts and unlocks meet by their keep
    /// rules; plain values, the run and settings stay. Delivers [`Notice::Reconciled`].
    pub(crate) fn reconcile(&mut self, theirs: &Snapshot) {
        self.take_in(&theirs.state, |progress, cell, value| {
            let (field, _) = progress.schema.cell_owner(cell)?;
            let of_profile = (progress.schema.copied_cells..progress.schema.saved_cells).contains(&cell);
            let meets = of_profile && field.keep != Keep::Latest;
            meets.then(|| meet(field.keep, progress.value_at(cell), value))?
        });
        Arc::make_mut(&mut self.carried).join(&theirs.carried);
        self.clamp_all();
        self.note_rules();
        self.tell(Notice::Reconciled);
    }

    /// Takes over values by a rule, and facts, furthest level, unlocks and moments by theirs.
    fn take_in(&mut self, from: &State, rule: impl Fn(&Engine, usize, &Value) -> Option<Value>) {
        for (cell, value) in from.cells.iter().enumerate() {
            if let Some(value) = rule(self, cell, value) {
                self.put(cell, value, &Cause::Load);
            }
        }
        self.put_facts(&from.facts, best);
        self.state.furthest = self.state.furthest.max(from.furthest);
        self.state.played = self.state.played.max(from.played);
        for (held, saved) in self.state.latched.iter_mut().zip(&from.latched) {
            *held |= *saved;
        }
        for (held, saved) in self.state.told.iter_mut().zip(&from.told) {
            *held |= *saved;
        }
    }

    /// Notes that a value was changed while the data was on its way.
    #[inline]
    pub(super) fn touched(&mut self, cell: usize) {
        if let Some(waiting) = &mut self.waiting {
            waiting.touched.get_mut(cell).into_iter().for_each(|touched| *touched = true);
        }
    }

    /// Holds back a notice that may not be true once the data arrives.
    pub(super) fn hold_back(&mut self, notice: Notice) -> Option<Notice> {
        match (&mut self.waiting, &notice) {
            (
                Some(waiting),
                Notice::NewRecord(_) | Notice::Placed(_) | Notice::Opened { .. } | Notice::Unlocked(_),
            ) => {
                waiting.held_back.push(notice);
                None
            }
            _ => Some(notice),
        }
    }

    /// Delivers a notice that was held back, if it is still news.
    fn tell_if_true(&mut self, notice: Notice) {
        let news = match &notice {
            Notice::NewRecord(record) | Notice::Placed(record) => {
                let field = self.schema.field_named(record.field.as_str());
                let cell = field.and_then(|(_, field)| self.schema.cell(field, record.at));
                cell.is_some_and(|cell| *self.value_at(cell + record.place - 1) == record.now)
            }
            _ => true,
        };
        if news {
            self.tell(notice);
        }
    }
}

/// Combines facts: finished stays, the better rating stays, and the higher counts stay.
fn best(held: LevelFacts, saved: LevelFacts) -> LevelFacts {
    LevelFacts {
        finished: held.finished || saved.finished,
        stars: held.stars.max(saved.stars),
        collected: held.collected | saved.collected,
        attempts: held.attempts.max(saved.attempts),
        deaths: held.deaths.max(saved.deaths),
    }
}
