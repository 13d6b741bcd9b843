//! Columns: the values of one field of the objects of an area.

use std::borrow::Cow;

use keblin_model::kind::Kind;
use keblin_model::model::Limits;
use keblin_model::typed::{finite_f32, finite_f64};
use keblin_model::value::{Float, Part};
use keblin_model::{Date, Instant, Model, ObjectId, Time, Value};
use minicbor::data::{Tag, Type};
use minicbor::encode::{Error, Write};
use minicbor::{Decoder, Encoder};

use super::fault::AreaFaultKind;
use super::tags;
use crate::broken::Broken;

/// The values of one field, one after the other. Bytes that were read stay where they are, as most areas are only
/// recalled.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Column<'b> {
    /// Values of one width, as the bytes of a typed array.
    Packed {
        /// Their type.
        kind: Kind,
        /// The bytes.
        bytes: Cow<'b, [u8]>,
    },
    /// All other values.
    Items(Vec<Value>),
}

/// Returns the tag of the typed array of a type, and how many bytes one value has; `None` if its values have no
/// common width.
fn packing(kind: Kind) -> Option<(u64, usize)> {
    Some(match kind {
        Kind::Bool => (tags::U8, 1),
        Kind::Int | Kind::Time => (tags::I64, 8),
        Kind::Float => (tags::F64, 8),
        Kind::Vec2 => (tags::F32, 8),
        Kind::Vec3 => (tags::F32, 12),
        Kind::Quat => (tags::F32, 16),
        _ => return None,
    })
}

impl<'b> Column<'b> {
    pub(crate) fn new(kind: Kind) -> Column<'b> {
        match packing(kind) {
            Some(_) => Column::Packed { kind, bytes: Cow::Owned(Vec::new()) },
            None => Column::Items(Vec::new()),
        }
    }

    /// Adds a value of its type; one of another type is left out, which the types of a game rule out.
    pub(crate) fn push(&mut self, value: Value) {
        match self {
            Column::Items(items) => items.push(value),
            Column::Packed { bytes, .. } => push_value(bytes.to_mut(), value),
        }
    }

    /// Returns the value of a row; `None` if the column is shorter, or its bytes cannot be read as the type.
    pub(crate) fn get(&self, row: usize) -> Option<Value> {
        let Column::Packed { kind, bytes } = self else {
            return if let Column::Items(items) = self { items.get(row).cloned() } else { None };
        };
        let (_, width) = packing(*kind)?;
        let bytes = bytes.get(row * width..(row + 1) * width)?;
        Some(match kind {
            Kind::Bool => Value::Bool(*bytes.first()? != 0),
            Kind::Int => Value::Int(i64::from_le_bytes(bytes.try_into().ok()?)),
            Kind::Time => Value::Time(Time::from_nanos(i64::from_le_bytes(bytes.try_into().ok()?))),
            Kind::Float => Value::Float(Float::new(f64::from_le_bytes(bytes.try_into().ok()?))?),
            Kind::Vec2 => Value::Vec2(parts(bytes)?),
            Kind::Vec3 => Value::Vec3(parts(bytes)?),
            _ => Value::Quat(parts(bytes)?),
        })
    }

    /// Puts a value in a row; returns whether there is such a row.
    pub(super) fn set(&mut self, row: usize, value: Value) -> bool {
        match self {
            Column::Items(items) => items.get_mut(row).map(|item| *item = value).is_some(),
            Column::Packed { kind, bytes } => {
                let width = packing(*kind).map_or(1, |(_, width)| width);
                let mut packed = Vec::with_capacity(width);
                push_value(&mut packed, value);
                let place = bytes.to_mut().get_mut(row * width..(row + 1) * width);
                place
                    .filter(|place| place.len() == packed.len())
                    .map(|place| place.copy_from_slice(&packed))
                    .is_some()
            }
        }
    }

    /// Returns the number of values; `None` if the last value is cut.
    pub(super) fn len(&self) -> Option<usize> {
        match self {
            Column::Items(items) => Some(items.len()),
            Column::Packed { kind, bytes } => {
                let (_, width) = packing(*kind)?;
                bytes.len().is_multiple_of(width).then_some(bytes.len() / width)
            }
        }
    }

    /// Returns whether every value is known to be within limits; vectors, texts and ids do not have bounds.
    pub(super) fn is_within(&self, limits: &Limits) -> bool {
        let Column::Packed { kind, bytes } = self else {
            return limits.min.is_none() && limits.max.is_none();
        };
        let values = bytes.as_chunks().0.iter();
        match kind {
            Kind::Int | Kind::Time => {
                let bound = |bound: &Option<Value>| bound.as_ref().and_then(Value::number);
                let (min, max) = (bound(&limits.min), bound(&limits.max));
                let range = min.unwrap_or(i64::MIN)..=max.unwrap_or(i64::MAX);
                values.map(|value| i64::from_le_bytes(*value)).all(|value| range.contains(&value))
            }
            Kind::Float => {
                let bound = |bound: &Option<Value>, without: f64| match bound {
                    Some(Value::Float(bound)) => bound.get(),
                    _ => without,
                };
                let range = bound(&limits.min, f64::MIN)..=bound(&limits.max, f64::MAX);
                values.map(|value| f64::from_le_bytes(*value)).all(|value| range.contains(&value))
            }
            _ => true,
        }
    }

    /// Returns whether all its bytes are values.
    fn is_sound(&self) -> bool {
        let Column::Packed { kind, bytes } = self else { return true };
        match kind {
            Kind::Bool => bytes.iter().all(|byte| *byte <= 1),
            Kind::Float => finite_f64(bytes),
            Kind::Vec2 | Kind::Vec3 | Kind::Quat => finite_f32(bytes),
            _ => true,
        }
    }

    /// Returns the same values in another order, or some of them.
    pub(crate) fn picked(&self, rows: &[usize]) -> Column<'b> {
        match self {
            Column::Items(items) => {
                Column::Items(rows.iter().filter_map(|row| items.get(*row).cloned()).collect())
            }
            Column::Packed { kind, bytes } => {
                let width = packing(*kind).map_or(1, |(_, width)| width);
                let picked = rows.iter().filter_map(|row| bytes.get(row * width..(row + 1) * width));
                Column::Packed { kind: *kind, bytes: picked.flatten().copied().collect() }
            }
        }
    }

    pub(super) fn write<W: Write>(&self, out: &mut Encoder<W>) -> Result<(), Error<W::Error>> {
        match self {
            Column::Packed { kind, bytes } => {
                let tag = packing(*kind).map_or(tags::U8, |(tag, _)| tag);
                out.tag(Tag::new(tag))?.bytes(bytes)?;
            }
            Column::Items(items) => {
                out.array(items.len() as u64)?;
                items.iter().try_for_each(|item| write_item(out, item))?;
            }
        }
        Ok(())
    }

    /// Reads a column for a number of objects.
    pub(super) fn read(
        from: &mut Decoder<'b>,
        (model, kind): (&Model, Kind),
        objects: usize,
    ) -> Result<Column<'b>, AreaFaultKind> {
        let unexpected = || AreaFaultKind::Unexpected(format!("{objects} values of type {kind}"));
        let column = match packing(kind) {
            Some((tag, _)) => {
                let found = from.tag().ok().filter(|found| found.as_u64() == tag);
                let bytes = found.and_then(|_| from.bytes().ok()).ok_or_else(unexpected)?;
                Column::Packed { kind, bytes: Cow::Borrowed(bytes) }
            }
            None => {
                let count = from.array().ok().flatten().ok_or_else(unexpected)?;
                let items = (0..count).map(|_| read_item(from, model, kind).ok_or_else(unexpected));
                Column::Items(items.collect::<Result<_, _>>()?)
            }
        };
        if column.len() != Some(objects) && !Broken::AnyColumn.is() {
            let found = column.len().unwrap_or(match &column {
                Column::Packed { bytes, .. } => bytes.len(),
                Column::Items(items) => items.len(),
            });
            return Err(AreaFaultKind::Length { objects, found });
        }
        // Whatever cannot be read as a value is found here, and not when a game recalls the area.
        match column.is_sound() {
            true => Ok(column),
            false => Err(AreaFaultKind::Unexpected("finite numbers".to_string())),
        }
    }
}

fn push_value(bytes: &mut Vec<u8>, value: Value) {
    match value {
        Value::Bool(yes) => bytes.push(u8::from(yes)),
        Value::Int(number) => bytes.extend_from_slice(&number.to_le_bytes()),
        Value::Time(time) => bytes.extend_from_slice(&time.as_nanos().to_le_bytes()),
        Value::Float(number) => bytes.extend_from_slice(&number.get().to_le_bytes()),
        Value::Vec2(parts) => push_parts(bytes, &parts),
        Value::Vec3(parts) => push_parts(bytes, &parts),
        Value::Quat(parts) => push_parts(bytes, &parts),
        _ => {}
    }
}

fn push_parts(bytes: &mut Vec<u8>, parts: &[Part]) {
    parts.iter().for_each(|part| bytes.extend_from_slice(&part.get().to_le_bytes()));
}

fn parts<const N: usize>(bytes: &[u8]) -> Option<[Part; N]> {
    let mut parts = [Part::default(); N];
    for (part, bytes) in parts.iter_mut().zip(bytes.chunks_exact(4)) {
        *part = Part::new(f32::from_le_bytes(bytes.try_into().ok()?))?;
    }
    Some(parts)
}

fn write_item<W: Write>(out: &mut Encoder<W>, value: &Value) -> Result<(), Error<W::Error>> {
    match value {
        Value::Text(text) | Value::Id { name: text, .. } => out.str(text)?,
        Value::Bytes(bytes) => out.bytes(bytes)?,
        Value::Date(date) => out.i64(date.days())?,
        Value::Instant(instant) => out.i64(instant.unix_ms())?,
        Value::Object(id) => out.u64(id.number())?,
        _ => out.null()?,
    };
    Ok(())
}

/// Reads an item. An id that is not declared is unset.
fn read_item(from: &mut Decoder<'_>, model: &Model, kind: Kind) -> Option<Value> {
    if from.datatype().ok()? == Type::Null {
        return from.null().ok().map(|()| Value::Unset);
    }
    Some(match kind {
        Kind::Text => Value::text(from.str().ok()?),
        Kind::Bytes => Value::Bytes(from.bytes().ok()?.into()),
        Kind::Date => Value::Date(Date::from_days(from.i64().ok()?)?),
        Kind::Instant => Value::Instant(Instant::from_unix_ms(from.i64().ok()?)?),
        Kind::Object(_) => Value::Object(ObjectId::of_number(from.u64().ok()?)),
        Kind::Id(ids) => model.id_value(ids, from.str().ok()?).unwrap_or(Value::Unset),
        _ => return None,
    })
}
