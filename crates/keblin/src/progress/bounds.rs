//! Bounds of numbers: fixed, or following other values. When those change, the number is clamped in the same event.

use std::cmp::Ordering;
use std::sync::Arc;

use keblin_model::Value;
use keblin_model::model::{Bound, FieldDef};

use super::Engine;
use super::journal::Cause;

impl Engine {
    /// Returns the current bound; `None` if there is none, or if what it follows is unset or an error.
    pub(crate) fn bound(&self, bound: &Option<Bound>, field: &FieldDef) -> Option<Value> {
        match bound.as_ref()? {
            Bound::Fixed(value) => Some(value.clone()),
            Bound::Follows(program) => {
                let difficulty = self.here().difficulty.unwrap_or(0);
                program.outcome(self, difficulty, field.holds().into()).filter(|value| *value != Value::Unset)
            }
        }
    }

    /// Clamps a value to its bounds, if it is outside. If the bounds cross, the upper one counts.
    #[inline]
    pub(super) fn clamped(&self, field: &FieldDef, value: &Value) -> Option<Value> {
        match (&field.min, &field.max) {
            (None, None) => None,
            (None | Some(Bound::Fixed(_)), None | Some(Bound::Fixed(_))) => field.clamped_to_fixed(value),
            _ => self.clamped_to_followed(field, value),
        }
    }

    fn clamped_to_followed(&self, field: &FieldDef, value: &Value) -> Option<Value> {
        let above = |max: &Value| value.order(max) == Some(Ordering::Greater);
        let below = |min: &Value| value.order(min) == Some(Ordering::Less);
        let max = self.bound(&field.max, field);
        match max.clone().filter(above) {
            Some(max) => Some(max),
            None => {
                let min = self.bound(&field.min, field).filter(below)?;
                Some(max.filter(|max| min.order(max) == Some(Ordering::Greater)).unwrap_or(min))
            }
        }
    }

    /// Clamps the values of a field to its bounds. Records stay: a best result remains the best.
    pub(super) fn hold_bounds_of(&mut self, field: usize) {
        let schema = Arc::clone(&self.schema);
        let Some(field) = schema.fields.get(field).filter(|field| !field.keep.is_record()) else { return };
        for cell in field.cells.clone() {
            if let Some(bound) = self.clamped(field, self.value_at(cell)) {
                self.put(cell, bound, &Cause::Bound);
            }
        }
    }

    /// Clamps all values whose bounds follow others; those others may follow others too.
    pub(super) fn hold_bounds(&mut self) {
        let schema = Arc::clone(&self.schema);
        // A chain of bounds is at most as long as the number of such fields.
        for _ in 0..schema.following.len() {
            schema.following.iter().for_each(|field| self.hold_bounds_of(*field));
        }
    }

    /// Clamps every value to its bounds, after a load.
    pub(crate) fn clamp_all(&mut self) {
        (0..self.schema.fields.len()).for_each(|field| self.hold_bounds_of(field));
        self.hold_bounds();
    }
}
