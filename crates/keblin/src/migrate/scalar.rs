//! Converts single values: from one type to another, and from the names of one version to those of the next.

use std::sync::Arc;

use keblin_model::kind::Kind;
use keblin_model::versions::step::{Carrying, Scale};
use keblin_model::{Time, Value};

use super::convert::{Fit, Unfit, unfit};
use super::places::Places;

/// How single values are converted.
#[derive(Clone, Copy)]
pub(super) struct Scalars<'s> {
    pub(super) places: Places<'s>,
    pub(super) carrying: &'s Carrying,
}

impl Scalars<'_> {
    /// Converts a value without items to another type.
    pub(super) fn scalar(&self, before: &Value, was: Kind, is: Kind) -> Fit {
        let values = &self.carrying.values;
        if let Some((_, now)) = values.iter().find(|(listed, _)| listed.same(before)) {
            return Ok(Some(now.clone()));
        }
        match (before, is) {
            (Value::Int(_) | Value::Float(_) | Value::Time(_), Kind::Int | Kind::Float | Kind::Time) => {
                self.number(before, is).map(Some)
            }
            (Value::Bool(yes), Kind::Int) => Ok(Some(Value::Int((*yes).into()))),
            (Value::Int(number), Kind::Bool) => match number {
                0 | 1 => Ok(Some(Value::Bool(*number == 1))),
                _ => Err(unfit(Some(Value::Bool(true)), "only 0 and 1 can become a bool")),
            },
            (Value::Id { of, index, .. }, Kind::Id(ids)) => match self.places.id(*of, *index) {
                Some(Value::Id { of, .. }) if of != ids => self.id_of_text(before, is),
                made => Ok(made),
            },
            (Value::Text(_), Kind::Id(_)) => self.id_of_text(before, is),
            (Value::Text(text) | Value::Id { name: text, .. }, Kind::Text) => {
                Ok(Some(Value::Text(Arc::clone(text))))
            }
            (Value::Text(text), Kind::Date) => {
                text.parse().map(|day| Some(Value::Date(day))).map_err(|fault| unfit(None, fault.to_string()))
            }
            (Value::Text(text), Kind::Instant) => text
                .parse()
                .map(|instant| Some(Value::Instant(instant)))
                .map_err(|fault| unfit(None, fault.to_string())),
            (Value::Date(_) | Value::Instant(_), Kind::Text) => Ok(Some(Value::text(&before.to_string()))),
            (Value::Shape(members), Kind::Shape(shape)) => self.shape(members, was, shape),
            (value, _) if was == is => Ok(Some(value.clone())),
            (value, _) => Err(unfit(None, format!("{value} is not {}", is.with_article()))),
        }
    }

    fn id_of_text(&self, before: &Value, is: Kind) -> Fit {
        let Kind::Id(ids) = is else { return Ok(None) };
        let text = before.as_text().unwrap_or_default();
        match self.places.now.id_value(ids, text) {
            Some(value) => Ok(Some(value)),
            None => Err(unfit(None, format!("{text} is not {}", self.places.now.kind_text(is)))),
        }
    }

    #[expect(
        clippy::cast_precision_loss,
        clippy::cast_possible_truncation,
        reason = "the result shows what a conversion loses"
    )]
    fn number(&self, before: &Value, is: Kind) -> Result<Value, Unfit> {
        let scale = self.carrying.scale;
        // Whole numbers are converted exactly.
        let whole = before.number().map(i128::from);
        let exact = match (whole, scale) {
            (Some(number), None) => Some(number),
            (Some(number), Some(Scale::ToTime(time))) => number.checked_mul(time.as_nanos().into()),
            (Some(number), Some(Scale::FromTime(time))) => {
                let unit = i128::from(time.as_nanos());
                (is != Kind::Float && number % unit == 0).then(|| number / unit)
            }
            (Some(number), Some(Scale::By(by))) if by.fract() == 0.0 && by.abs() < 1e15 => {
                number.checked_mul(by as i128)
            }
            _ => None,
        };
        let rough = match before {
            Value::Float(number) => number.get(),
            other => other.number().unwrap_or_default() as f64,
        };
        let scaled = match scale {
            None => rough,
            Some(Scale::By(by)) => rough * by,
            Some(Scale::ToTime(time)) => rough * time.as_nanos() as f64,
            Some(Scale::FromTime(time)) => rough / time.as_nanos() as f64,
        };
        if is == Kind::Float {
            let number = exact.map_or(scaled, |exact| exact as f64);
            let end = if number > 0.0 { f64::MAX } else { f64::MIN };
            return Value::float(number).ok_or_else(|| unfit(Value::float(end), "it is too large"));
        }
        let of = |number: i64| {
            if is == Kind::Time { Value::Time(Time::from_nanos(number)) } else { Value::Int(number) }
        };
        let rounded = exact.unwrap_or_else(|| scaled.round() as i128);
        let clamped = rounded.clamp(i64::MIN.into(), i64::MAX.into());
        let nearest = of(i64::try_from(clamped).unwrap_or_default());
        if clamped != rounded {
            return Err(unfit(Some(nearest), "it is too large"));
        }
        // Losing part of a nanosecond does not matter; losing part of a whole number does.
        let loses = exact.is_none() && is == Kind::Int && scaled.fract() != 0.0;
        if loses { Err(unfit(Some(nearest), "it has a fraction")) } else { Ok(nearest) }
    }
}
