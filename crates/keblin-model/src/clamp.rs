//! Bounds inside a value: of the items of a list, set or map, and of the members of a shape. A write stops there, as it
//! stops at the bounds of a plain number.

use std::cmp::Ordering;

use crate::limits::{Unfit, fit_length};
use crate::model::{Bound, FieldDef, Items, Limits, MemberDef, Model};
use crate::value::kind::Kind;
use crate::value::{Best, Value};
use crate::value::{ValueMap, ValueSet};

impl FieldDef {
    /// Returns the bound of this field that a value is beyond, if the bound is a fixed number. If the bounds cross, the
    /// upper one counts.
    #[doc(hidden)]
    #[must_use]
    pub fn clamped_to_fixed(&self, value: &Value) -> Option<Value> {
        let outside = |bound: &Option<Bound>, side| {
            let bound = bound.as_ref().and_then(Bound::fixed);
            bound.filter(|bound| value.order(bound) == Some(side)).cloned()
        };
        outside(&self.max, Ordering::Greater).or_else(|| outside(&self.min, Ordering::Less))
    }
}

impl Model {
    /// Returns a value with every number inside it clamped to its own bounds; `None` if all are within them.
    #[must_use]
    pub fn clamped_inside(&self, field: &FieldDef, value: &Value) -> Option<Value> {
        if let (Some(with), Value::Best(best)) = (&field.with, value) {
            let with = self.clamped_one(Kind::Shape(with.shape), &Limits::default(), &best.with)?;
            return Some(Value::Best(Best { value: best.value.clone(), with }.into()));
        }
        match &field.items {
            Some(items) => self.clamped_items(items, value),
            None => self.clamped_one(field.kind, &Limits::default(), value),
        }
    }

    /// Returns a value of a field of an object, clamped to its bounds.
    ///
    /// # Errors
    /// [`Unfit`] for a text that is too long.
    #[doc(hidden)]
    pub fn kept_of_object(&self, field: &MemberDef, value: Value) -> Result<Value, Unfit> {
        if field.kind.has_length() {
            fit_length(&value, field.limits.max_len.unwrap_or(usize::MAX))?;
        }
        Ok(self.clamped_one(field.kind, &field.limits, &value).unwrap_or(value))
    }

    fn clamped_items(&self, items: &Items, value: &Value) -> Option<Value> {
        let clamped = |item: &Value| self.clamped_one(items.of, &items.limits, item);
        let held = |item: &Value| clamped(item).unwrap_or_else(|| item.clone());
        match value {
            Value::List(list) if list.iter().any(|item| clamped(item).is_some()) => {
                Some(Value::List(list.iter().map(held).collect()))
            }
            Value::Set(set) if set.iter().any(|item| clamped(item).is_some()) => {
                Some(Value::Set(set.iter().map(held).collect::<ValueSet>().into()))
            }
            Value::Map(map) if map.values().any(|item| clamped(item).is_some()) => {
                let entries = map.iter().map(|(key, item)| (key.clone(), held(item)));
                Some(Value::Map(entries.collect::<ValueMap>().into()))
            }
            _ => None,
        }
    }

    fn clamped_one(&self, kind: Kind, limits: &Limits, value: &Value) -> Option<Value> {
        if let (Kind::Shape(shape), Value::Shape(members)) = (kind, value) {
            let declared = &self.shapes.get(usize::from(shape))?.members;
            let pairs = || declared.iter().zip(members.iter());
            let clamped = |(member, (_, value)): (&crate::model::MemberDef, &(_, Value))| match &member.items
            {
                Some(items) => self.clamped_items(items, value),
                None => self.clamped_one(member.kind, &member.limits, value),
            };
            if declared.len() != members.len() || !pairs().any(|pair| clamped(pair).is_some()) {
                return None;
            }
            let held = pairs().map(|pair| {
                let (name, value) = pair.1;
                (name.clone(), clamped(pair).unwrap_or_else(|| value.clone()))
            });
            return Some(Value::Shape(held.collect()));
        }
        let outside = |bound: &Option<Value>, side| {
            bound.as_ref().filter(|bound| value.order(bound) == Some(side)).cloned()
        };
        outside(&limits.max, Ordering::Greater).or_else(|| outside(&limits.min, Ordering::Less))
    }
}
