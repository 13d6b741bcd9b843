//! Values: reading and writing them. A write asks the phase by the field's scope, meets the stored value by the field's
//! keep rule, and stops at the field's bounds.

use keblin_schema::keep::takes_place;
use keblin_schema::key::FieldType;
use keblin_schema::model::{At, FieldDef, Scope};
use keblin_schema::{Field, Kind, Time, Value};

use super::journal::Cause;
use super::phase::EventName;
use super::refusal::{Refused, Why};
use super::{Progress, journal::Target};

/// What a write did. May be ignored: a refused write has changed nothing.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Change {
    /// The value before.
    pub before: Value,
    /// The value now.
    pub after: Value,
    /// Whether it stopped at a bound.
    pub clamped: bool,
    /// Why nothing was written, if nothing was.
    pub refused: Option<Refused>,
}

/// The number of a time or an int, for adding and spending.
pub trait Amount: FieldType {
    /// As a number: itself, or nanoseconds.
    fn amount(value: Self::Write) -> i64;
}

impl Amount for i64 {
    fn amount(value: i64) -> i64 {
        value
    }
}

impl Amount for Time {
    fn amount(value: Time) -> i64 {
        value.as_nanos()
    }
}

impl Amount for Option<i64> {
    fn amount(value: i64) -> i64 {
        value
    }
}

impl Amount for Option<Time> {
    fn amount(value: Time) -> i64 {
        value.as_nanos()
    }
}

impl Progress {
    /// The value of a field. Outside a run, level and run scope read as the waiting run would give them, else as a new
    /// run would.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[must_use]
    #[inline]
    pub fn get<T: FieldType>(&self, field: Field<T>) -> T::Read<'_> {
        T::read(self.value_at(self.checked(field)))
    }

    /// Sets a field. Out of bounds, a plain value stops at the bound, and a record is refused. What is there already
    /// by the field's keep rule (a better record, a `true` that is kept once) stays.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    pub fn set<T: FieldType>(&mut self, field: Field<T>, value: T::Write) -> Change {
        let cell = self.checked(field);
        self.write(cell, T::write(value), &Cause::Set)
    }

    /// Adds to a field; as [`Progress::set`] with the sum, which never wraps around. Nothing can be added to a record
    /// that is unset.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    pub fn add<T: Amount>(&mut self, field: Field<T>, amount: T::Write) -> Change {
        let cell = self.checked(field);
        self.add_to(cell, T::amount(amount))
    }

    /// Spends some of a field: all of it or nothing.
    ///
    /// # Errors
    /// [`Why::NotEnough`] if less than the field's `min` would stay, [`Why::SpendsLessThanNothing`] for a negative
    /// amount, [`Why::Phase`] where the field cannot be written.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    pub fn spend<T: Amount>(&mut self, field: Field<T>, amount: T::Write) -> Result<Change, Refused> {
        let cell = self.checked(field);
        self.spend_from(cell, T::amount(amount))
    }

    /// Offers a record a value that the game measured itself. The better one stays; a value out of bounds is refused.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    pub fn submit<T: Amount>(&mut self, field: Field<Option<T>>, value: T::Write) -> Change
    where
        Option<T>: FieldType<Write = T::Write>,
    {
        let cell = self.checked(field);
        self.submit_to(cell, <Option<T> as FieldType>::write(value))
    }

    /// A field's cell. A handle of another schema is a mistake in the program that no player could mend.
    #[expect(
        clippy::panic,
        reason = "documented; a foreign handle would read and write a wrong value silently"
    )]
    pub(super) fn checked<T>(&self, field: Field<T>) -> usize {
        if !field.belongs_to(&self.schema) {
            panic!("a field handle was used with progress of another schema than it was looked up in");
        }
        field.cell()
    }

    /// The value of a cell of the layout, for tools that walk all fields; unset outside.
    #[must_use]
    #[inline]
    pub fn value_at(&self, cell: usize) -> &Value {
        self.state.cells.get(cell).unwrap_or(&Value::Unset)
    }

    pub(crate) fn write(&mut self, cell: usize, value: Value, cause: &Cause) -> Change {
        match self.admitted(cell, value) {
            Ok((value, clamped)) => {
                let before = self.value_at(cell).clone();
                let keep = self.schema.cell_owner(cell).map(|(field, _)| field.keep);
                if keep.is_some_and(|keep| takes_place(keep, &before, &value)) {
                    self.put(cell, value, cause);
                    self.settle_locks();
                }
                Change { before, after: self.value_at(cell).clone(), clamped, refused: None }
            }
            Err(refused) => self.unchanged(cell, refused),
        }
    }

    pub(crate) fn add_to(&mut self, cell: usize, amount: i64) -> Change {
        let before = self.value_at(cell);
        match before.number() {
            Some(number) => {
                let sum = before.with_number(number.saturating_add(amount));
                let cause = Cause::Add(before.with_number(amount));
                let clamped = number.checked_add(amount).is_none();
                let change = self.write(cell, sum, &cause);
                Change { clamped: change.clamped || (clamped && change.refused.is_none()), ..change }
            }
            None => {
                let why = match self.schema.cell_owner(cell) {
                    Some((field, _)) if *before == Value::Unset => Why::Unset { field: field.name.clone() },
                    Some((field, _)) => Why::Kind { field: field.name.clone(), value: Value::Int(amount) },
                    None => Why::Phase,
                };
                let refused = self.refusal(EventName::WriteProfile, why);
                self.unchanged(cell, refused)
            }
        }
    }

    pub(crate) fn spend_from(&mut self, cell: usize, amount: i64) -> Result<Change, Refused> {
        let held = self.value_at(cell).clone();
        let Some((field, _)) = self.schema.cell_owner(cell) else { return Ok(self.add_to(cell, -amount)) };
        let event = write_event(field.scope);
        self.ask(event)?;
        let (name, min) =
            (field.name.clone(), field.min.as_ref().and_then(Value::number).unwrap_or(i64::MIN));
        let Some(number) = held.number() else {
            return Err(self.refusal(event, Why::Unset { field: name }));
        };
        let asked = held.with_number(amount);
        if amount < 0 {
            return Err(self.refusal(event, Why::SpendsLessThanNothing { field: name, asked }));
        }
        match number.checked_sub(amount).filter(|rest| *rest >= min) {
            Some(rest) => Ok(self.write(cell, held.with_number(rest), &Cause::Spend(asked))),
            None => {
                let min = held.with_number(min);
                Err(self.refusal(event, Why::NotEnough { field: name, asked, held, min }))
            }
        }
    }

    fn unchanged(&self, cell: usize, refused: Refused) -> Change {
        let value = self.value_at(cell);
        Change { before: value.clone(), after: value.clone(), clamped: false, refused: Some(refused) }
    }

    /// The value as it may be written to a cell now, and whether it was clamped.
    fn admitted(&self, cell: usize, value: Value) -> Result<(Value, bool), Refused> {
        let Some((field, at)) = self.schema.cell_owner(cell) else {
            return Err(self.refusal(EventName::WriteProfile, Why::Phase));
        };
        let event = write_event(field.scope);
        self.ask(event)?;
        self.within(event, field, at, value)
    }

    /// A value of the field's kind within its bounds: clamped to them, or, for a record, refused.
    pub(super) fn within(
        &self,
        event: EventName,
        field: &FieldDef,
        at: At,
        value: Value,
    ) -> Result<(Value, bool), Refused> {
        if value.kind() != Some(field.kind) {
            return Err(self.refusal(event, Why::Kind { field: field.name.clone(), value }));
        }
        if let (Value::Text(text), Some(max_len_chars)) = (&value, field.max_len_chars) {
            let chars = text.chars().count();
            if chars > max_len_chars {
                let why = Why::TooLong { field: field.name.clone(), chars, max_len_chars };
                return Err(self.refusal(event, why));
            }
        }
        let bounded = clamped(field, &value);
        match bounded {
            Some(_) if field.keep.is_record() => Err(self.refusal(
                event,
                Why::OutOfBounds {
                    field: field.name.clone(),
                    place: self.schema.place_text(&field.per, at),
                    value,
                    min: field.min.clone(),
                    max: field.max.clone(),
                },
            )),
            Some(bound) => Ok((bound, true)),
            None => Ok((value, false)),
        }
    }

    /// Puts values that lie outside their bounds back to them.
    pub(super) fn clamp_all(&mut self) {
        for cell in 0..self.state.cells.len() {
            let bound =
                self.schema.cell_owner(cell).and_then(|(field, _)| clamped(field, self.value_at(cell)));
            if let (Some(bound), Some(held)) = (bound, self.state.cells.get_mut(cell)) {
                *held = bound;
            }
        }
    }

    /// Lets a clock grow, up to its bound.
    pub(super) fn advance_clock(&mut self, cell: usize, elapsed: Time) {
        let grown = match self.value_at(cell) {
            Value::Time(time) => Value::Time(time.saturating_add(elapsed)),
            _ => return,
        };
        let bound = self.schema.cell_owner(cell).and_then(|(field, _)| clamped(field, &grown));
        let after = bound.unwrap_or(grown);
        if let Some(held) = self.state.cells.get_mut(cell)
            && *held != after
        {
            let before = std::mem::replace(held, after.clone());
            self.journal.note(Target::Cell(cell), before, after, Cause::Tick);
            self.locks.cell_changed(&self.schema, cell);
        }
    }
}

fn write_event(scope: Scope) -> EventName {
    match scope {
        Scope::Level => EventName::WriteLevel,
        Scope::Run => EventName::WriteRun,
        _ => EventName::WriteProfile,
    }
}

/// The bound that a value lies outside of, if it does.
fn clamped(field: &FieldDef, value: &Value) -> Option<Value> {
    let number = value.number().filter(|_| matches!(field.kind, Kind::Int | Kind::Time))?;
    let min = field.min.as_ref().filter(|min| min.number().is_some_and(|min| number < min));
    let max = field.max.as_ref().filter(|max| max.number().is_some_and(|max| number > max));
    min.or(max).cloned()
}
