//! Objects without a struct of a game: a rehearsal has only the declaration.

use keblin_model::{Model, ObjectId, Value};

use super::into::AreaIn;
use super::out::{AreaOut, ColumnsOut};

/// An object as its values, one for each field of its kind.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct PlainObject {
    pub(crate) id: ObjectId,
    pub(crate) values: Vec<Value>,
}

impl PlainObject {
    /// Returns an object of a kind with its defaults.
    pub(crate) fn new(model: &Model, kind: usize, id: ObjectId) -> PlainObject {
        let fields = model.object_kinds.get(kind).map_or(&[][..], |kind| &kind.fields);
        PlainObject { id, values: fields.iter().map(|field| field.default.clone()).collect() }
    }
}

impl<G> AreaOut<'_, G> {
    /// Passes all objects of one kind in the area.
    pub(crate) fn plain_objects(&mut self, kind: usize, objects: &[PlainObject]) {
        let record = |objects: &[&PlainObject], columns: &mut ColumnsOut<'_>| {
            for (row, object) in objects.iter().enumerate() {
                let values = object.values.iter().cloned().enumerate();
                values.for_each(|(field, value)| columns.put_value(field, row, Some(value)));
            }
        };
        self.rows(kind, objects.iter().collect(), |object| object.id, record);
    }
}

impl<G> AreaIn<'_, G> {
    /// Recalls all objects of one kind: the collection has those that the level makes.
    pub(crate) fn plain_objects(&mut self, kind: usize, objects: &mut Vec<PlainObject>) {
        let Some(rows) = self.rows_of(kind) else { return };
        let values = |row: usize| {
            let columns = rows.columns.iter().map(|column| column.get(row).unwrap_or(Value::Unset));
            columns.collect::<Vec<_>>()
        };
        let authored: Vec<u64> = objects.iter().map(|object| object.id.number()).collect();
        objects.retain_mut(|object| match rows.ids.binary_search(&object.id.number()) {
            Ok(row) => {
                object.values = values(row);
                true
            }
            Err(_) => rows.gone.binary_search(&object.id.number()).is_err(),
        });
        let added = rows.ids.iter().enumerate().filter(|(_, id)| !authored.contains(id));
        let added = added.map(|(row, id)| PlainObject { id: ObjectId::of_number(*id), values: values(row) });
        objects.extend(added);
        self.passed(kind, authored);
    }
}
