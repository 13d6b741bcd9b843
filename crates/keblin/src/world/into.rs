//! From rows to a game's objects.

use std::marker::PhantomData;

use keblin_model::typed::{FieldType, Member};
use keblin_model::{Model, ObjectField, ObjectId, Time, Value};

use super::body::{AreaBody, Rows};
use super::column::Column;
use super::error::WorldWhy;
use super::object::WorldObject;
use super::objects::Objects;

/// One object, as `#[derive(WorldObject)]` reads it.
#[derive(Debug)]
pub struct RowIn<'r> {
    columns: &'r ColumnsIn<'r>,
    row: usize,
}

/// The columns of one kind in an area.
#[derive(Debug)]
struct ColumnsIn<'r> {
    rows: &'r Rows<'r>,
    /// By field: its bytes, if its values have a width, so that they are looked up once for all objects.
    packed: Vec<&'r [u8]>,
}

impl<'r> ColumnsIn<'r> {
    fn of(rows: &'r Rows<'r>) -> ColumnsIn<'r> {
        let packed = rows.columns.iter().map(|column| match column {
            Column::Packed { bytes, .. } => &**bytes,
            Column::Items(_) => &[],
        });
        ColumnsIn { rows, packed: packed.collect() }
    }
}

impl RowIn<'_> {
    /// Returns a member from its field.
    #[inline]
    #[must_use]
    pub fn get<T: FieldType, G, M: Member<T>>(&self, field: ObjectField<T, G>) -> M {
        let packed = self.columns.packed.get(field.index());
        if let Some(read) = packed.and_then(|bytes| T::unpack(bytes, self.row)) {
            return M::of(read);
        }
        let column = self.columns.rows.columns.get(field.index());
        let value = column.and_then(|column| column.get(self.row)).unwrap_or(Value::Unset);
        M::of(T::read(&value))
    }
}

/// The objects of an area, on their way back into the game: the game passes its own of each kind, as its level makes
/// them.
#[derive(Debug)]
pub struct AreaIn<'a, G> {
    model: &'a Model,
    area: usize,
    body: &'a AreaBody<'a>,
    /// The time in play.
    now: Time,
    /// By kind: the ids of the objects that the game makes with the area, once they were passed.
    known: Vec<Option<Vec<u64>>>,
    /// The first mistake.
    mistake: Option<WorldWhy>,
    of: PhantomData<G>,
}

impl<'a, G> AreaIn<'a, G> {
    pub(crate) fn new(model: &'a Model, area: usize, body: &'a AreaBody<'a>, now: Time) -> AreaIn<'a, G> {
        let known = vec![None; model.object_kinds.len()];
        AreaIn { model, area, body, now, known, mistake: None, of: PhantomData }
    }

    /// Recalls all objects of one kind. The collection has those of this area, as its level makes them: objects that
    /// were put by get their values back, those that are gone are removed, those that were made in play or came from
    /// another area are added, and all others stay as they are. Then each one is rebuilt.
    pub fn objects<T: WorldObject<G>>(&mut self, objects: &mut impl Objects<T>) {
        let place = T::KIND.index();
        let Some(rows) = self.rows_of(place) else { return };
        let away = rows.left.map(|left| (self.now - left).max(Time::ZERO));
        let columns = &ColumnsIn::of(rows);
        let mut authored = Vec::with_capacity(rows.ids.len());
        let mut taken = vec![false; rows.ids.len()];
        // Objects mostly come in the order in which they were put by.
        let mut next = 0;
        objects.retain_objects(|object| {
            let id = object.object_id().number();
            authored.push(id);
            let row = match rows.ids.get(next) {
                Some(held) if *held == id => Some(next),
                _ => rows.ids.binary_search(&id).ok(),
            };
            if let Some(row) = row {
                next = row + 1;
                taken.get_mut(row).into_iter().for_each(|taken| *taken = true);
                object.put_back(&RowIn { columns, row });
                away.into_iter().for_each(|away| object.time_away(away));
            }
            row.is_some() || rows.gone.binary_search(&id).is_err()
        });
        objects.reserve_objects(taken.iter().filter(|taken| !**taken).count());
        for (row, (id, _)) in rows.ids.iter().zip(&taken).enumerate().filter(|(_, (_, taken))| !**taken) {
            let id = ObjectId::of_number(*id);
            let mut object = T::made_again(id, &RowIn { columns, row });
            away.into_iter().for_each(|away| object.time_away(away));
            objects.add_object(id, object);
        }
        objects.retain_objects(|object| {
            object.rebuild();
            true
        });
        self.passed(place, authored);
    }

    /// Returns the rows of a kind; `None` if its objects were passed already.
    pub(super) fn rows_of(&mut self, kind: usize) -> Option<&'a Rows<'a>> {
        if self.known.get(kind)?.is_some() {
            let name = self.model.object_kinds.get(kind)?.name.to_string();
            self.mistake.get_or_insert(WorldWhy::Twice { kind: name });
            return None;
        }
        self.body.kinds.get(kind)
    }

    /// Notes the ids of the objects that the game has made of a kind.
    pub(super) fn passed(&mut self, kind: usize, mut authored: Vec<u64>) {
        let is_in_area = self.model.kinds_in(self.area).any(|in_area| in_area == kind);
        if !is_in_area && !authored.is_empty() {
            let name = self.model.object_kinds.get(kind).map_or(String::new(), |kind| kind.name.to_string());
            self.mistake.get_or_insert(WorldWhy::NotInArea { kind: name });
        }
        authored.sort_unstable();
        if let Some(known) = self.known.get_mut(kind) {
            *known = Some(authored);
        }
    }

    /// Returns the ids of the game's own objects by kind; every kind of the area must have been passed.
    pub(crate) fn done(self) -> Result<Vec<Vec<u64>>, WorldWhy> {
        if let Some(mistake) = self.mistake {
            return Err(mistake);
        }
        let is_missing = |kind: &usize| matches!(self.known.get(*kind), Some(None));
        let missing = self.model.kinds_in(self.area).find(is_missing);
        match missing.and_then(|kind| self.model.object_kinds.get(kind)) {
            Some(kind) => Err(WorldWhy::Missing { kind: kind.name.to_string() }),
            None => Ok(self.known.into_iter().map(Option::unwrap_or_default).collect()),
        }
    }
}
