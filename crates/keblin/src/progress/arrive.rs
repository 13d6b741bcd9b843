//! Data that arrives while the game is running: reloading a held snapshot, or a slow load completing.

use std::ops::Range;
use std::slice::from_ref;
use std::sync::Arc;

use keblin_model::keep::meet_all;
use keblin_model::model::{Again, FieldDef, OnReset, SaveAt, Scope};
use keblin_model::{Keep, Value};

use super::journal::{Cause, Journal};
use super::meeting::{By, Meeting, Side};
use super::notice::Notice;
use super::phase::EventName;
use super::place::RunEnd;
use super::refusal::{Refused, Why};
use super::{Engine, Holder, Play, Stage};
use crate::snapshot::{AREA, Areas, Carried, Run, Schema, Snapshot, State, Stay, Visit};

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
        let run = if begun { Side::Ours } else { Side::Theirs };
        let is_taken = |field: &FieldDef| {
            !begun || !field.scope.is_of_run() || field.survival.on_new_run == OnReset::Stays
        };
        let schema = Arc::clone(&self.schema);
        let (ours, theirs) = (&self.state, &loaded.state);
        let meeting = Meeting { schema: &schema, ours, theirs, base: Some(&first), run };
        let met =
            meeting.state(|field, cell| match (field.keep, changed.get(cell).copied().unwrap_or_default()) {
                _ if !is_taken(field) => By::Side(Side::Ours),
                (Keep::Latest, Meanwhile::Nothing) => By::Side(Side::Theirs),
                (Keep::Latest, Meanwhile::Added) => By::Gain,
                (Keep::Latest, Meanwhile::Set) => By::Side(Side::Ours),
                _ => By::Rule,
            });
        self.take_over(met, run);
        self.take_in_copies(&loaded.state, &first.cells, |field| field.scope.is_of_run() && is_taken(field));
        self.carried = Arc::clone(&loaded.carried);
        self.title = self.title.take().or_else(|| loaded.title.clone());
        match run {
            Side::Ours => self.forget_unknown_run(),
            Side::Theirs => {
                self.areas = Arc::clone(&loaded.areas);
                self.world_was_replaced();
            }
        }
    }

    /// Adds what was saved to the copies of a visit that was entered meanwhile.
    fn take_in_copies(&mut self, saved: &State, first: &[Value], is_taken: impl Fn(&FieldDef) -> bool) {
        let schema = Arc::clone(&self.schema);
        let taken: Vec<bool> =
            (0..schema.copied_cells).map(|cell| schema.field_at(cell).is_some_and(&is_taken)).collect();
        self.changed();
        let copies = self.state.run.iter_mut().flat_map(Run::visits_mut).flat_map(Visit::copies_mut);
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
        let schema = Arc::clone(&self.schema);
        let (ours, theirs) = (&self.state, &snapshot.state);
        let meeting = Meeting { schema: &schema, ours, theirs, base: None, run: Side::Theirs };
        let met = meeting.state(|field, _| match field.scope {
            scope if scope.is_of_run() => By::Side(Side::Theirs),
            Scope::Profile if !field.keep.is_free() => By::Rule,
            _ => By::Side(Side::Ours),
        });
        let chosen = met.run.as_ref().and_then(|run| run.difficulty).or(self.state.difficulty);
        self.take_over(met, Side::Theirs);
        self.runs_begun += 1;
        self.state.difficulty = chosen;
        let carried = Arc::make_mut(&mut self.carried);
        carried.join(&snapshot.carried);
        carried.with_run_of(&schema, Some(&snapshot.carried));
        self.areas = Arc::clone(&snapshot.areas);
        self.world_was_replaced();
        let in_run = self.visit().is_some();
        self.stage = if in_run { Stage::Running } else { Stage::Title };
        self.paused = false;
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

    /// Takes over what a save holds since it was merged with another one; `before` is the save as it was. What the game
    /// has changed meanwhile stays, and so do the run and settings. Delivers [`Notice::Reconciled`].
    pub(crate) fn reconcile(&mut self, merged: &Snapshot, before: &Snapshot) {
        let (schema, ours) = (Arc::clone(&self.schema), self.snapshot());
        let (now, was) = (&ours.state, &before.state);
        let meeting =
            Meeting { schema: &schema, ours: now, theirs: &merged.state, base: Some(was), run: Side::Ours };
        let mut met = meeting.state(|field, first| {
            let is_same = |table: Range<usize>| now.cells.get(table.clone()) == was.cells.get(table);
            match field.scope {
                Scope::Profile if is_same(first..first + field.places) => By::Side(Side::Theirs),
                Scope::Profile if field.keep != Keep::Latest => By::Rule,
                _ => By::Side(Side::Ours),
            }
        });
        // Also what was erased elsewhere.
        let facts = met.facts.iter_mut().zip(&merged.state.facts).zip(now.facts.iter().zip(&was.facts));
        for ((met, merged), _) in facts.filter(|(_, (now, was))| now == was) {
            *met = *merged;
        }
        let take = |met: &mut [bool], merged: &[bool], now: &[bool], was: &[bool]| {
            if now == was {
                met.copy_from_slice(merged);
            }
        };
        take(&mut met.latched, &merged.state.latched, &now.latched, &was.latched);
        take(&mut met.opened, &merged.state.opened, &now.opened, &was.opened);
        if now.furthest == was.furthest {
            met.furthest = merged.state.furthest;
        }
        // A run that is over is not in the snapshot, but its values stay readable.
        for (met, ours) in met.cells.iter_mut().zip(&self.state.cells).take(schema.copied_cells) {
            met.clone_from(ours);
        }
        self.take_over(met, Side::Ours);
        self.take_in_areas(merged, before);
        let mut carried = Carried::clone(&merged.carried);
        carried.with_run_of(&schema, Some(&ours.carried));
        self.carried = Arc::new(carried);
        if ours.title == before.title {
            self.title.clone_from(&merged.title);
        }
        self.clamp_all();
        self.note_rules();
        self.tell(Notice::Reconciled);
    }

    /// Takes over areas of the world that were merged into a save of the same run, if the game has not changed them
    /// meanwhile.
    fn take_in_areas(&mut self, merged: &Snapshot, before: &Snapshot) {
        let run = |of: &Snapshot| of.history.as_ref().map(|history| history.run);
        if run(merged) != run(before) || Arc::ptr_eq(&merged.areas, &before.areas) {
            return;
        }
        let names = merged.areas.keys().chain(before.areas.keys());
        let names =
            names.filter(|name| name.starts_with(AREA) && merged.areas.get(*name) != before.areas.get(*name));
        let mut areas = Areas::clone(&self.areas);
        for name in names.filter(|name| self.areas.get(*name) == before.areas.get(*name)) {
            match merged.areas.get(name) {
                Some(bytes) => areas.insert(Arc::clone(name), bytes.clone()),
                None => areas.remove(name),
            };
        }
        if areas != *self.areas {
            self.areas = Arc::new(areas);
            self.world_was_replaced();
        }
    }

    /// Takes over the values of a meeting, so that the journal and the rules see each change.
    fn take_over(&mut self, met: State, run: Side) {
        for (cell, value) in met.cells.into_iter().enumerate() {
            self.put(cell, value, &Cause::Load);
        }
        self.put_facts(&met.facts, |_, now| now);
        (self.state.furthest, self.state.played) = (met.furthest, met.played);
        self.state.made = self.state.made.max(met.made);
        (self.state.latched, self.state.opened) = (met.latched, met.opened);
        let schema = Arc::clone(&self.schema);
        for ((told, met), moment) in self.state.told.iter_mut().zip(met.told).zip(&schema.moments) {
            if run == Side::Theirs || moment.again == Again::Profile {
                *told = met;
            }
        }
        if run == Side::Theirs {
            (self.state.run, self.state.difficulty) = (met.run, met.difficulty);
        }
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
