//! What is known of the areas of a save, for tools.

use keblin_model::Name;

use super::body::AreaBody;
use super::fault::AreaFault;
use crate::snapshot::Snapshot;

/// What a save knows of the objects of a kind in an area.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct ObjectCount {
    /// The kind.
    pub kind: Name,
    /// How many objects are kept.
    pub objects: usize,
    /// How many of the objects that the level makes are gone.
    pub gone: usize,
}

/// Returns what a snapshot knows of every declared area that it has, by id. An area that cannot be read has a fault.
#[must_use]
pub fn counts(snapshot: &Snapshot) -> Vec<(String, Result<Vec<ObjectCount>, AreaFault>)> {
    let schema = &snapshot.schema;
    let declared = snapshot.areas().filter(|(id, _)| schema.areas.position(id).is_some());
    let counts = declared.map(|(id, bytes)| {
        let body = AreaBody::read(schema, bytes);
        let counts = body.map(|body| {
            let kinds = schema.object_kinds.iter().zip(&body.kinds).filter(|(_, rows)| !rows.is_empty());
            let count = kinds.map(|(kind, rows)| ObjectCount {
                kind: kind.name.clone(),
                objects: rows.ids.len(),
                gone: rows.gone.len(),
            });
            count.collect()
        });
        (id.to_string(), counts)
    });
    counts.collect()
}
