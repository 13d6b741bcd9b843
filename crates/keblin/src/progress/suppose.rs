//! Made-up states, for tests and tools: sets values, facts and records without reporting anything. If a value of a
//! run or level is supposed before the run or level begins, it is set after the resets of that event and before its
//! entry copy.

#[cfg(feature = "testing")]
use std::sync::Arc;

use keblin_model::kind::Ids;
use keblin_model::model::{FieldDef, OnReset};
use keblin_model::names::Asked;
use keblin_model::program::Fact;
use keblin_model::{Time, Value};

use super::journal::{Cause, Target};
use super::phase::EventName;
use super::refusal::{Refused, Why};
use super::{Engine, Phase};
#[cfg(feature = "testing")]
use super::{
    Holder, Play,
    history::{Erasures, recorded},
    typed::{FieldOf, Write},
};
#[cfg(feature = "testing")]
use crate::snapshot::Snapshot;
#[cfg(feature = "testing")]
use keblin_model::typed::FieldType;

/// With the feature `testing`: a released game cannot lower a record with it.
#[cfg(feature = "testing")]
impl<G, P: Holder> Play<G, P> {
    /// Sets a value, a fact or a record by its resolved name; [`Value::Unset`] makes a record unset.
    ///
    /// # Errors
    /// [`Why::Unfit`] for a value that a fact cannot have or a name that is derived, otherwise as [`Play::suppose`].
    pub fn suppose_asked(&mut self, asked: &Asked, value: Value) -> Result<(), Refused> {
        self.engine_mut().put_asked(asked, value)
    }

    /// Sets a value without an event.
    ///
    /// # Errors
    /// [`Why::OutOfBounds`], [`Why::DoesNotFit`] and [`Why::NotFinite`] for a value that does not fit the field.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    pub fn suppose<F: FieldOf<G>>(&mut self, field: F, value: Write<F, G>) -> Result<(), Refused> {
        let cell = self.engine_mut().checked(field.of_any());
        match F::Of::write(value, &self.engine().schema) {
            Some(value) => self.engine_mut().suppose_cell(cell, value),
            None => {
                let engine = self.engine();
                let field = engine.schema.field_at(cell).map_or(&engine.schema.game, |field| &field.name);
                let why = Why::NotFinite { field: field.clone() };
                Err(engine.refusal(EventName::WriteProfile, why))
            }
        }
    }
}

/// With the feature `testing`.
#[cfg(feature = "testing")]
impl Snapshot {
    /// Returns the snapshot with other values, in the order given, for making a save by hand: fields, facts, the
    /// furthest level, time played, and unlocks that latch. A value of the run is also changed where a death or a
    /// restart would restore it.
    ///
    /// # Errors
    /// [`Why::NoRun`] for a value of a run, if there is none; otherwise as [`Play::suppose_asked`].
    pub fn edited(&self, changes: &[(Asked, Value)]) -> Result<Snapshot, Refused> {
        let mut engine = Engine::view(self);
        for (asked, value) in changes {
            let of_run = |field: &FieldDef| field.scope.is_of_run();
            let field =
                if let Asked::Field { field, .. } = asked { self.schema().fields.get(*field) } else { None };
            if field.is_some_and(of_run) && !engine.has_run() {
                return Err(engine.refusal(EventName::WriteRun, Why::NoRun));
            }
            engine.put_asked(asked, value.clone())?;
            if let Some(Target::Cell(cell)) = engine.target(asked) {
                let value = engine.with_what_goes(cell, value.clone());
                engine.put_in_copies(cell, &value);
            }
        }
        let mut state = engine.snapshot().state;
        // Looking at the values latches unlocks and reports moments; that is for the game to do.
        for (index, (latched, before)) in state.latched.iter_mut().zip(&self.state.latched).enumerate() {
            let is_asked = |(asked, _): &(Asked, Value)| *asked == Asked::Unlocked(index);
            *latched = if changes.iter().any(is_asked) { *latched } else { *before };
        }
        state.opened.clone_from(&self.state.opened);
        state.told.clone_from(&self.state.told);
        let edited = Snapshot { state, saved: None, history: None, ..self.clone() };
        // Whoever edits a save writes as the machine that wrote last.
        Ok(match &self.history {
            Some(history) => recorded(Some(self), &edited, history.top.writer, 0, &Erasures::default()),
            None => edited,
        })
    }
}

impl Engine {
    /// Changes a value in the copies that a death or a restart restores.
    #[cfg(feature = "testing")]
    fn put_in_copies(&mut self, cell: usize, value: &Value) {
        self.changed();
        let visits = self.state.run.iter_mut().flat_map(|run| run.visits_mut());
        for copy in visits.flat_map(|visit| visit.copies_mut()) {
            if copy.get(cell).is_some_and(|held| held != value) {
                Arc::make_mut(copy).get_mut(cell).into_iter().for_each(|held| held.clone_from(value));
            }
        }
    }

    /// Sets whether a moment was reported.
    #[cfg(feature = "testing")]
    pub(crate) fn suppose_reported(&mut self, moment: keblin_model::Moment, yes: bool) {
        self.state.told.get_mut(moment.index()).into_iter().for_each(|held| *held = yes);
        self.changed();
    }

    /// Sets a value, a fact, a record, the furthest level, time played or an unlock that latches, by its resolved
    /// name.
    pub(crate) fn put_asked(&mut self, asked: &Asked, value: Value) -> Result<(), Refused> {
        if self.put_kept(asked, &value) {
            self.changed();
            self.note_rules();
            return Ok(());
        }
        match self.target(asked) {
            Some(Target::Cell(cell)) => self.suppose_cell(cell, value),
            Some(Target::Fact { at, fact }) => {
                let most =
                    at.level.and_then(|level| self.schema.levels.get(level)).map_or(0, |level| level.stars);
                let fits = match (fact, &value) {
                    (Fact::Finished, Value::Bool(_)) => true,
                    (Fact::Stars, Value::Int(stars)) => (0..=i64::from(most)).contains(stars),
                    (Fact::Attempts | Fact::Deaths, Value::Int(count)) => *count >= 0,
                    _ => false,
                };
                if !fits {
                    return Err(self.unfit(fact.as_str(), value));
                }
                self.put_fact(at, fact, value, &Cause::Suppose);
                self.note_rules();
                Ok(())
            }
            None => Err(self.unfit("a derived value", value)),
        }
    }

    /// Sets what the engine keeps besides values and facts; returns whether this is such a name, and the value fits.
    fn put_kept(&mut self, asked: &Asked, value: &Value) -> bool {
        let state = &mut self.state;
        match (asked, value) {
            (Asked::Furthest, Value::Unset) => state.furthest = None,
            (Asked::Furthest, Value::Id { of: Ids::Levels, index, .. }) => {
                state.furthest = Some(usize::from(*index));
            }
            (Asked::Played, Value::Time(time)) if *time >= Time::ZERO => state.played = *time,
            (Asked::Unlocked(index), Value::Bool(yes)) => match state.latched.get_mut(*index) {
                Some(held) if self.schema.unlocks.get(*index).is_some_and(|unlock| unlock.latch) => {
                    *held = *yes
                }
                _ => return false,
            },
            _ => return false,
        }
        true
    }

    fn unfit(&self, what: &'static str, value: Value) -> Refused {
        self.refusal(EventName::WriteProfile, Why::Unfit { what, value })
    }

    fn suppose_cell(&mut self, cell: usize, value: Value) -> Result<(), Refused> {
        let value = self.with_what_goes(cell, value);
        let Some(field) = self.schema.field_at(cell) else { return Ok(()) };
        let (scope, reset_by_enter) = (field.scope, resets_on_level(field));
        let unsets = value == Value::Unset && field.may_be_unset();
        let in_level = matches!(self.phase(), Phase::Playing | Phase::Down);
        let for_begin = scope.is_of_run() && !self.has_run();
        let for_enter = scope.is_of_run() && !in_level && reset_by_enter;
        // Values that wait for a begin are clamped to following bounds then; these may be supposed too.
        let now = match for_begin || for_enter {
            true => field.fixed_bounds(),
            false => field.clone(),
        };
        if !unsets && self.within(EventName::WriteProfile, &now, cell, value.clone())?.1 {
            let refused = self.out_of_bounds(field, cell, value);
            return Err(self.refusal(EventName::WriteProfile, refused));
        }
        if for_begin || for_enter {
            self.supposed.retain(|(other, _)| *other != cell);
            self.supposed.push((cell, value.clone()));
        }
        if !for_begin {
            self.put(cell, value, &Cause::Suppose);
            self.note_rules();
        }
        Ok(())
    }

    /// At a begin: sets supposed values; those that entering a level resets wait for that.
    pub(super) fn put_supposed_for_begin(&mut self) {
        let supposed = std::mem::take(&mut self.supposed);
        for (cell, value) in &supposed {
            self.put(*cell, value.clone(), &Cause::Suppose);
        }
        let reset_by_enter =
            |cell| self.schema.cell_owner(cell).is_some_and(|(field, _)| resets_on_level(field));
        self.supposed = supposed.into_iter().filter(|(cell, _)| reset_by_enter(*cell)).collect();
    }

    /// At an enter: sets the others.
    pub(super) fn put_supposed_for_enter(&mut self) {
        for (cell, value) in std::mem::take(&mut self.supposed) {
            self.put(cell, value, &Cause::Suppose);
        }
    }
}

fn resets_on_level(field: &FieldDef) -> bool {
    field.survival.on_level == OnReset::Default
}
