//! Values to CBOR and back. A number with a fraction takes the shortest form that keeps it (RFC 8949, section 4.2.1), a
//! time is its nanoseconds, an id its text, a shape a map by its members' names.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use keblin_schema::kind::{Holds, Kind};
use keblin_schema::value::{Float, Opaque, Part};
use keblin_schema::{Schema, Time, Value};
use minicbor::data::Type;
use minicbor::{Decoder, Encoder};

use super::error::ReadError;
use super::map::{Failure, Item, encoded};

type Out<'o> = Encoder<&'o mut Vec<u8>>;

/// Writes a value.
pub(super) fn write(out: &mut Out<'_>, value: &Value) -> Result<(), Failure> {
    match value {
        Value::Bool(yes) => out.bool(*yes)?,
        Value::Int(number) => out.i64(*number)?,
        Value::Float(number) => return float(out, number.get()),
        Value::Time(time) => out.i64(time.as_nanos())?,
        Value::Text(text) | Value::Id { name: text, .. } => out.str(text)?,
        Value::Bytes(bytes) => out.bytes(bytes)?,
        Value::Vec2(numbers) => return parts(out, numbers),
        Value::Vec3(numbers) => return parts(out, numbers),
        Value::Quat(numbers) => return parts(out, numbers),
        Value::Shape(members) => {
            return map(out, members.iter().map(|(name, value)| (Value::text(name.as_str()), value)));
        }
        Value::List(items) => return array(out, items.len(), items.iter()),
        Value::Set(items) => return array(out, items.len(), items.iter()),
        Value::Map(entries) => return map(out, entries.iter().map(|(key, value)| (key.clone(), value))),
        Value::Opaque(opaque) => out.array(2)?.u32(opaque.version)?.bytes(&opaque.bytes)?,
        _ => out.null()?,
    };
    Ok(())
}

fn array<'v>(out: &mut Out<'_>, len: usize, items: impl Iterator<Item = &'v Value>) -> Result<(), Failure> {
    out.array(len as u64)?;
    for item in items {
        write(out, item)?;
    }
    Ok(())
}

/// A map in the order of its encoded keys.
fn map<'v>(out: &mut Out<'_>, entries: impl Iterator<Item = (Value, &'v Value)>) -> Result<(), Failure> {
    let entries: BTreeMap<Vec<u8>, &Value> =
        entries.map(|(key, value)| (encoded(|out| write(out, &key)), value)).collect();
    out.map(entries.len() as u64)?;
    for (key, value) in entries {
        out.writer_mut().extend(key);
        write(out, value)?;
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

/// The shortest of 16, 32 and 64 bits that keeps the number.
fn float(out: &mut Out<'_>, number: f64) -> Result<(), Failure> {
    #[expect(clippy::cast_possible_truncation, reason = "whether something is lost is what is asked")]
    let single = number as f32;
    if f64::from(single) != number {
        out.f64(number)?;
    } else if half::f16::from_f32(single).to_f32() == single {
        out.f16(single)?;
    } else {
        out.f32(single)?;
    }
    Ok(())
}

/// Reads a value of a kind. `what` is its name, for complaints.
pub(super) fn read(item: &Item<'_>, schema: &Schema, holds: Holds, what: &str) -> Result<Value, ReadError> {
    let expected = || format!("{what} as {holds}");
    let of = holds.of.unwrap_or(Kind::Int);
    let inside = |item: &Item<'_>, kind: Kind| read(item, schema, kind.into(), what);
    match holds.kind {
        Kind::Bool => item.whole(&expected(), |d| d.bool().map(Value::Bool)),
        Kind::Int => item.whole(&expected(), |d| d.i64().map(Value::Int)),
        Kind::Time => item.whole(&expected(), |d| d.i64().map(Time::from_nanos).map(Value::Time)),
        Kind::Text => item.whole(&expected(), |d| d.str().map(Value::text)),
        Kind::Bytes => item.whole(&expected(), |d| d.bytes().map(|bytes| Value::Bytes(bytes.into()))),
        Kind::Float => {
            let number = item.whole(&expected(), number)?;
            Float::new(number).map(Value::Float).ok_or_else(|| item.unexpected("a finite number"))
        }
        Kind::Id(ids) => {
            let id = item.text(what)?;
            schema
                .id_value(ids, id)
                .ok_or_else(|| item.unexpected(format!("{what} as {}", schema.kind_text(holds.kind))))
        }
        Kind::Vec2 => vector(item, &expected()).map(Value::Vec2),
        Kind::Vec3 => vector(item, &expected()).map(Value::Vec3),
        Kind::Quat => vector(item, &expected()).map(Value::Quat),
        Kind::List => {
            let items = item.array(&expected())?;
            let values: Result<Vec<Value>, _> = items.iter().map(|item| inside(item, of)).collect();
            values.map(|values| Value::List(values.into()))
        }
        Kind::Set => {
            let items = item.array(&expected())?;
            let values: Result<BTreeSet<Value>, _> = items.iter().map(|item| inside(item, of)).collect();
            values.map(|values| Value::Set(Arc::new(values)))
        }
        Kind::Map => {
            let key = holds.key.unwrap_or(Kind::Text);
            let pairs = item.pairs(&expected())?;
            let entries = pairs.iter().map(|(name, item)| Ok((inside(name, key)?, inside(item, of)?)));
            entries.collect::<Result<BTreeMap<_, _>, _>>().map(|entries| Value::Map(Arc::new(entries)))
        }
        Kind::Shape(shape) => read_shape(item, schema, shape),
        Kind::Opaque => {
            let items = item.array(&expected())?;
            let [version, bytes] = items.as_slice() else { return Err(item.unexpected(expected())) };
            let version = version.whole(&expected(), Decoder::u32)?;
            let bytes = bytes.whole(&expected(), |d| d.bytes().map(Arc::from))?;
            Ok(Value::Opaque(Arc::new(Opaque { version, bytes })))
        }
        _ => Err(item.unexpected(expected())),
    }
}

/// A shape: a member that is missing is as declared.
fn read_shape(item: &Item<'_>, schema: &Schema, shape: u16) -> Result<Value, ReadError> {
    let map = item.map()?;
    let members = schema.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
    let values = members.iter().map(|member| {
        let value = match map.get(member.name.as_str()) {
            Some(item) if item.is_null() && member.default == Value::Unset => Value::Unset,
            Some(item) => read(item, schema, member.kind.into(), member.name.as_str())?,
            None => member.default.clone(),
        };
        Ok((member.name.clone(), value))
    });
    values.collect::<Result<Vec<_>, _>>().map(|members| Value::Shape(members.into()))
}

fn number(decoder: &mut Decoder<'_>) -> Result<f64, minicbor::decode::Error> {
    match decoder.datatype()? {
        Type::F16 => decoder.f16().map(f64::from),
        Type::F32 => decoder.f32().map(f64::from),
        _ => decoder.f64(),
    }
}

fn vector<const N: usize>(item: &Item<'_>, expected: &str) -> Result<[Part; N], ReadError> {
    let items = item.array(expected)?;
    let parts: Result<Vec<Part>, _> = items
        .iter()
        .map(|item| {
            let number = item.whole(expected, number)?;
            #[expect(
                clippy::cast_possible_truncation,
                reason = "a number that does not fit becomes infinite"
            )]
            let part = Part::new(number as f32);
            part.ok_or_else(|| item.unexpected("a finite number"))
        })
        .collect();
    parts?.try_into().map_err(|_| item.unexpected(expected.to_string()))
}
