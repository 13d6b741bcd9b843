//! Records: best values, fed by the engine at a finish or at the end of a run, or offered by the game.

use std::sync::Arc;

use keblin_schema::Value;
use keblin_schema::keep::takes_place;
use keblin_schema::model::{At, Axis, FieldDef, RecordMoment};

use super::Progress;
use super::fields::Change;
use super::journal::Cause;
use super::notice::{NewRecord, Notice};
use super::phase::EventName;
use super::refusal::Refused;

impl Progress {
    /// Offers every record that is fed at a moment its value; what was beaten, and what was refused, one by one.
    pub(super) fn offer_records(
        &mut self,
        moment: RecordMoment,
        cause: &Cause,
    ) -> (Vec<NewRecord>, Vec<Refused>) {
        let schema = Arc::clone(&self.schema);
        let event = if moment == RecordMoment::Finish { EventName::Finish } else { EventName::EndRun };
        let (mut beaten, mut refused) = (Vec::new(), Vec::new());
        for field in &schema.fields {
            let feed = field.feed.as_ref().filter(|feed| feed.at.contains(&moment));
            let offered =
                feed.and_then(|feed| Some(self.value_at(schema.fields.get(feed.from)?.cells.start).clone()));
            let here = self.here();
            // A record of a level has no place where the run ends on the map.
            let Some((offered, cell)) = offered.zip(schema.cell(field, here)) else { continue };
            match self.within(event, field, here, offered) {
                Ok((offered, _)) => beaten.extend(self.better(field, here, cell, offered, cause)),
                Err(refusal) => refused.push(refusal),
            }
        }
        (beaten, refused)
    }

    /// As a write, and tells a record that was beaten.
    pub(crate) fn submit_to(&mut self, cell: usize, value: Value) -> Change {
        let schema = Arc::clone(&self.schema);
        let change = self.write(cell, value, &Cause::Submit);
        if let (Some((field, at)), true) = (schema.cell_owner(cell), change.before != change.after) {
            let record = self.record(field, at, change.before.clone(), change.after.clone());
            self.tell(Notice::NewRecord(record));
        }
        change
    }

    fn better(
        &mut self,
        field: &FieldDef,
        at: At,
        cell: usize,
        offered: Value,
        cause: &Cause,
    ) -> Option<NewRecord> {
        let before = self.value_at(cell).clone();
        takes_place(field.keep, &before, &offered).then(|| {
            self.put(cell, offered.clone(), cause);
            let record = self.record(field, at, before, offered);
            self.tell(Notice::NewRecord(record.clone()));
            record
        })
    }

    fn record(&self, field: &FieldDef, at: At, before: Value, now: Value) -> NewRecord {
        let on = |axis: Axis| field.per.contains(&axis);
        NewRecord {
            field: field.name.clone(),
            level: at.level.filter(|_| on(Axis::Level)).and_then(|index| self.schema.level_at(index)),
            difficulty: at
                .difficulty
                .filter(|_| on(Axis::Difficulty))
                .and_then(|index| self.schema.difficulty_at(index)),
            at,
            before,
            now,
        }
    }
}
