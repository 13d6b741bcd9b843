//! Converts one old value to a new one.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin_model::Value;
use keblin_model::kind::Kind;
use keblin_model::model::{Bound, FieldDef, Limits};
use keblin_model::value::Best;
use keblin_model::value::ValueSet;
use keblin_model::versions::step::Misfit;

use super::scalar::Scalars;

/// The result of a conversion.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Converted {
    /// The whole value.
    Whole(Value),
    /// The nearest value, because the old one did not fit.
    Fitted(Value),
    /// Nothing: what it names was removed.
    Gone,
    /// It does not fit, and the step refuses such a save.
    Refused(String),
}

/// How the values of a field are converted.
pub(super) struct Converting<'s> {
    pub(super) scalars: Scalars<'s>,
    pub(super) old: &'s FieldDef,
    pub(super) now: &'s FieldDef,
}

/// A value that does not fit, with the nearest one that does, if there is one.
pub(super) struct Unfit {
    pub(super) nearest: Option<Value>,
    why: String,
}

impl Unfit {
    pub(super) fn why(self) -> String {
        self.why
    }
}

pub(super) fn unfit(nearest: Option<Value>, why: impl Into<String>) -> Unfit {
    Unfit { nearest, why: why.into() }
}

pub(super) type Fit = Result<Option<Value>, Unfit>;

impl Converting<'_> {
    /// Converts an old value.
    pub(super) fn value(&self, before: &Value) -> Converted {
        if *before == Value::Unset {
            return match self.now.may_be_unset() {
                true => Converted::Whole(Value::Unset),
                false => self.misfit(unfit(None, "it is unset, but the field can no longer be unset")),
            };
        }
        if self.old.with.is_some() || self.now.with.is_some() {
            return self.best(before);
        }
        self.alone(before)
    }

    /// Converts a value of a record, and what goes with it.
    fn best(&self, before: &Value) -> Converted {
        let converted = self.alone(before.alone());
        let Some(with) = &self.now.with else { return converted };
        let is = Kind::Shape(with.shape);
        let shape = before.with().zip(self.old.with.as_ref());
        let shape = shape
            .and_then(|(shape, was)| self.scalars.scalar(shape, Kind::Shape(was.shape), is).ok().flatten());
        let with = shape.unwrap_or_else(|| self.scalars.places.now.own_default(is));
        let best = |value: Value| match value {
            Value::Unset => Value::Unset,
            value => Value::Best(Arc::new(Best { value, with: with.clone() })),
        };
        match converted {
            Converted::Whole(value) => Converted::Whole(best(value)),
            Converted::Fitted(value) => Converted::Fitted(best(value)),
            other => other,
        }
    }

    fn alone(&self, before: &Value) -> Converted {
        match self.whole(before) {
            Ok(Some(value)) => match self.within(value) {
                Ok(value) => Converted::Whole(value),
                Err(unfit) => self.misfit(unfit),
            },
            Ok(None) => Converted::Gone,
            Err(unfit) => match unfit.nearest {
                // The nearest value of the type may still be outside the bounds.
                Some(nearest) if self.scalars.carrying.misfit == Misfit::Nearest => {
                    match self.within(nearest) {
                        Ok(value) => Converted::Fitted(value),
                        Err(unfit) => self.misfit(unfit),
                    }
                }
                nearest => self.misfit(Unfit { nearest, why: unfit.why }),
            },
        }
    }

    fn misfit(&self, unfit: Unfit) -> Converted {
        match self.scalars.carrying.misfit {
            Misfit::Refuse => Converted::Refused(unfit.why),
            Misfit::Nearest => Converted::Fitted(unfit.nearest.unwrap_or_else(|| self.now.default.clone())),
            _ => Converted::Fitted(self.now.default.clone()),
        }
    }

    /// Converts a value of a field, before its bounds.
    fn whole(&self, before: &Value) -> Fit {
        let items = |field: &FieldDef| field.items.as_ref().map_or(Kind::Text, |items| items.of);
        let (was, is) = (items(self.old), items(self.now));
        let limits = self.now.items.as_ref().map_or_else(Limits::default, |items| items.limits.clone());
        let one = |value: &Value| self.item(value, was, is, &limits);
        let made = |values: Vec<Value>| match self.now.kind {
            Kind::Set => Value::Set(Arc::new(values.into_iter().collect::<ValueSet>())),
            _ => Value::List(values.into()),
        };
        match (before, self.now.kind) {
            (Value::List(values), Kind::List | Kind::Set) => self.all(values.iter(), one).map(made).map(Some),
            (Value::Set(values), Kind::List | Kind::Set) => self.all(values.iter(), one).map(made).map(Some),
            (Value::Map(entries), Kind::Map) => {
                let keys =
                    |field: &FieldDef| field.items.as_ref().and_then(|items| items.key).unwrap_or(Kind::Text);
                let (key_was, key_is) = (keys(self.old), keys(self.now));
                let of_keys = Limits::between(None, None, limits.max_len);
                let mut made = BTreeMap::new();
                for (key, value) in entries.iter() {
                    if let (Some(key), Some(value)) =
                        (self.item(key, key_was, key_is, &of_keys)?, one(value)?)
                    {
                        made.insert(key, value);
                    }
                }
                Ok(Some(Value::Map(Arc::new(made.into_iter().collect()))))
            }
            (value, kind) => self.scalars.scalar(value, self.old.kind, kind),
        }
    }

    /// Converts every item; an item that names something removed is left out.
    fn all<'v>(
        &self,
        values: impl Iterator<Item = &'v Value>,
        one: impl Fn(&Value) -> Fit,
    ) -> Result<Vec<Value>, Unfit> {
        let mut made = Vec::new();
        for value in values {
            made.extend(one(value)?);
        }
        Ok(made)
    }

    /// Converts an item or a key; it is always made to fit.
    fn item(&self, before: &Value, was: Kind, is: Kind, limits: &Limits) -> Fit {
        let made = match self.scalars.scalar(before, was, is) {
            Ok(Some(value)) => within(value, limits.min.as_ref(), limits.max.as_ref(), limits.max_len),
            Ok(None) => return Ok(None),
            Err(unfit) => Err(unfit),
        };
        match (made, self.scalars.carrying.misfit) {
            (Ok(value), _) => Ok(Some(value)),
            (Err(Unfit { nearest: Some(nearest), .. }), Misfit::Nearest) => Ok(Some(nearest)),
            (Err(unfit), Misfit::Refuse) => Err(unfit),
            (Err(_), _) => Ok(None),
        }
    }

    /// Applies the fixed bounds of the field.
    fn within(&self, value: Value) -> Result<Value, Unfit> {
        let fixed = |bound: &Option<Bound>| bound.as_ref().and_then(Bound::fixed).cloned();
        let (min, max) = (fixed(&self.now.min), fixed(&self.now.max));
        let value = within(value, min.as_ref(), max.as_ref(), self.now.max_len)?;
        let Some(items) = &self.now.items else { return Ok(value) };
        if value.len() <= items.max_items {
            return Ok(value);
        }
        let why = format!("expected at most {} items, but found {}", items.max_items, value.len());
        let most = items.max_items;
        let nearest = match &value {
            Value::List(values) => Value::List(values.iter().take(most).cloned().collect()),
            Value::Set(values) => Value::Set(Arc::new(values.iter().take(most).cloned().collect())),
            Value::Map(entries) => Value::Map(Arc::new(
                entries.iter().take(most).map(|(key, value)| (key.clone(), value.clone())).collect(),
            )),
            _ => value.clone(),
        };
        Err(unfit(Some(nearest), why))
    }
}

/// Applies bounds and a length.
pub(super) fn within(
    value: Value,
    min: Option<&Value>,
    max: Option<&Value>,
    max_len: Option<usize>,
) -> Result<Value, Unfit> {
    use std::cmp::Ordering;
    if let Some(max) = max.filter(|max| value.order(max) == Some(Ordering::Greater)) {
        return Err(unfit(Some(max.clone()), format!("it is above {max}")));
    }
    if let Some(min) = min.filter(|min| value.order(min) == Some(Ordering::Less)) {
        return Err(unfit(Some(min.clone()), format!("it is below {min}")));
    }
    let Some(most) = max_len.filter(|most| value.len() > *most) else { return Ok(value) };
    let why = format!("expected at most {most} characters or bytes, but found {}", value.len());
    match &value {
        Value::Text(text) => Err(unfit(Some(Value::text(&text.chars().take(most).collect::<String>())), why)),
        // The start of a row of bytes is useless.
        Value::Bytes(_) | Value::Opaque(_) => Err(unfit(None, why)),
        _ => Ok(value),
    }
}
