//! The objects of the world: whether every area can be recalled, its values fit the schema, and the objects that they
//! name are there.

use std::cmp::Ordering;
use std::collections::HashSet;

use keblin_model::model::MemberDef;
use keblin_model::{Kind, Model, Severity, Value};

use super::finding::SaveFinding;
use crate::save::SaveCode;
use crate::snapshot::Snapshot;
use crate::world::{AreaBody, ObjectId};

pub(super) fn findings(snapshot: &Snapshot) -> Vec<SaveFinding> {
    let schema = &snapshot.schema;
    let mut found = Vec::new();
    // Only for names of objects must all areas be known at once.
    let mut kinds = schema.object_kinds.iter().flat_map(|kind| &kind.fields);
    let names_objects = kinds.any(|field| matches!(field.kind, Kind::Object(_)));
    let (mut read, nothing) = (Vec::new(), There::of(schema, &[], false));
    for (area, bytes) in snapshot.areas().filter(|(id, _)| schema.areas.position(id).is_some()) {
        match AreaBody::read(schema, bytes) {
            Ok(body) if names_objects => read.push((area, body)),
            Ok(body) => found.extend(of_area(area, &body, &nothing)),
            Err(fault) => {
                let message = format!("{fault}; it is kept, but cannot be recalled");
                found.push(SaveFinding::warning(SaveCode::AreaUnreadable, format!("area.{area}"), message));
            }
        }
    }
    let there = There::of(schema, &read, found.is_empty());
    found.extend(read.iter().flat_map(|(area, body)| of_area(area, body, &there)));
    found
}

/// Returns what is wrong with the values of an area.
fn of_area(area: &str, body: &AreaBody<'_>, there: &There<'_>) -> Vec<SaveFinding> {
    let mut found = Vec::new();
    let mut carried = |place| {
        let what = "unknown to this schema; preserved on save";
        found.push(SaveFinding {
            severity: Severity::Hint,
            ..SaveFinding::warning(SaveCode::CarriedAlong, place, what)
        });
    };
    body.unknown_kinds().for_each(|kind| carried(format!("area.{area}.{kind}")));
    for (kind, rows) in there.model.object_kinds.iter().zip(&body.kinds) {
        rows.beyond.keys().for_each(|field| carried(format!("area.{area}.{}.{field}", kind.name)));
    }
    for (kind, rows) in there.model.object_kinds.iter().zip(&body.kinds) {
        for (field, column) in kind.fields.iter().zip(&rows.columns) {
            for (row, id) in rows.ids.iter().enumerate() {
                let misfit = column.get(row).and_then(|value| misfit(field, &value, there));
                let Some((code, message)) = misfit else { continue };
                let id = ObjectId::of_number(*id);
                let place = format!("area.{area}.{}.{id}.{}", kind.name, field.name);
                found.push(SaveFinding::warning(code, place, message));
            }
        }
    }
    found
}

/// Which objects the recorded areas have, by kind.
struct There<'s> {
    model: &'s Model,
    /// The objects, and those of levels that are gone from where they were.
    kinds: Vec<(HashSet<u64>, HashSet<u64>)>,
    /// Whether all recorded areas could be read: an object may be in one of the others.
    is_whole: bool,
}

impl There<'_> {
    fn of<'s>(model: &'s Model, areas: &[(&str, AreaBody<'_>)], is_whole: bool) -> There<'s> {
        let kinds = (0..model.object_kinds.len()).map(|kind| {
            let rows = || areas.iter().filter_map(move |(_, body)| body.kinds.get(kind));
            let ids = rows().flat_map(|rows| rows.ids.iter().copied()).collect();
            (ids, rows().flat_map(|rows| rows.gone.iter().copied()).collect())
        });
        There { model, kinds: kinds.collect(), is_whole }
    }

    /// Returns whether an object is known not to exist. Of a level's objects only those are known that an area has
    /// recorded as gone.
    fn lacks(&self, kind: usize, id: ObjectId) -> bool {
        self.kinds.get(kind).is_some_and(|(there, gone)| {
            self.is_whole && !there.contains(&id.number()) && (id.is_made() || gone.contains(&id.number()))
        })
    }
}

/// Returns what is wrong with a value of an object.
fn misfit(field: &MemberDef, value: &Value, there: &There<'_>) -> Option<(SaveCode, String)> {
    if let (Kind::Object(kind), Value::Object(id)) = (field.kind, value) {
        let kind = usize::from(kind);
        let name = there.model.object_kinds.get(kind).map_or("?", |kind| kind.name.as_str());
        let message =
            format!("it names {name} {id}, but that object is gone; the game gets its id unchanged");
        return there.lacks(kind, *id).then_some((SaveCode::ObjectGone, message));
    }
    let limits = &field.limits;
    for (bound, side, word) in
        [(&limits.min, Ordering::Less, "below"), (&limits.max, Ordering::Greater, "above")]
    {
        if let Some(bound) = bound.as_ref().filter(|bound| value.order(bound) == Some(side)) {
            let message = format!("{value} is {word} its bound {bound}; the object gets it unchanged");
            return Some((SaveCode::OutOfBounds, message));
        }
    }
    let is_too_long = limits.max_len.is_some_and(|max_len| value.len() > max_len);
    is_too_long.then(|| {
        let message = format!("it has {} characters or bytes, more than its `max_len`", value.len());
        (SaveCode::DoesNotFit, message)
    })
}
