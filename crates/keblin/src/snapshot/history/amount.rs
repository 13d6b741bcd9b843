//! Amounts: sums, counts and time played. Each writer has its own two numbers, what it has added and what it has taken,
//! which only grow. Merging takes the greater of each, so nothing counts twice.

use std::cmp::Ordering;
use std::collections::BTreeMap;

use keblin_model::{Time, Value};

use crate::broken::Broken;

/// An amount, by who has added to it and taken from it. All numbers are ints or floats; a time counts its nanoseconds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Amount {
    /// What was there before anybody is known to have changed it; `None` for the field's default.
    pub(crate) start: Option<Value>,
    /// By writer: what it has added, and what it has taken.
    pub(crate) by: BTreeMap<u64, (Value, Value)>,
    /// What was below the lower bound when somebody changed the amount.
    pub(crate) forgiven: Option<Value>,
    /// What was above the upper bound when somebody changed the amount.
    pub(crate) forfeited: Option<Value>,
}

impl Amount {
    /// Returns an amount that one writer has brought from the default to a value.
    pub(crate) fn of_one(writer: u64, value: &Value, default: &Value) -> Amount {
        let mut amount = Amount::default();
        amount.add_by(writer, &minus(value, default));
        amount
    }

    /// Returns the total. It can be out of bounds after a merge.
    pub(crate) fn total(&self, default: &Value) -> Value {
        let start = self.start.as_ref().unwrap_or(default);
        let by = self.by.values().fold(start.clone(), |sum, (added, taken)| minus(&plus(&sum, added), taken));
        let with_forgiven = self.forgiven.as_ref().map_or(by.clone(), |forgiven| plus(&by, forgiven));
        self.forfeited.as_ref().map_or(with_forgiven.clone(), |more| minus(&with_forgiven, more))
    }

    /// A writer has changed the amount from the value that the player saw. First it settles what a merge has left out of
    /// bounds, then it adds its own.
    pub(crate) fn change(&mut self, writer: u64, (before, now): (&Value, &Value), default: &Value) {
        let outside = minus(before, &self.total(default));
        match sign(&outside) {
            Ordering::Greater => self.forgiven = Some(sum_of(self.forgiven.as_ref(), &outside)),
            Ordering::Less => self.forfeited = Some(sum_of(self.forfeited.as_ref(), &outside.negated())),
            Ordering::Equal => {}
        }
        self.add_by(writer, &minus(now, before));
    }

    fn add_by(&mut self, writer: u64, by: &Value) {
        let zero = minus(by, by);
        let (added, taken) = self.by.entry(writer).or_insert_with(|| (zero.clone(), zero.clone()));
        match sign(by) {
            Ordering::Greater => *added = plus(added, by),
            Ordering::Less => *taken = plus(taken, &by.negated()),
            Ordering::Equal => {}
        }
        if *added == zero && *taken == zero {
            self.by.remove(&writer);
        }
    }

    /// Returns what two saves hold together.
    pub(crate) fn join(&self, other: &Amount) -> Amount {
        let mut by = self.by.clone();
        for (writer, (added, taken)) in &other.by {
            match by.get_mut(writer) {
                Some(held) if Broken::AmountsAdded.is() => {
                    *held = (plus(&held.0, added), plus(&held.1, taken))
                }
                Some(held) => *held = (greater(&held.0, added), greater(&held.1, taken)),
                None => drop(by.insert(*writer, (added.clone(), taken.clone()))),
            }
        }
        let both = |one: &Option<Value>, other: &Option<Value>| match (one, other) {
            (Some(one), Some(other)) => Some(greater(one, other)),
            (one, other) => one.clone().or_else(|| other.clone()),
        };
        Amount {
            start: both(&self.start, &other.start),
            by,
            forgiven: both(&self.forgiven, &other.forgiven),
            forfeited: both(&self.forfeited, &other.forfeited),
        }
    }
}

/// Returns an int or a float; a time as its nanoseconds.
pub(crate) fn as_number(value: &Value) -> Value {
    value.number().map_or_else(|| value.clone(), Value::Int)
}

/// Returns a value of the type of another one with a number.
pub(crate) fn like(value: &Value, number: &Value) -> Value {
    match (value, number) {
        (Value::Time(_), Value::Int(nanos)) => Value::Time(Time::from_nanos(*nanos)),
        _ => number.clone(),
    }
}

fn sum_of(held: Option<&Value>, more: &Value) -> Value {
    held.map_or_else(|| more.clone(), |held| plus(held, more))
}

fn plus(one: &Value, other: &Value) -> Value {
    one.plus(other).map_or_else(|| one.clone(), |(sum, _)| sum)
}

fn minus(one: &Value, other: &Value) -> Value {
    plus(one, &other.negated())
}

fn greater(one: &Value, other: &Value) -> Value {
    if other.order(one) == Some(Ordering::Greater) { other.clone() } else { one.clone() }
}

fn sign(number: &Value) -> Ordering {
    number.order(&minus(number, number)).unwrap_or(Ordering::Equal)
}
