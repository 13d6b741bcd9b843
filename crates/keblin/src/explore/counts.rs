//! What two copies of the game have counted apart: merged, each part counts once.

use std::cmp::Ordering;

use keblin_model::model::{FieldDef, Scope};
use keblin_model::{Kind, Model, Time, Value};

use super::breach::{BreachCode, Unkept};
use super::names::{expectation, fact_name, name_of};
use crate::progress::Engine;
use crate::snapshot::LevelFacts;

/// What both copies had before they went apart, what each of them has, and what they have together.
pub(super) struct Counted<'c> {
    pub(super) model: &'c Model,
    pub(super) both: &'c Engine,
    pub(super) here: &'c Engine,
    pub(super) far: &'c Engine,
    pub(super) met: &'c Engine,
}

impl Counted<'_> {
    /// Returns what counts more than once, or not at all.
    pub(super) fn wrong(&self) -> Vec<Unkept> {
        let fields = self.model.fields.iter();
        let amounts =
            fields.filter(|field| field.scope == Scope::Profile && field.durable && field.keep.is_amount());
        let mut wrong: Vec<Unkept> = amounts
            .flat_map(|field| field.cells.clone().filter_map(|cell| self.amount(field, cell)))
            .collect();
        for index in 0..self.met.state().facts.len() {
            for word in ["attempts", "deaths"] {
                let count = |facts: &LevelFacts| if word == "deaths" { facts.deaths } else { facts.attempts };
                let of = |engine: &Engine| engine.state().facts.get(index).map_or(0, count);
                let of = |engine: &Engine| Value::Int(i64::try_from(of(engine)).unwrap_or(i64::MAX));
                let name = || fact_name(self.model, self.model.fact_place(index), word);
                wrong.extend(self.once(&of, |total| total, Kind::Int, name));
            }
        }
        let played = |engine: &Engine| Value::Int(engine.state().played.as_nanos());
        let shown = |nanos: Value| Value::Time(Time::from_nanos(nanos.number().unwrap_or_default()));
        wrong.extend(self.once(&played, shown, Kind::Time, || Some("played".to_string())));
        wrong
    }

    fn amount(&self, field: &FieldDef, cell: usize) -> Option<Unkept> {
        let of = |engine: &Engine| engine.value_at(cell).clone();
        let bounded = |total: Value| field.clamped_to_fixed(&total).unwrap_or(total);
        self.once(&of, bounded, field.kind, || name_of(self.model, cell))
    }

    /// Compares a count with what both copies have counted: what was there, and what each has added and taken since.
    fn once(
        &self,
        of: &dyn Fn(&Engine) -> Value,
        bounded: impl Fn(Value) -> Value,
        kind: Kind,
        name: impl Fn() -> Option<String>,
    ) -> Option<Unkept> {
        let [both, here, far, met] = [self.both, self.here, self.far, self.met].map(of);
        let (more, is_beyond) = far.plus(&both.negated())?;
        let (total, is_beyond_too) = here.plus(&more)?;
        let (total, met) = (bounded(total), bounded(met));
        // At the ends of a type's range nobody knows what was added.
        if is_beyond || is_beyond_too || met.order(&total) == Some(Ordering::Equal) {
            return None;
        }
        let name = name()?;
        let [both, here, far] = [both, here, far].map(&bounded);
        let message = format!(
            "`{name}` was {both}; one copy has {here} and the other {far}: together {met}, not {total}"
        );
        let line = expectation(&name, kind, &total);
        Some(Unkept::new(BreachCode::AmountMiscounted, &name, message).fails(line))
    }
}
