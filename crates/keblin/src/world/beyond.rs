//! Values of objects that this build does not know: of a field that another build of the same version has added, an item
//! of a list, a number beyond a bound. They stay with their objects, and are written back.

use std::collections::BTreeMap;

use keblin_model::model::{MemberDef, ObjectKindDef};
use keblin_model::order::sort_by;
use keblin_model::{Kind, Model, Value};
use minicbor::data::Type;
use minicbor::encode::{Error, Write};
use minicbor::{Decoder, Encoder};

use super::body::{Rows, in_order_of_keys, write_ids};
use super::column::Column;
use crate::broken::Broken;
use crate::grammar::encoded;

/// The values that this build does not know, by field and by object.
pub(crate) type Beyond = BTreeMap<String, BTreeMap<u64, Unknown>>;

/// A value that this build does not know.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Unknown {
    /// The value as the column of one object, encoded.
    pub(super) column: Vec<u8>,
    /// What the game puts in its place, unless it changes the value; `None` if this build does not have the field.
    pub(super) seen: Option<Value>,
}

/// The column of one object whose value is unset.
pub(super) const UNSET: &[u8] = &[0x81, 0xf6];

/// The keys of what is kept of a field.
pub(super) const IDS: &str = "ids";
pub(super) const VALUES: &str = "values";

/// Returns a column as one column for each object; `None` if it is not a column for as many.
pub(super) fn apart(bytes: &[u8], objects: usize) -> Option<Vec<Vec<u8>>> {
    let mut from = Decoder::new(bytes);
    let apart: Vec<Vec<u8>> = if from.datatype().ok()? == Type::Tag {
        let (tag, values) = (from.tag().ok()?, from.bytes().ok()?);
        let width = values.len().checked_div(objects).filter(|width| *width > 0)?;
        let one = |value| encoded(|out| out.tag(tag)?.bytes(value).map(drop));
        values.chunks(width).map(one).collect()
    } else {
        let count = from.array().ok()??;
        let item = |_| {
            let start = from.position();
            from.skip().ok()?;
            let item = bytes.get(start..from.position())?;
            Some(encoded(|out| {
                out.array(1)?.writer_mut().extend_from_slice(item);
                Ok(())
            }))
        };
        (0..count).map_while(item).collect()
    };
    (apart.len() == objects).then_some(apart)
}

/// Returns the value in the column of one object, if this build knows it.
fn known(model: &Model, field: &MemberDef, column: &[u8]) -> Option<Value> {
    let is_unset = column == UNSET && field.default == Value::Unset;
    let column = Column::read(&mut Decoder::new(column), (model, field.kind), 1).ok()?;
    column.get(0).filter(|value| is_unset || *value != Value::Unset)
}

/// Returns whether the objects of a kind can have values that this build does not know although it has their field.
pub(super) fn may_have(kind: &ObjectKindDef) -> bool {
    let has_limits = |field: &MemberDef| field.limits.min.is_some() || field.limits.max.is_some();
    kind.fields.iter().any(|field| matches!(field.kind, Kind::Id(_)) || has_limits(field))
}

impl Rows<'_> {
    /// Keeps the values of a field for their objects.
    pub(super) fn keep(&mut self, field: &str, values: impl Iterator<Item = (u64, Unknown)>) {
        let mut values = values.peekable();
        if values.peek().is_some() {
            self.beyond.entry(field.to_string()).or_default().extend(values);
        }
    }

    /// Puts values that were kept in their columns, where this build knows them.
    pub(super) fn settle(&mut self, (model, kind): (&Model, &ObjectKindDef)) {
        let Rows { ids, columns, beyond, .. } = self;
        for (field, column) in kind.fields.iter().zip(columns) {
            let Some(values) = beyond.get_mut(field.name.as_str()) else { continue };
            values.retain(|id, unknown| {
                let Ok(row) = ids.binary_search(id) else { return false };
                if unknown.seen.is_some() {
                    return true;
                }
                let value = known(model, field, &unknown.column);
                unknown.seen = column.get(row);
                value.is_none_or(|value| !column.set(row, value))
            });
        }
        beyond.retain(|_, values| !values.is_empty());
    }

    /// Keeps the numbers that are beyond the bounds of this build: what the game puts in their place is within them.
    pub(super) fn keep_beyond_bounds(&mut self, model: &Model, kind: &ObjectKindDef) {
        for (at, field) in kind.fields.iter().enumerate() {
            let bounded = |value: &Value| model.kept_of_object(field, value.clone()).ok();
            let moved = |(row, id): (usize, &u64)| {
                let column = self.columns.get(at)?;
                let value = column.get(row)?;
                let seen = bounded(&value).filter(|seen| *seen != value)?;
                let column = encoded(|out| column.picked(&[row]).write(out));
                Some((*id, Unknown { column, seen: Some(seen) }))
            };
            if self.columns.get(at).is_some_and(|column| !column.is_within(&field.limits)) {
                let moved: Vec<_> = self.ids.iter().enumerate().filter_map(moved).collect();
                self.keep(field.name.as_str(), moved.into_iter());
            }
        }
    }

    /// Takes over what was kept for these objects before, unless the game has changed it.
    pub(crate) fn take_beyond_of(&mut self, before: Beyond, kind: &ObjectKindDef) {
        for (name, mut values) in before {
            let field = kind.fields.iter().position(|field| field.name.as_str() == name);
            values.retain(|id, unknown| {
                let row = self.ids.binary_search(id).ok();
                let now = row.zip(field).and_then(|(row, field)| self.columns.get(field)?.get(row));
                row.is_some() && now == unknown.seen && !Broken::ObjectPartsForgotten.is()
            });
            self.keep(&name, values.into_iter());
        }
    }
}

/// Writes what is kept of the objects of a kind.
pub(super) fn write<W: Write>(out: &mut Encoder<W>, beyond: &Beyond) -> Result<(), Error<W::Error>> {
    let mut fields: Vec<_> = beyond.iter().collect();
    sort_by(&mut fields, |(one, _), (other, _)| in_order_of_keys(one).cmp(&in_order_of_keys(other)));
    out.map(fields.len() as u64)?;
    for (name, values) in fields {
        let ids: Vec<u64> = values.keys().copied().collect();
        write_ids(out.str(name)?.map(2)?.str(IDS)?, &ids)?;
        out.str(VALUES)?.array(values.len() as u64)?;
        for unknown in values.values() {
            out.writer_mut().write_all(&unknown.column).map_err(Error::write)?;
        }
    }
    Ok(())
}
