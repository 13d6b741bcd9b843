//! Data that arrives while the game is running: reloading a held snapshot, or a slow load completing.

use std::slice::from_ref;
use std::sync::Arc;

use keblin_schema::keep::meet_all;
use keblin_schema::model::{FieldDef, OnReset, SaveAt, Scope};
use keblin_schema::{Keep, Value};

use super::journal::{Cause, Journal};
use super::notice::Notice;
use super::phase::EventName;
use super::place::RunEnd;
use super::refusal::{Refused, Why};
use super::{Engine, Holder, Play, Stage};
use crate::snapshot::{LevelFacts, Schema, Snapshot, State, Stay};

/// What was changed while the data was on its way, and what is reported only after it arrives.
#[derive(Clone, Debug)]
pub(super) struct Waiting {
    changed: Vec<Meanwhile>,
    held_back: Vec<Notice>,
}

/// What the game did with a value while the data was on its way.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Meanwhile {
    #[default]
    Nothing,
    /// It only added and spent, which counts on top of what arrives.
    Added,
    Set,
}

impl<G, P: Holder> Play<G, P> {
    /// Returns whether the data has arrived; `false` only between [`Progress::awaiting`](crate::Progress::awaiting)
    /// and [`Play::arrive`].
    #[must_use]
    pub fn is_ready(&self) -> bool {
        self.engine().is_ready()
    }

    /// Applies the loaded data; `None` is a first run. A value that was not changed meanwhile becomes the loaded one.
    /// What was added or spent meanwhile is added to the loaded value; a value that was set stays. Records and facts
    /// meet by their keep rules. A run that was begun meanwhile replaces the saved one, which ends and feeds its
    /// records. Then the call delivers the notices that were held back, and [`Notice::Ready`]. If the data has arrived
    /// already, the call has no effect.
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
        progress.waiting = Some(Waiting { changed: vec![Meanwhile::Nothing; cells], held_back: Vec::new() });
        progress
    }

    pub(crate) fn is_ready(&self) -> bool {
        self.waiting.is_none()
    }

    pub(crate) fn arrive(&mut self, loaded: Option<Snapshot>) {
        let Some(Waiting { changed, mut held_back }) = self.waiting.take() else { return };
        match loaded {
            None => self.tell(Notice::FirstRun),
            Some(snapshot) => {
                let mut loaded = Engine::restored(snapshot);
                let begun = self.stage != Stage::Title;
                if begun && loaded.has_run() {
                    loaded.notices.clear();
                    loaded.end(RunEnd::Replaced);
                    held_back.extend(loaded.notices.drain(..));
                    self.save_at(SaveAt::RunEnd);
                }
                self.take_in_late(&loaded, &changed, begun);
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

    /// Takes over what was saved, with what was played meanwhile on top of it.
    fn take_in_late(&mut self, loaded: &Engine, changed: &[Meanwhile], begun: bool) {
        let first = State::first(&self.schema);
        let is_taken = |field: &FieldDef| {
            !begun || !field.scope.is_of_run() || field.survival.on_new_run == OnReset::Stays
        };
        self.take_in(&loaded.state, Some(&first), |progress, field, cell, theirs| {
            let ours = progress.table_at(field, cell);
            let base = first.cells.get(cell..cell + ours.len());
            let changed = changed.get(cell).copied().unwrap_or_default();
            match field.keep {
                _ if !is_taken(field) => ours.to_vec(),
                Keep::Latest => match (changed, base) {
                    (Meanwhile::Nothing, _) => theirs.to_vec(),
                    (Meanwhile::Added, Some(base)) => meet_all(Keep::Sum, ours, theirs, Some(base)),
                    _ => ours.to_vec(),
                },
                keep => meet_all(keep, ours, theirs, base),
            }
        });
        self.take_in_copies(&loaded.state, &first.cells, |field| field.scope.is_of_run() && is_taken(field));
        if !begun {
            self.state.run.clone_from(&loaded.state.run);
            self.state.difficulty = loaded.state.difficulty;
            self.areas = Arc::clone(&loaded.areas);
        }
        self.carried = Arc::clone(&loaded.carried);
    }

    /// Adds what was saved to the copies of a visit that was entered meanwhile.
    fn take_in_copies(&mut self, saved: &State, first: &[Value], is_taken: impl Fn(&FieldDef) -> bool) {
        let schema = Arc::clone(&self.schema);
        let taken: Vec<bool> =
            (0..schema.copied_cells).map(|cell| schema.field_at(cell).is_some_and(&is_taken)).collect();
        let Some(visit) = self.visit_mut() else { return };
        let copies = std::iter::once(&mut visit.entry).chain(visit.at_checkpoint.as_mut());
        for copy in copies.filter(|copy| !copy.is_empty()) {
            let with_saved = |(cell, ours): (usize, &Value)| match (saved.cells.get(cell), first.get(cell)) {
                (Some(theirs), Some(_)) if taken.get(cell) == Some(&true) => {
                    let sum = meet_all(Keep::Sum, from_ref(ours), from_ref(theirs), first.get(cell..=cell));
                    sum.into_iter().next().unwrap_or_else(|| ours.clone())
                }
                _ => ours.clone(),
            };
            *copy = copy.iter().enumerate().map(with_saved).collect();
        }
    }

    pub(crate) fn load(&mut self, snapshot: &Snapshot, yes: bool) -> Result<(), Refused> {
        if !yes {
            let would = if self.has_run() { vec!["the run in progress".to_string()] } else { Vec::new() };
            return Err(self.refusal(EventName::Load, Why::NotConfirmed { would }));
        }
        let saved = &snapshot.state;
        self.take_in(saved, None, |progress, field, cell, theirs| {
            let ours = progress.table_at(field, cell);
            match field.scope {
                scope if scope.is_of_run() => theirs.to_vec(),
                Scope::Profile => meet_all(field.keep, ours, theirs, None),
                _ => ours.to_vec(),
            }
        });
        self.state.run.clone_from(&saved.run);
        self.areas = Arc::clone(&snapshot.areas);
        let in_run = saved.run.as_ref().is_some_and(|run| run.visit.is_some());
        self.stage = if in_run { Stage::Running } else { Stage::Title };
        self.paused = false;
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

    /// Takes over what another copy of the game saved to the same slot. `base` is what both had before they diverged, if
    /// a file still holds it. Records, facts and unlocks meet by their keep rules; with `base`, sums and counts are what
    /// both gained, and a plain value that this copy did not change is theirs. Otherwise plain values stay, and the run
    /// and settings always do. Delivers [`Notice::Reconciled`].
    pub(crate) fn reconcile(&mut self, theirs: &Snapshot, base: Option<&Snapshot>) {
        let base = base.map(|base| &base.state);
        self.take_in(&theirs.state, base, |progress, field, cell, theirs| {
            let ours = progress.table_at(field, cell);
            let base = base.and_then(|base| base.cells.get(cell..cell + ours.len()));
            match field.scope {
                Scope::Profile if field.keep == Keep::Latest && base == Some(ours) => theirs.to_vec(),
                Scope::Profile => meet_all(field.keep, ours, theirs, base),
                _ => ours.to_vec(),
            }
        });
        Arc::make_mut(&mut self.carried).join(&theirs.carried);
        self.clamp_all();
        self.note_rules();
        self.tell(Notice::Reconciled);
    }

    /// Takes over values by a rule, table by table, and facts, furthest level, unlocks and moments by theirs. `base` is
    /// what both had before they diverged, if that is known.
    fn take_in(
        &mut self,
        from: &State,
        base: Option<&State>,
        rule: impl Fn(&Engine, &FieldDef, usize, &[Value]) -> Vec<Value>,
    ) {
        let schema = Arc::clone(&self.schema);
        for field in &schema.fields {
            for first in field.cells.clone().step_by(field.places) {
                let Some(theirs) = from.cells.get(first..first + field.places) else { continue };
                for (cell, value) in (first..).zip(rule(self, field, first, theirs)) {
                    self.put(cell, value, &Cause::Load);
                }
            }
        }
        let mut common = base.map(|base| base.facts.iter());
        self.put_facts(&from.facts, |ours, theirs| {
            let base = common.as_mut().map(|common| common.next().copied().unwrap_or_default());
            best(ours, theirs, base)
        });
        self.state.furthest = self.state.furthest.max(from.furthest);
        self.state.played = match base {
            Some(base) => self.state.played + (from.played - base.played),
            None => self.state.played.max(from.played),
        };
        for (held, saved) in self.state.latched.iter_mut().zip(&from.latched) {
            *held |= *saved;
        }
        for (held, saved) in self.state.told.iter_mut().zip(&from.told) {
            *held |= *saved;
        }
    }

    /// Returns the values of a field from a cell on: its table of best values, or its one value.
    fn table_at(&self, field: &FieldDef, cell: usize) -> &[Value] {
        self.state.cells.get(cell..cell + field.places).unwrap_or_default()
    }

    /// Notes that a value was changed while the data was on its way. Bounds that move a value do not count.
    #[inline]
    pub(super) fn changed_meanwhile(&mut self, cell: usize, cause: &Cause) {
        let Some(waiting) = &mut self.waiting else { return };
        let Some(changed) = waiting.changed.get_mut(cell) else { return };
        *changed = match cause {
            Cause::Bound | Cause::Load => *changed,
            Cause::Add(_) | Cause::Spend(_) if *changed != Meanwhile::Set => Meanwhile::Added,
            _ => Meanwhile::Set,
        };
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

/// Combines facts: finished stays, the better rating stays, and counts meet like sums.
fn best(ours: LevelFacts, theirs: LevelFacts, base: Option<LevelFacts>) -> LevelFacts {
    let count = |of: fn(&LevelFacts) -> u64| match &base {
        Some(base) => of(&ours).saturating_add(of(&theirs).saturating_sub(of(base))),
        None => of(&ours).max(of(&theirs)),
    };
    LevelFacts {
        finished: ours.finished || theirs.finished,
        stars: ours.stars.max(theirs.stars),
        collected: ours.collected | theirs.collected,
        attempts: count(|facts| facts.attempts),
        deaths: count(|facts| facts.deaths),
    }
}
