//! Reading and writing values by a field of the game. `fields` does the writing.

use keblin_model::typed::{FieldType, Scalar};
use keblin_model::{Date, Instant, Time, Value};

use super::fields::Change;
use super::journal::Cause;
use super::phase::EventName;
use super::play::{Holder, Play};
use super::refusal::Refused;
use super::typed::{FieldOf, Read, UnsettableOf, Write};

/// A number, for adding and spending.
#[diagnostic::on_unimplemented(
    message = "a field of type `{Self}` is not a number",
    label = "only an `int`, a `float` or a `time` can be added to or spent",
    note = "write the whole value with `set`"
)]
pub trait Amount: FieldType {
    /// Converts to a value; `None` if it is not finite.
    fn amount(value: Self::Write) -> Option<Value>;

    /// Converts to a whole number, for types that are whole numbers.
    #[doc(hidden)]
    fn whole(_value: &Self::Write) -> Option<i64> {
        None
    }
}

impl Amount for i64 {
    fn amount(value: i64) -> Option<Value> {
        Some(Value::Int(value))
    }

    #[inline]
    fn whole(value: &i64) -> Option<i64> {
        Some(*value)
    }
}

impl Amount for f64 {
    fn amount(value: f64) -> Option<Value> {
        Value::float(value)
    }
}

impl Amount for Time {
    fn amount(value: Time) -> Option<Value> {
        Some(Value::Time(value))
    }
}

/// A value that can be the best, for submitting to a record.
#[diagnostic::on_unimplemented(
    message = "a field of type `{Self}` does not keep a best value",
    label = "only an `int`, a `float`, a `time`, a `date` or an `instant` can be submitted"
)]
pub trait Ordered: FieldType {}

impl Ordered for i64 {}
impl Ordered for f64 {}
impl Ordered for Time {}
impl Ordered for Date {}
impl Ordered for Instant {}

impl<T: Amount + Scalar> Amount for Option<T> {
    fn amount(value: T::Write) -> Option<Value> {
        T::amount(value)
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Returns the value of a cell of the layout, for tools that walk all fields; unset if there is none.
    #[must_use]
    #[inline]
    pub fn value_at(&self, cell: usize) -> &Value {
        self.engine().value_at(cell)
    }

    /// Makes every refused value call panic from here on, so that a test does not overlook a refusal that the game
    /// ignores. For tests.
    pub fn strict(&mut self) {
        self.engine_mut().strict();
    }

    /// Returns the value of a field. With no run active, run- and level-scope fields return the values the saved run
    /// would resume with, or those a new run would start with. A list, set or map is a view of its items; a field that
    /// may be unset is a [`MaybeUnset`](keblin_model::MaybeUnset).
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[must_use]
    #[inline]
    pub fn get<F: FieldOf<G>>(&self, field: F) -> Read<'_, F, G> {
        let cell = self.engine().checked(field.of_any());
        self.engine().note_read(cell);
        F::Of::read(self.engine().value_at(cell))
    }

    /// Sets a field. A plain value out of bounds is clamped; a record out of bounds is refused. The field's keep rule
    /// applies: a better record stays, and so does a `true` under `"once"`.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn set<F: FieldOf<G>>(&mut self, field: F, value: Write<F, G>) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = match F::Of::write(value, &self.engine().schema) {
            Some(value) => self.engine_mut().write(cell, value, &Cause::Set),
            None => self.engine().not_finite(cell),
        };
        self.reported(change)
    }

    /// Adds to a field; as [`Play::set`] with the sum, which is clamped instead of wrapping. Nothing can be added to
    /// an unset record, and a field with `keep = "sum"` cannot be reduced.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[inline]
    #[track_caller]
    pub fn add<F: FieldOf<G, Of: Amount>>(&mut self, field: F, amount: Write<F, G>) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        if let Some(change) = F::Of::whole(&amount).and_then(|by| self.engine_mut().add_plainly(cell, by)) {
            return change;
        }
        let change = match F::Of::amount(amount) {
            Some(amount) => self.engine_mut().add_to(cell, amount),
            None => self.engine_mut().not_finite(cell),
        };
        self.reported(change)
    }

    /// Spends some of a field: all of it or nothing.
    ///
    /// # Errors
    /// [`Why::NotEnough`] if less than the field's `min` would remain, [`Why::SpendsLessThanNothing`] for a negative
    /// amount, [`Why::OnlyGains`] for a field with `keep = "sum"`, [`Why::Phase`] if the field cannot be written.
    ///
    /// [`Why::NotEnough`]: super::Why::NotEnough
    /// [`Why::SpendsLessThanNothing`]: super::Why::SpendsLessThanNothing
    /// [`Why::OnlyGains`]: super::Why::OnlyGains
    /// [`Why::Phase`]: super::Why::Phase
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    pub fn spend<F: FieldOf<G, Of: Amount>>(
        &mut self,
        field: F,
        amount: Write<F, G>,
    ) -> Result<Change, Refused> {
        let cell = self.engine_mut().checked(field.of_any());
        match F::Of::amount(amount) {
            Some(amount) => self.engine_mut().spend_from(cell, &amount),
            None => {
                let change = self.engine_mut().not_finite(cell);
                change.refused.map_or(Err(self.engine_mut().not_now(EventName::WriteProfile)), Err)
            }
        }
    }

    /// Makes a field unset again, if it may be.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn unset<F: UnsettableOf<G>>(&mut self, field: F) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = self.engine_mut().write(cell, Value::Unset, &Cause::Set);
        self.reported(change)
    }

    /// Submits a value that the game measured to a record. The better value is kept; a value out of bounds is
    /// refused.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn submit<F: UnsettableOf<G, Held: Ordered>>(
        &mut self,
        field: F,
        value: <F::Held as FieldType>::Write,
    ) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let change = match F::Held::write(value, &self.engine().schema) {
            Some(value) => self.engine_mut().submit_to(cell, value),
            None => self.engine_mut().not_finite(cell),
        };
        self.reported(change)
    }
}
