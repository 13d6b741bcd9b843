//! What the engine feeds at a finish or at the end of a run: records, sums and unions. A record is a best value; a game
//! also submits to it. One with `places` keeps a table of the best ones, the best first.

use std::sync::Arc;

use keblin_model::keep::meet;
use keblin_model::model::{At, Axis, FeedAt, FieldDef};
use keblin_model::typed::FieldType;
use keblin_model::value::Best;
use keblin_model::{Keep, Value};

use super::fields::Change;
use super::journal::Cause;
use super::notice::{NewRecord, Notice};
use super::phase::EventName;
use super::refusal::{Refused, Why};
use super::typed::UnsettableOf;
use super::values::Ordered;
use super::{Engine, Holder, Play};
use crate::broken::Broken;
use crate::snapshot::Snapshot;

impl<G, P: Holder> Play<G, P> {
    /// Returns the table of a record's best values, the best first, without empty places. A record without `places`
    /// has at most one value.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    pub fn table<F: UnsettableOf<G>>(
        &self,
        field: F,
    ) -> impl Iterator<Item = <F::Held as FieldType>::Read<'_>> {
        let cell = self.engine().checked(field.of_any());
        self.engine().table(cell).map(|value| F::Held::read(value.alone()))
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Submits a value that the game measured to a record, with what goes with it: the shape that the declaration names
    /// in `with`. Otherwise as [`Play::submit`], which fills the shape from fields.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn submit_with<F: UnsettableOf<G, Held: Ordered>, W: FieldType<Write = W>>(
        &mut self,
        field: F,
        value: <F::Held as FieldType>::Write,
        with: W,
    ) -> Change {
        let cell = self.engine_mut().checked(field.of_any());
        let schema = &self.engine().schema;
        let change = match (F::Held::write(value, schema), W::write(with, schema)) {
            (Some(value), Some(with)) => {
                let best = Value::Best(Arc::new(Best { value, with }));
                self.engine_mut().submit_to(cell, best)
            }
            _ => self.engine_mut().not_finite(cell),
        };
        self.reported(change)
    }

    /// Returns the table of a record's best values with what goes with each, the best first, without empty places. `W`
    /// is the shape's type; [`Value`] for a schema that was loaded at run time.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    pub fn table_with<W: FieldType, F: UnsettableOf<G>>(
        &self,
        field: F,
    ) -> impl Iterator<Item = (<F::Held as FieldType>::Read<'_>, W::Read<'_>)> {
        let cell = self.engine().checked(field.of_any());
        let held = self.engine().table(cell).filter_map(|value| Some((value, value.with()?)));
        held.map(|(value, with)| (F::Held::read(value.alone()), W::read(with)))
    }
}

impl Engine {
    /// Feeds every field that takes a value at an event; returns the records that were beaten, and what was refused.
    pub(super) fn offer_records(&mut self, moment: FeedAt, cause: &Cause) -> (Vec<NewRecord>, Vec<Refused>) {
        let schema = Arc::clone(&self.schema);
        let event = if moment == FeedAt::Finish { EventName::Finish } else { EventName::EndRun };
        let (mut beaten, mut refused) = (Vec::new(), Vec::new());
        for field in &schema.fields {
            let Some((cell, within)) = self.to_feed(field, moment, event) else { continue };
            let here = self.here();
            match within {
                Ok(offered) if field.keep.is_record() => {
                    let before = self.value_at(cell).clone();
                    let place = self.offer(field, cell, &offered, cause);
                    beaten.extend(place.map(|place| self.tell_record(field, here, place, before, offered)));
                }
                Ok(value) => self.put(cell, value, cause),
                Err(refusal) => refused.push(refusal),
            }
        }
        (beaten, refused)
    }

    /// Returns what an event feeds to a field, and to which of its cells; `None` if it feeds nothing.
    fn to_feed(
        &self,
        field: &FieldDef,
        moment: FeedAt,
        event: EventName,
    ) -> Option<(usize, Result<Value, Refused>)> {
        let feed = field.feed.as_ref().filter(|feed| feed.at.contains(&moment))?;
        let offered = self.schema.fields.get(feed.from).map(|from| self.value_at(from.cells.start).clone());
        // A field per level does not have a place if the run ends on the map.
        let (offered, cell) = offered.zip(self.schema.cell(field, self.here()))?;
        let fed = self.fed(field, cell, offered).map_err(|why| self.refusal(event, why));
        let within = fed.and_then(|fed| self.within(event, field, cell, fed));
        let is_record = field.keep.is_record();
        Some((cell, within.map(|(fed, _)| if is_record { self.with_what_goes(cell, fed) } else { fed })))
    }

    /// Returns what the run of a save would feed if it ended now, by the first cell of each field. An amount
    /// takes what a run has gained only when it ends.
    pub(crate) fn offers_of_run(save: &Snapshot) -> Vec<(usize, Value)> {
        let fed = save.schema.fields.iter().filter(|field| {
            !field.keep.is_amount()
                && field.feed.as_ref().is_some_and(|feed| feed.at.contains(&FeedAt::RunEnd))
        });
        let fed: Vec<&FieldDef> = fed.collect();
        if fed.is_empty() || save.state.run.is_none() {
            return Vec::new();
        }
        let view = Engine::view(save);
        let offered = |field: &FieldDef| {
            let (cell, offered) = view.to_feed(field, FeedAt::RunEnd, EventName::EndRun)?;
            Some((cell, offered.ok()?))
        };
        fed.into_iter().filter_map(offered).collect()
    }

    /// Returns what a field would hold after it was fed: what is offered to a record, an amount or union with
    /// it.
    fn fed(&self, field: &FieldDef, cell: usize, offered: Value) -> Result<Value, Why> {
        let held = self.value_at(cell);
        match field.keep {
            Keep::Sum if offered.is_negative() => Err(Why::OnlyGains { field: field.name.clone() }),
            keep if keep.is_amount() => Ok(held.plus(&offered).map_or_else(|| held.clone(), |(sum, _)| sum)),
            Keep::Union => Ok(meet(field.keep, held, &offered).unwrap_or_else(|| held.clone())),
            _ => Ok(offered),
        }
    }

    /// Returns a value of a record with what goes with it: the given members, else those that the declaration fills
    /// from fields, else the defaults.
    pub(super) fn with_what_goes(&self, cell: usize, value: Value) -> Value {
        let Some(field) = self.schema.field_at(cell) else { return value };
        let Some(with) = &field.with else { return value };
        let is_given = value.with().is_some();
        let Value::Best(best) = self.schema.as_best(field, value) else { return Value::Unset };
        let Best { value, with: shape } = Best::clone(&best);
        let shape = match shape {
            Value::Shape(members) if !is_given => {
                let mut members = members.to_vec();
                for (member, from) in &with.from {
                    let from = self.schema.fields.get(*from).map(|from| self.value_at(from.cells.start));
                    // A member that is never unset keeps its default for an unset field.
                    if let (Some((_, held)), Some(from)) = (members.get_mut(*member), from)
                        && (*from != Value::Unset || *held == Value::Unset)
                    {
                        held.clone_from(from.alone());
                    }
                }
                Value::Shape(members.into())
            }
            given => given,
        };
        let filled = Value::Best(Arc::new(Best { value, with: shape }));
        self.schema.clamped_inside(field, &filled).unwrap_or(filled)
    }

    /// Submits a value, as a write, and reports a beaten record or a new place in its table.
    pub(crate) fn submit_to(&mut self, cell: usize, value: Value) -> Change {
        let schema = Arc::clone(&self.schema);
        let change = self.write(cell, value, &Cause::Submit);
        if let (Some((field, at)), Some(place)) = (schema.cell_owner(cell), change.place) {
            let now = self.value_at(cell + place - 1).clone();
            self.tell_record(field, at, place, change.before.clone(), now);
        }
        change
    }

    /// Offers a value to a record and returns its place, from 1. In a table an equal value goes below the older one.
    pub(super) fn offer(
        &mut self,
        field: &FieldDef,
        cell: usize,
        offered: &Value,
        cause: &Cause,
    ) -> Option<usize> {
        let table = cell..cell + field.places;
        let keep = match field.keep {
            Keep::Highest if Broken::KeepInverted.is() => Keep::Lowest,
            keep => keep,
        };
        let takes = |cell: &usize| meet(keep, self.value_at(*cell), offered).is_some();
        let place = table.clone().find(takes)?;
        // Later values move down; the last one is dropped.
        for below in (place + 1..table.end).rev() {
            let moved = self.value_at(below - 1).clone();
            self.put(below, moved, cause);
        }
        self.put(place, offered.clone(), cause);
        Some(place - cell + 1)
    }

    fn tell_record(&mut self, field: &FieldDef, at: At, place: usize, best: Value, now: Value) -> NewRecord {
        let on = |axis: Axis| field.per.contains(&axis);
        let record = NewRecord {
            field: field.name.clone(),
            level: at.level.filter(|_| on(Axis::Level)).and_then(|index| self.schema.level_at(index)),
            difficulty: at
                .difficulty
                .filter(|_| on(Axis::Difficulty))
                .and_then(|index| self.schema.difficulty_at(index)),
            at,
            place,
            before: best,
            now,
            first_cell: field.cells.start,
            cell: self.schema.cell(field, at).unwrap_or(field.cells.start),
        };
        let told = record.clone();
        self.tell(if place == 1 { Notice::NewRecord(told) } else { Notice::Placed(told) });
        record
    }

    /// Returns the values in the table of a record that starts at a cell.
    fn table(&self, cell: usize) -> impl Iterator<Item = &Value> {
        let places = self.schema.cell_owner(cell).map_or(0, |(field, _)| field.places);
        (cell..cell + places).map(|cell| self.value_at(cell)).filter(|value| **value != Value::Unset)
    }
}
