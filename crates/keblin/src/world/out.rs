//! From a game's objects to rows.

use keblin_model::order::sort_by;
use std::borrow::Cow;
use std::marker::PhantomData;

use keblin_model::Model;
use keblin_model::model::ObjectKindDef;
use keblin_model::typed::{FieldType, Member};
use keblin_model::{ObjectField, ObjectId, Value};

use super::body::{AreaBody, Rows};
use super::column::Column;
use super::error::WorldWhy;
use super::object::WorldObject;

/// The objects of one kind in an area, as `#[derive(WorldObject)]` writes them: one column for each field.
#[derive(Debug)]
pub struct ColumnsOut<'r> {
    model: &'r Model,
    kind: &'r ObjectKindDef,
    rows: &'r mut Rows<'static>,
    /// The bytes of the area before.
    held: Option<&'r [u8]>,
    /// The rows of the kind before, once they were asked for.
    before: Option<Rows<'r>>,
    /// The first value that cannot be kept.
    refused: Option<WorldWhy>,
}

impl ColumnsOut<'_> {
    /// Writes one member of all objects to its field, in the order in which the objects were passed. A number beyond the
    /// bounds of the field becomes the nearest one within.
    #[inline]
    pub fn put<'m, T: FieldType, G, M: Member<T> + 'm>(
        &mut self,
        field: ObjectField<T, G>,
        members: impl Iterator<Item = &'m M> + Clone,
    ) {
        let index = field.index();
        let written = members.map(M::to_write);
        if self.is_free(index)
            && let Some(Column::Packed { bytes, .. }) = self.rows.columns.get_mut(index)
            && let Some(packed) = T::pack(written.clone())
        {
            *bytes = Cow::Owned(packed);
            return;
        }
        for (row, value) in written.enumerate() {
            let value = match value {
                Some(value) => T::write(value, self.model),
                // A member that may be unset, and is.
                None => Some(Value::Unset),
            };
            self.put_value(index, row, value);
        }
    }

    /// Returns whether any value of a field's type fits.
    fn is_free(&self, field: usize) -> bool {
        let limits = self.kind.fields.get(field).map(|field| &field.limits);
        limits.is_some_and(|limits| limits.min.is_none() && limits.max.is_none())
    }

    /// Writes the value of a row to the field at a position; `None` is one that cannot be written.
    pub(super) fn put_value(&mut self, field: usize, row: usize, value: Option<Value>) {
        let Some(def) = self.kind.fields.get(field) else { return };
        let id = self.rows.ids.get(row).copied().unwrap_or_default();
        let is_too_long = |value: &Value| {
            def.limits.max_len.is_some_and(|max_len| def.kind.has_length() && value.len() > max_len)
        };
        let kept = match value {
            // Another build, which allows more, has saved it.
            Some(value) if is_too_long(&value) && self.had(field, id).as_ref() == Some(&value) => Ok(value),
            value => value.ok_or(None).and_then(|value| self.model.kept_of_object(def, value).map_err(Some)),
        };
        let value = kept.unwrap_or_else(|unfit| {
            let id = ObjectId::of_number(id);
            let field = format!("{}.{}", self.kind.name, def.name);
            self.refused.get_or_insert(WorldWhy::Value { field, id, unfit });
            def.default.clone()
        });
        self.rows.columns.get_mut(field).into_iter().for_each(|column| column.push(value.clone()));
    }

    /// Returns the value that an object had before.
    fn had(&mut self, field: usize, id: u64) -> Option<Value> {
        let (model, kind, held) = (self.model, self.kind, self.held);
        let place = model.object_kinds.iter().position(|of| of.name == kind.name)?;
        let read = || AreaBody::read(model, held?).ok()?.kinds.into_iter().nth(place);
        let rows = self.before.get_or_insert_with(|| read().unwrap_or_default());
        rows.columns.get(field)?.get(rows.ids.binary_search(&id).ok()?)
    }
}

/// The objects of an area, on their way out of the game: the game passes those of each kind.
#[derive(Debug)]
pub struct AreaOut<'a, G> {
    model: &'a Model,
    area: usize,
    /// What was known of the area before, as bytes.
    held: Option<&'a [u8]>,
    /// By kind: its rows, once they were passed.
    rows: Vec<Option<Rows<'static>>>,
    /// The first mistake.
    mistake: Option<WorldWhy>,
    of: PhantomData<G>,
}

impl<'a, G> AreaOut<'a, G> {
    pub(crate) fn new(model: &'a Model, area: usize, held: Option<&'a [u8]>) -> AreaOut<'a, G> {
        AreaOut {
            model,
            area,
            held,
            rows: vec![None; model.object_kinds.len()],
            mistake: None,
            of: PhantomData,
        }
    }

    /// Passes all objects of one kind in the area, in any order.
    pub fn objects<'o, T: WorldObject<G> + 'o>(&mut self, objects: impl IntoIterator<Item = &'o T>) {
        self.rows(T::KIND.index(), objects.into_iter().collect(), T::object_id, T::record);
    }

    /// Takes the rows of all objects of one kind, with what returns an id and what writes the values.
    pub(super) fn rows<T>(
        &mut self,
        place: usize,
        mut objects: Vec<&T>,
        id_of: impl Fn(&T) -> ObjectId,
        record: impl FnOnce(&[&T], &mut ColumnsOut<'_>),
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
        let is_in_area = model.kinds_in(self.area).any(|in_area| in_area == place);
        if !is_in_area && !objects.is_empty() {
            self.mistake.get_or_insert_with(|| WorldWhy::NotInArea { kind: named() });
        }
        let ids = |objects: &[&T]| objects.iter().map(|object| id_of(object).number()).collect::<Vec<u64>>();
        let mut rows = Rows { ids: ids(&objects), ..Rows::of(kind) };
        if !rows.ids.is_sorted() {
            sort_by(&mut objects, |one, other| id_of(one).number().cmp(&id_of(other).number()));
            rows.ids = ids(&objects);
        }
        if let Some([id, _]) = rows.ids.array_windows().find(|[one, next]| one == next) {
            let id = ObjectId::of_number(*id);
            self.mistake.get_or_insert_with(|| WorldWhy::Repeated { kind: named(), id });
            return;
        }
        let mut columns =
            ColumnsOut { model, kind, rows: &mut rows, held: self.held, before: None, refused: None };
        record(&objects, &mut columns);
        if let Some(refused) = columns.refused {
            self.mistake.get_or_insert(refused);
        }
        *held = Some(rows);
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
