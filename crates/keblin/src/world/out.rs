//! From a game's objects to rows.

use std::marker::PhantomData;

use keblin_schema::Model;
use keblin_schema::limits::Unfit;
use keblin_schema::model::{MemberDef, ObjectKindDef};
use keblin_schema::typed::{FieldType, Member};
use keblin_schema::{ObjectField, ObjectId, Value};

use super::body::Rows;
use super::column::Column;
use super::error::WorldWhy;
use super::object::WorldObject;

/// The most objects that memory is reserved for at once.
const MAX_RESERVED: usize = 1 << 16;

/// One object, as `#[derive(WorldObject)]` writes it.
#[derive(Debug)]
pub struct RowOut<'r> {
    model: &'r Model,
    kind: &'r ObjectKindDef,
    rows: &'r mut Rows<'static>,
    /// By field: whether any value of its type fits.
    free: &'r [bool],
    /// The field whose value cannot be kept, and why if it is known.
    refused: Option<(String, Option<Unfit>)>,
}

impl RowOut<'_> {
    /// Writes a member to its field. A number beyond the bounds of the field becomes the nearest one within.
    #[inline]
    pub fn put<T: FieldType, G, M: Member<T>>(&mut self, field: ObjectField<T, G>, member: &M) {
        let index = field.index();
        let written = member.to_write();
        if self.free.get(index) == Some(&true)
            && let (Some(Column::Packed { bytes, .. }), Some(value)) =
                (self.rows.columns.get_mut(index), &written)
            && T::pack(value, bytes.to_mut())
        {
            return;
        }
        let value = match written {
            Some(value) => T::write(value, self.model),
            // A member that may be unset, and is.
            None => Some(Value::Unset),
        };
        self.put_value(index, value);
    }

    /// Writes a value to the field at a position; `None` is one that cannot be written.
    pub(super) fn put_value(&mut self, field: usize, value: Option<Value>) {
        let (Some(def), Some(column)) = (self.kind.fields.get(field), self.rows.columns.get_mut(field))
        else {
            return;
        };
        let kept = value.ok_or(None).and_then(|value| self.model.kept_of_object(def, value).map_err(Some));
        let value = kept.unwrap_or_else(|unfit| {
            self.refused = Some((format!("{}.{}", self.kind.name, def.name), unfit));
            def.default.clone()
        });
        column.push(value);
    }
}

/// The objects of an area, on their way out of the game: the game passes those of each kind.
#[derive(Debug)]
pub struct AreaOut<'a, G> {
    model: &'a Model,
    area: usize,
    /// By kind: its rows, once they were passed.
    rows: Vec<Option<Rows<'static>>>,
    /// The first mistake.
    mistake: Option<WorldWhy>,
    of: PhantomData<G>,
}

impl<'a, G> AreaOut<'a, G> {
    pub(crate) fn new(model: &'a Model, area: usize) -> AreaOut<'a, G> {
        AreaOut { model, area, rows: vec![None; model.object_kinds.len()], mistake: None, of: PhantomData }
    }

    /// Passes all objects of one kind in the area, in any order.
    pub fn objects<'o, T: WorldObject<G> + 'o>(&mut self, objects: impl IntoIterator<Item = &'o T>) {
        let rows =
            objects.into_iter().map(|object| (object.object_id(), |row: &mut RowOut<'_>| object.record(row)));
        self.rows(T::KIND.index(), rows);
    }

    /// Takes the rows of all objects of one kind, each with what writes it.
    pub(super) fn rows<F: FnOnce(&mut RowOut<'_>)>(
        &mut self,
        place: usize,
        objects: impl Iterator<Item = (ObjectId, F)>,
    ) {
        let model = self.model;
        let (Some(kind), Some(held)) = (model.object_kinds.get(place), self.rows.get_mut(place)) else {
            return;
        };
        let named = || kind.name.to_string();
        if held.is_some() {
            self.mistake.get_or_insert_with(|| WorldWhy::Twice { kind: named() });
            return;
        }
        let mut rows = Rows::of(kind);
        // A hint that is far too large must not cost memory.
        rows.reserve(objects.size_hint().0.min(MAX_RESERVED));
        let is_free = |field: &MemberDef| field.limits.min.is_none() && field.limits.max.is_none();
        let free: Vec<bool> = kind.fields.iter().map(is_free).collect();
        for (id, record) in objects {
            rows.ids.push(id.number());
            let mut row = RowOut { model, kind, rows: &mut rows, free: &free, refused: None };
            record(&mut row);
            if let Some((field, unfit)) = row.refused {
                self.mistake.get_or_insert(WorldWhy::Value { field, id, unfit });
            }
        }
        let is_in_area = model.kinds_in(self.area).any(|in_area| in_area == place);
        if !is_in_area && !rows.ids.is_empty() {
            self.mistake.get_or_insert_with(|| WorldWhy::NotInArea { kind: named() });
        }
        match rows.in_order() {
            Ok(rows) => *held = Some(rows),
            Err(id) => {
                let id = ObjectId::of_number(id);
                self.mistake.get_or_insert_with(|| WorldWhy::Repeated { kind: named(), id });
            }
        }
    }

    /// Returns the rows by kind; every kind of the area must have been passed.
    pub(crate) fn done(self) -> Result<Vec<Option<Rows<'static>>>, WorldWhy> {
        if let Some(mistake) = self.mistake {
            return Err(mistake);
        }
        let is_missing = |kind: &usize| matches!(self.rows.get(*kind), Some(None));
        let missing = self.model.kinds_in(self.area).find(is_missing);
        match missing.and_then(|kind| self.model.object_kinds.get(kind)) {
            Some(kind) => Err(WorldWhy::Missing { kind: kind.name.to_string() }),
            None => Ok(self.rows),
        }
    }
}
