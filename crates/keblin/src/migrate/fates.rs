//! What became of the facts of a level.

use keblin_model::Value;
use keblin_model::program::Fact;

use super::Became;
use crate::snapshot::LevelFacts;

/// Facts by name.
fn named(facts: &LevelFacts) -> [(&'static str, Value); 4] {
    let count = |number: u64| Value::Int(i64::try_from(number).unwrap_or(i64::MAX));
    [
        (Fact::Finished.as_str(), Value::Bool(facts.finished)),
        (Fact::Stars.as_str(), Value::Int(facts.stars.into())),
        (Fact::Attempts.as_str(), count(facts.attempts)),
        (Fact::Deaths.as_str(), count(facts.deaths)),
    ]
}

/// Returns whether a fact has its first value.
fn is_first(value: &Value) -> bool {
    [Value::Bool(false), Value::Int(0)].contains(value)
}

/// Returns the facts that do not have their first value, by name.
pub(super) fn said(facts: &LevelFacts) -> impl Iterator<Item = (&'static str, Value)> {
    named(facts).into_iter().filter(|(_, value)| !is_first(value))
}

/// Returns what became of facts that changed without moving.
pub(super) fn fates(was: &LevelFacts, is: &LevelFacts) -> impl Iterator<Item = (&'static str, Became)> {
    let pairs = named(was).into_iter().zip(named(is)).filter(|(was, is)| was != is);
    pairs.map(|((name, before), (_, now))| match is_first(&before) {
        true => (name, Became::Filled { now }),
        false => (name, Became::Changed { before, now }),
    })
}
