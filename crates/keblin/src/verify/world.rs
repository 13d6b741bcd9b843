//! The objects of the world: whether every area can be recalled, and its values fit the schema.

use std::cmp::Ordering;

use keblin_schema::Value;
use keblin_schema::model::MemberDef;

use super::finding::SaveFinding;
use crate::save::SaveCode;
use crate::snapshot::Snapshot;
use crate::world::{AreaBody, ObjectId};

pub(super) fn findings(snapshot: &Snapshot) -> Vec<SaveFinding> {
    let schema = &snapshot.schema;
    let mut found = Vec::new();
    for (area, bytes) in snapshot.areas().filter(|(id, _)| schema.areas.position(id).is_some()) {
        let body = match AreaBody::read(schema, bytes) {
            Ok(body) => body,
            Err(fault) => {
                let message = format!("{fault}; it is kept, but cannot be recalled");
                found.push(SaveFinding::warning(SaveCode::AreaUnreadable, format!("area.{area}"), message));
                continue;
            }
        };
        for (kind, rows) in schema.object_kinds.iter().zip(&body.kinds) {
            for (field, column) in kind.fields.iter().zip(&rows.columns) {
                for (row, id) in rows.ids.iter().enumerate() {
                    let Some((code, message)) = column.get(row).and_then(|value| misfit(field, &value))
                    else {
                        continue;
                    };
                    let id = ObjectId::of_number(*id);
                    let place = format!("area.{area}.{}.{id}.{}", kind.name, field.name);
                    found.push(SaveFinding::warning(code, place, message));
                }
            }
        }
    }
    found
}

/// Returns what is wrong with a value of an object.
fn misfit(field: &MemberDef, value: &Value) -> Option<(SaveCode, String)> {
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
