//! Reading and writing values. A write must be allowed in the phase for the field's scope, meets the stored value by
//! the field's keep rule, and is clamped to the field's bounds.

use std::cmp::Ordering;
use std::sync::Arc;

use keblin_model::keep::meet;
use keblin_model::limits::Unfit;
use keblin_model::model::{Bound, FieldDef, Scope};
use keblin_model::{Field, Keep, Name, Time, Value};

use super::Engine;
use super::journal::Cause;
use super::phase::{Answer, EventName};
use super::refusal::{Refused, Why};

/// The result of a write. It may be ignored: a refused write has changed nothing.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Change {
    /// The old value.
    pub before: Value,
    /// The new value.
    pub after: Value,
    /// Whether it was clamped to a bound.
    pub clamped: bool,
    /// The place of the value in a record's table, from 1; `None` if it has none, or the field is not a record.
    pub place: Option<usize>,
    /// Why nothing was written, if so.
    pub refused: Option<Refused>,
}

impl Engine {
    /// Returns the cell of `field`. Using a handle from another schema is a programming error.
    #[expect(
        clippy::panic,
        reason = "documented; a foreign handle would read and write a wrong value silently"
    )]
    pub(crate) fn checked<T>(&self, field: Field<T>) -> usize {
        if !field.belongs_to(&self.schema) {
            panic!("a field handle was used with progress of another schema than it was looked up in");
        }
        field.cell()
    }

    /// Returns whether a cell can be written in this phase.
    pub(crate) fn takes(&self, cell: usize) -> bool {
        let scope = self.schema.field_at(cell).map(|field| field.scope);
        scope.is_some_and(|scope| write_event(scope).answer(self.phase()) == Answer::Happens)
    }

    #[inline]
    pub(crate) fn value_at(&self, cell: usize) -> &Value {
        self.state.cells.get(cell).unwrap_or(&Value::Unset)
    }

    /// Refuses a number that is not finite.
    pub(super) fn not_finite(&self, cell: usize) -> Change {
        let field = self.name_at(cell);
        self.unchanged(cell, self.refusal(EventName::WriteProfile, Why::NotFinite { field }))
    }

    fn name_at(&self, cell: usize) -> Name {
        let field = self.schema.field_at(cell);
        field.map_or_else(|| self.schema.game.clone(), |field| field.name.clone())
    }

    pub(crate) fn write(&mut self, cell: usize, value: Value, cause: &Cause) -> Change {
        let (value, clamped) = match self.admitted(cell, value) {
            Ok(admitted) => admitted,
            Err(refused) => return self.unchanged(cell, refused),
        };
        let value = self.with_what_goes(cell, value);
        let Some((keep, scope)) = self.schema.field_at(cell).map(|field| (field.keep, field.scope)) else {
            return self.unchanged(cell, self.not_now(EventName::WriteProfile));
        };
        let before = self.value_at(cell).clone();
        let mut change = Change { after: before.clone(), before, clamped, place: None, refused: None };
        if keep.is_record() {
            let schema = Arc::clone(&self.schema);
            change.place = schema.field_at(cell).and_then(|field| self.offer(field, cell, &value, cause));
        } else if let Some(met) = meet(keep, &change.before, &value) {
            self.put(cell, met, cause);
        } else {
            return change;
        }
        self.settle();
        self.note_changed(cell);
        self.changed_in(scope);
        change.after = self.value_at(cell).clone();
        change
    }

    pub(crate) fn add_to(&mut self, cell: usize, amount: Value) -> Change {
        if let Value::Int(by) = amount
            && let Some(change) = self.add_plainly(cell, by)
        {
            return change;
        }
        let before = self.value_at(cell);
        let Some(field) = self.schema.field_at(cell) else {
            return self.unchanged(cell, self.not_now(EventName::WriteProfile));
        };
        let why = match before.plus(&amount) {
            _ if field.keep == Keep::Sum && amount.is_negative() => {
                Why::OnlyGains { field: field.name.clone() }
            }
            Some((sum, over)) => {
                let change = self.write(cell, sum, &Cause::Add(amount));
                return Change { clamped: change.clamped || (over && change.refused.is_none()), ..change };
            }
            None if *before == Value::Unset => Why::Unset { field: field.name.clone() },
            None => {
                let unfit = Unfit::Kind { expected: self.schema.kind_text(field.kind), found: amount };
                Why::DoesNotFit { field: field.name.clone(), unfit }
            }
        };
        let refused = self.refusal(write_event(field.scope), why);
        self.unchanged(cell, refused)
    }

    /// Adds to a whole number that may go up and down between fixed bounds, the most frequent write. It has the
    /// same result as the general way; `None` means that the general way must do it, also for a refusal.
    #[inline]
    pub(super) fn add_plainly(&mut self, cell: usize, by: i64) -> Option<Change> {
        let Value::Int(held) = *self.state.cells.get(cell)? else { return None };
        let field = self.schema.field_at(cell).filter(|field| field.keep.is_free())?;
        let scope = field.scope;
        if write_event(scope).answer(self.phase()) != Answer::Happens || self.only_settings {
            return None;
        }
        let limit = |bound: &Option<Bound>, none: i64| match bound {
            None => Some(none),
            Some(Bound::Fixed(Value::Int(limit))) => Some(*limit),
            Some(_) => None,
        };
        let (min, max) = (limit(&field.min, i64::MIN)?, limit(&field.max, i64::MAX)?);
        let sum = held.saturating_add(by);
        let after = sum.max(min).min(max);
        let clamped = after != sum || held.checked_add(by).is_none();
        let (before, now) = (Value::Int(held), Value::Int(after));
        if after != held {
            self.put_sum(cell, [held, after], by);
            if self.rules.are_due() {
                self.settle();
            }
            self.note_changed(cell);
            self.changed_in(scope);
        }
        let after = if self.schema.following.is_empty() { now } else { self.value_at(cell).clone() };
        Some(Change { before, after, clamped, place: None, refused: None })
    }

    pub(crate) fn spend_from(&mut self, cell: usize, amount: &Value) -> Result<Change, Refused> {
        let held = self.value_at(cell).clone();
        let Some(field) = self.schema.field_at(cell) else {
            return Ok(self.add_to(cell, amount.negated()));
        };
        let event = write_event(field.scope);
        self.ask(event)?;
        let (name, asked) = (field.name.clone(), amount.clone());
        let Some((rest, over)) = held.plus(&amount.negated()) else {
            return Err(self.refusal(event, Why::Unset { field: name }));
        };
        if amount.is_negative() {
            return Err(self.refusal(event, Why::SpendsLessThanNothing { field: name, asked }));
        }
        if field.keep == Keep::Sum {
            return Err(self.refusal(event, Why::OnlyGains { field: name }));
        }
        let min = self.bound(&field.min, field);
        let too_much = min.as_ref().is_some_and(|min| rest.order(min) == Some(Ordering::Less));
        if over || too_much {
            return Err(self.refusal(event, Why::NotEnough { field: name, asked, held, min }));
        }
        Ok(self.write(cell, rest, &Cause::Spend(asked)))
    }

    pub(crate) fn strict(&mut self) {
        self.strict = true;
    }

    #[expect(clippy::panic, reason = "requested by `strict`, in tests")]
    pub(super) fn unchanged(&self, cell: usize, refused: Refused) -> Change {
        if self.strict {
            panic!("a value call was refused, and progress is strict: {refused}");
        }
        let value = self.value_at(cell);
        Change {
            before: value.clone(),
            after: value.clone(),
            clamped: false,
            place: None,
            refused: Some(refused),
        }
    }

    /// Returns the value that can be written to a cell now, and whether it was clamped.
    fn admitted(&self, cell: usize, value: Value) -> Result<(Value, bool), Refused> {
        let Some(field) = self.schema.field_at(cell) else {
            return Err(self.not_now(EventName::WriteProfile));
        };
        let event = write_event(field.scope);
        if self.only_settings && field.scope != Scope::Device {
            return Err(self.refusal(event, Why::OnlySettings { what: field.name.to_string() }));
        }
        self.ask(event)?;
        self.within(event, field, cell, value)
    }

    /// Fits a value to the field's bounds: clamps it and what is inside it, or refuses it for a record.
    pub(super) fn within(
        &self,
        event: EventName,
        field: &FieldDef,
        cell: usize,
        value: Value,
    ) -> Result<(Value, bool), Refused> {
        let is_one = field.kind.is_scalar() && field.with.is_none();
        let inside = if is_one { None } else { self.schema.clamped_inside(field, &value) };
        let (value, was_clamped) = (inside.clone().unwrap_or(value), inside.is_some());
        if let Err(unfit) = self.schema.fit(field, &value) {
            return Err(self.refusal(event, Why::DoesNotFit { field: field.name.clone(), unfit }));
        }
        match self.clamped(field, &value) {
            Some(_) if field.keep.is_record() => {
                Err(self.refusal(event, self.out_of_bounds(field, cell, value)))
            }
            Some(bound) => Ok((bound, true)),
            None => Ok((value, was_clamped)),
        }
    }

    pub(super) fn out_of_bounds(&self, field: &FieldDef, cell: usize, value: Value) -> Why {
        let at = self.schema.cell_owner(cell).map(|(_, at)| at).unwrap_or_default();
        Why::OutOfBounds {
            field: field.name.clone(),
            place: self.schema.place_text(&field.per, at),
            value,
            min: self.bound(&field.min, field),
            max: self.bound(&field.max, field),
        }
    }

    /// Advances a clock, up to its bound.
    pub(super) fn advance_clock(&mut self, cell: usize, elapsed: Time) {
        let grown = match self.value_at(cell) {
            Value::Time(time) => Value::Time(time.saturating_add(elapsed)),
            _ => return,
        };
        let bound = self.schema.field_at(cell).and_then(|field| self.clamped(field, &grown));
        self.put_time(cell, bound.unwrap_or(grown));
    }
}

pub(super) fn write_event(scope: Scope) -> EventName {
    match scope {
        Scope::Level => EventName::WriteLevel,
        Scope::Run => EventName::WriteRun,
        _ => EventName::WriteProfile,
    }
}
