//! Writes values as CBOR and reads them back. A number with a fraction takes the shortest form that keeps it (RFC
//! 8949, section 4.2.1), a time is its nanoseconds, an id its text, a shape a map by its members' names.

use keblin_model::order::sort_by;
use std::cell::{Cell, RefCell};
use std::sync::Arc;

use keblin_model::kind::{Holds, Kind};
use keblin_model::model::FieldDef;
use keblin_model::value::{Best, Float, Opaque, Part};
use keblin_model::value::{ValueMap, ValueSet};
use keblin_model::{Date, Instant, Model, Time, Value};
use minicbor::data::Type;
use minicbor::{Decoder, Encoder};

use super::bits16;
use super::cursor::Cursor;
use super::error::ReadError;
use super::layout::SaveLimits;
use crate::grammar::plan::{MemberOrder, NO_SHAPE, ShapeOrder};
use crate::grammar::{Failure, encoded};

/// The byte before a number of 16 bits.
const HEAD16: u8 = 0xf9;

type Out<'o> = Encoder<&'o mut Vec<u8>>;

/// Writes a value without a shape.
pub(super) fn write(out: &mut Out<'_>, value: &Value) -> Result<(), Failure> {
    write_ordered(out, value, &NO_SHAPE)
}

/// Writes a value; if it is or contains a shape, the members in this order.
pub(super) fn write_ordered(out: &mut Out<'_>, value: &Value, order: &ShapeOrder) -> Result<(), Failure> {
    match value {
        Value::Bool(yes) => out.bool(*yes)?,
        Value::Int(number) => out.i64(*number)?,
        Value::Float(number) => return float(out, number.get()),
        Value::Time(time) => out.i64(time.as_nanos())?,
        Value::Date(date) => out.i64(date.days())?,
        Value::Instant(instant) => out.i64(instant.unix_ms())?,
        Value::Text(text) | Value::Id { name: text, .. } => out.str(text)?,
        Value::Bytes(bytes) => out.bytes(bytes)?,
        Value::Vec2(numbers) => return parts(out, numbers),
        Value::Vec3(numbers) => return parts(out, numbers),
        Value::Quat(numbers) => return parts(out, numbers),
        Value::Shape(members) => {
            out.writer_mut().extend_from_slice(&order.head);
            for MemberOrder { key, index, inside } in &order.members {
                out.writer_mut().extend_from_slice(key);
                let value = members.get(*index).map_or(&Value::Unset, |(_, value)| value);
                write_ordered(out, value, inside)?;
            }
            return Ok(());
        }
        Value::List(items) => return array(out, items.len(), items.iter(), order),
        Value::Set(items) => return array(out, items.len(), items.iter(), order),
        Value::Map(entries) => return map(out, entries, order),
        Value::Best(best) => {
            out.array(2)?;
            write(out, &best.value)?;
            return write_ordered(out, &best.with, order);
        }
        Value::Opaque(opaque) => out.array(2)?.u32(opaque.version)?.bytes(&opaque.bytes)?,
        _ => out.null()?,
    };
    Ok(())
}

fn array<'v>(
    out: &mut Out<'_>,
    len: usize,
    mut items: impl Iterator<Item = &'v Value>,
    order: &ShapeOrder,
) -> Result<(), Failure> {
    out.array(len as u64)?;
    items.try_for_each(|item| write_ordered(out, item, order))
}

/// Writes a map in the order of its encoded keys.
fn map(out: &mut Out<'_>, entries: &ValueMap, order: &ShapeOrder) -> Result<(), Failure> {
    let mut entries: Vec<(Vec<u8>, &Value)> =
        entries.iter().map(|(key, value)| (encoded(|out| write(out, key)), value)).collect();
    sort_by(&mut entries, |(one, _), (other, _)| one.cmp(other));
    out.map(entries.len() as u64)?;
    for (key, value) in entries {
        out.writer_mut().extend_from_slice(&key);
        write_ordered(out, value, order)?;
    }
    Ok(())
}

fn parts(out: &mut Out<'_>, numbers: &[Part]) -> Result<(), Failure> {
    out.array(numbers.len() as u64)?;
    for number in numbers {
        float(out, number.get().into())?;
    }
    Ok(())
}

/// Writes the shortest of 16, 32 and 64 bits that keeps the number.
fn float(out: &mut Out<'_>, number: f64) -> Result<(), Failure> {
    #[expect(clippy::cast_possible_truncation, reason = "the next line checks whether something is lost")]
    let single = number as f32;
    if f64::from(single) != number {
        out.f64(number)?;
    } else if let Some(bits) = bits16::of(single) {
        out.writer_mut().push(HEAD16);
        out.writer_mut().extend(bits.to_be_bytes());
    } else {
        out.f32(single)?;
    }
    Ok(())
}

/// How the values of a field are read.
#[derive(Clone, Copy)]
pub(super) struct Reading<'s> {
    pub(super) schema: &'s Model,
    /// The order in which the members of the shape are written.
    pub(super) order: &'s ShapeOrder,
    /// The value's name in messages.
    pub(super) what: &'s str,
    /// Notes what this declaration does not know. Without it an id that is not declared is a fault.
    pub(super) beyond: Option<&'s Beyond>,
}

/// What a value has beyond this declaration: another build of the same version has written it.
#[derive(Debug, Default)]
pub(super) struct Beyond {
    /// Ids that are not declared: read as unset, and left out of lists, sets and maps.
    pub(super) ids: RefCell<Vec<String>>,
    /// Whether there is anything else: a member, or no value where this declaration needs one.
    pub(super) more: Cell<bool>,
}

impl Beyond {
    /// Returns whether the value has anything that was not read.
    pub(super) fn is_any(&self) -> bool {
        self.more.get() || !self.ids.borrow().is_empty()
    }
}

/// Reads the next value of a field, with what goes with it.
pub(super) fn read_of_field(
    cursor: &mut Cursor<'_>,
    field: &FieldDef,
    with: Reading<'_>,
) -> Result<Value, ReadError> {
    let Some(goes_with) = &field.with else { return read(cursor, field.holds(), with) };
    cursor.array_of(2, with.what)?;
    let value = read(cursor, field.holds(), with)?;
    let shape = read(cursor, Kind::Shape(goes_with.shape).into(), with)?;
    Ok(Value::Best(Arc::new(Best { value, with: shape })))
}

/// Reads the next value, of a type.
pub(super) fn read(cursor: &mut Cursor<'_>, holds: Holds, with: Reading<'_>) -> Result<Value, ReadError> {
    let expected = || format!("{} as {holds}", with.what);
    let start = cursor.offset();
    let of = holds.of.unwrap_or(Kind::Int);
    match holds.kind {
        Kind::Bool => cursor.next(expected, Decoder::bool).map(Value::Bool),
        Kind::Int => cursor.int(expected).map(Value::Int),
        Kind::Time => cursor.int(expected).map(Time::from_nanos).map(Value::Time),
        Kind::Date => {
            let day = Date::from_days(cursor.int(expected)?).map(Value::Date);
            day.ok_or_else(|| cursor.unexpected(start, "a day in the years 1 to 9999"))
        }
        Kind::Instant => {
            let instant = Instant::from_unix_ms(cursor.int(expected)?).map(Value::Instant);
            instant.ok_or_else(|| cursor.unexpected(start, "an instant in the years 1 to 9999"))
        }
        Kind::Text => cursor.next(expected, Decoder::str).map(Value::text),
        Kind::Bytes => cursor.next(expected, Decoder::bytes).map(|bytes| Value::Bytes(bytes.into())),
        Kind::Float => {
            let number = cursor.next(expected, number)?;
            Float::new(number).map(Value::Float).ok_or_else(|| cursor.unexpected(start, "a finite number"))
        }
        Kind::Id(ids) => {
            let id = cursor.next(expected, Decoder::str)?;
            match (with.schema.id_value(ids, id), with.beyond) {
                (Some(value), _) => Ok(value),
                (None, Some(beyond)) => {
                    beyond.ids.borrow_mut().push(id.to_string());
                    Ok(Value::Unset)
                }
                (None, None) => {
                    let kind = with.schema.kind_text(holds.kind);
                    Err(cursor.unexpected(start, format!("{} as {kind}", with.what)))
                }
            }
        }
        Kind::Vec2 => vector(cursor, expected).map(Value::Vec2),
        Kind::Vec3 => vector(cursor, expected).map(Value::Vec3),
        Kind::Quat => vector(cursor, expected).map(Value::Quat),
        Kind::List => {
            let count = array_head(cursor, expected)?;
            let items = (0..count).map(|_| read(cursor, of.into(), with));
            let items: Result<Vec<Value>, _> = items.filter(is_there).collect();
            items.map(|items| Value::List(items.into()))
        }
        Kind::Set => {
            let count = array_head(cursor, expected)?;
            let items = (0..count).map(|_| read(cursor, of.into(), with));
            let items: Result<ValueSet, _> = items.filter(is_there).collect();
            items.map(|items| Value::Set(Arc::new(items)))
        }
        Kind::Map => {
            let key = holds.key.unwrap_or(Kind::Text);
            let count = cursor.next(expected, |d| d.map()?.ok_or_else(unknown_length))?;
            let entries =
                (0..count).map(|_| Ok((read(cursor, key.into(), with)?, read(cursor, of.into(), with)?)));
            let is_there = |entry: &Result<(Value, Value), ReadError>| {
                entry.as_ref().map_or(true, |(key, value)| *key != Value::Unset && *value != Value::Unset)
            };
            let entries: Result<ValueMap, _> = entries.filter(is_there).collect();
            entries.map(|entries| Value::Map(Arc::new(entries)))
        }
        Kind::Shape(shape) => read_shape(cursor, shape, with),
        Kind::Opaque => {
            if array_head(cursor, expected)? != 2 {
                return Err(cursor.unexpected(start, expected()));
            }
            let version = cursor.next(expected, Decoder::u32)?;
            let bytes = cursor.next(expected, Decoder::bytes)?.into();
            Ok(Value::Opaque(Arc::new(Opaque { version, bytes })))
        }
        _ => Err(cursor.unexpected(start, expected())),
    }
}

/// Returns whether an item exists: an item is unset only if its id was removed.
fn is_there(item: &Result<Value, ReadError>) -> bool {
    !matches!(item, Ok(Value::Unset))
}

pub(super) fn unknown_length() -> minicbor::decode::Error {
    minicbor::decode::Error::message("a known length")
}

fn array_head(cursor: &mut Cursor<'_>, expected: impl FnOnce() -> String) -> Result<u64, ReadError> {
    cursor.next(expected, |d| d.array()?.ok_or_else(unknown_length))
}

/// Reads a shape: as it is written today, else in any order. A missing member gets its default; an unknown one is
/// skipped and noted.
fn read_shape(cursor: &mut Cursor<'_>, shape: u16, with: Reading<'_>) -> Result<Value, ReadError> {
    let members = with.schema.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
    let mut values = vec![None; members.len()];
    let start = cursor.offset();
    let count = cursor.next(|| with.what, |d| d.map()?.ok_or_else(unknown_length))?;
    let mut order = with.order.members.iter();
    for _ in 0..count {
        let index = match order.next() {
            Some(MemberOrder { key, index, .. }) if cursor.passes(key) => Some(*index),
            _ => {
                let name = cursor.text("the name of a member")?;
                members.iter().position(|member| member.name.as_str() == name)
            }
        };
        let place = index.and_then(|index| Some((members.get(index)?, values.get_mut(index)?)));
        let Some((member, value)) = place else {
            cursor.skip("a member", &SaveLimits::default())?;
            with.beyond.into_iter().for_each(|beyond| beyond.more.set(true));
            continue;
        };
        let what = member.name.as_str();
        let inside = with.order.members.iter().find(|order| Some(order.index) == index);
        let inside = inside.map_or(&NO_SHAPE, |order| &order.inside);
        if value.is_some() {
            return Err(cursor.unexpected(start, format!("each member once, but `{what}` is repeated")));
        }
        // In another build the member may be unset.
        let may_be_null = member.default == Value::Unset || with.beyond.is_some();
        *value = if may_be_null && cursor.null() {
            with.beyond
                .filter(|_| member.default != Value::Unset)
                .into_iter()
                .for_each(|beyond| beyond.more.set(true));
            Some(member.default.clone())
        } else {
            Some(read(cursor, member.holds(), Reading { what, order: inside, ..with })?)
                .filter(|value| *value != Value::Unset)
        };
    }
    let values = members
        .iter()
        .zip(values)
        .map(|(member, value)| (member.name.clone(), value.unwrap_or_else(|| member.default.clone())));
    Ok(Value::Shape(values.collect()))
}

/// Reads a number with a fraction, of any width.
pub(super) fn number(decoder: &mut Decoder<'_>) -> Result<f64, minicbor::decode::Error> {
    match decoder.datatype()? {
        Type::F16 => {
            let (start, input) = (decoder.position() + 1, decoder.input());
            let bits = input.get(start..).and_then(<[u8]>::first_chunk);
            let bits = bits.ok_or_else(minicbor::decode::Error::end_of_input)?;
            decoder.set_position(start + bits.len());
            Ok(bits16::number(u16::from_be_bytes(*bits)).into())
        }
        Type::F32 => decoder.f32().map(f64::from),
        _ => decoder.f64(),
    }
}

fn vector<const N: usize>(
    cursor: &mut Cursor<'_>,
    expected: impl Fn() -> String,
) -> Result<[Part; N], ReadError> {
    let start = cursor.offset();
    if array_head(cursor, &expected)? != N as u64 {
        return Err(cursor.unexpected(start, expected()));
    }
    let mut parts = [Part::default(); N];
    for part in &mut parts {
        let at = cursor.offset();
        let number = cursor.next(&expected, number)?;
        #[expect(clippy::cast_possible_truncation, reason = "a number that does not fit becomes infinite")]
        let single = Part::new(number as f32);
        *part = single.ok_or_else(|| cursor.unexpected(at, "a finite number"))?;
    }
    Ok(parts)
}
