//! Single values as JSON: ids and texts as text, times as people write them, bytes as hex, unset as null. A map whose
//! keys are not text has them as text.

use std::sync::Arc;

use keblin_model::kind::{Holds, Kind};
use keblin_model::model::FieldDef;
use keblin_model::value::{Best, Opaque, Part};
use keblin_model::{Model, Value};
use serde_json::{Map as Object, Value as Json, json};

/// What is wrong with a value: the path below it, and a sentence.
type Wrong = (String, String);

/// Returns a single value as JSON: ids and texts as text, times as people write them, bytes as hex, unset as null.
#[must_use]
pub fn value_json(value: &Value) -> Json {
    match value {
        Value::Bool(yes) => json!(yes),
        Value::Int(number) => json!(number),
        Value::Float(number) => json!(number.get()),
        Value::Time(_) | Value::Date(_) | Value::Instant(_) => json!(value.to_string()),
        Value::Text(text) | Value::Id { name: text, .. } => json!(text.as_ref()),
        Value::Bytes(bytes) => json!(hex(bytes)),
        Value::Vec2(parts) => numbers(parts),
        Value::Vec3(parts) => numbers(parts),
        Value::Quat(parts) => numbers(parts),
        Value::Shape(members) => {
            Json::Object(members.iter().map(|(name, value)| (name.to_string(), value_json(value))).collect())
        }
        Value::List(items) => items.iter().map(value_json).collect(),
        Value::Set(items) => items.iter().map(value_json).collect(),
        Value::Map(entries) => {
            Json::Object(entries.iter().map(|(key, value)| (key_text(key), value_json(value))).collect())
        }
        Value::Best(best) => json!({ "value": value_json(&best.value), "with": value_json(&best.with) }),
        Value::Opaque(opaque) => json!({ "version": opaque.version, "bytes": hex(&opaque.bytes) }),
        _ => Json::Null,
    }
}

fn numbers(parts: &[Part]) -> Json {
    parts.iter().map(|part| json!(part.get())).collect()
}

fn key_text(key: &Value) -> String {
    key.as_text().map_or_else(|| key.to_string(), str::to_string)
}

/// Returns a value of a type from JSON.
pub(super) fn of_json(json: &Json, holds: Holds, schema: &Model) -> Result<Value, Wrong> {
    let found = || {
        let kind = match holds.kind {
            Kind::Id(_) => schema.kind_text(holds.kind),
            Kind::Bytes => "bytes as hex digits".to_string(),
            Kind::Time => "a time such as \"1m32.4s\"".to_string(),
            Kind::Date => "a day such as \"2026-11-29\"".to_string(),
            Kind::Instant => "an instant such as \"2026-11-29T10:14:08Z\"".to_string(),
            kind => kind.with_article(),
        };
        (String::new(), format!("expected {kind}, but found {}", shortened(json)))
    };
    let of = Holds::from(holds.of.unwrap_or(Kind::Int));
    let value = match (holds.kind, json) {
        (Kind::Bool, Json::Bool(yes)) => Some(Value::Bool(*yes)),
        (Kind::Int, Json::Number(number)) => number.as_i64().map(Value::Int),
        (Kind::Float, Json::Number(number)) => number.as_f64().and_then(Value::float),
        (Kind::Time, Json::String(text)) => text.parse().ok().map(Value::Time),
        (Kind::Date, Json::String(text)) => text.parse().ok().map(Value::Date),
        (Kind::Instant, Json::String(text)) => text.parse().ok().map(Value::Instant),
        (Kind::Text, Json::String(text)) => Some(Value::text(text)),
        (Kind::Id(ids), Json::String(id)) => schema.id_value(ids, id),
        (Kind::Bytes, Json::String(text)) => of_hex(text).map(|bytes| Value::Bytes(bytes.into())),
        (Kind::Vec2, json) => vector(json).map(Value::Vec2),
        (Kind::Vec3, json) => vector(json).map(Value::Vec3),
        (Kind::Quat, json) => vector(json).map(Value::Quat),
        (Kind::List, Json::Array(items)) => Some(Value::List(each(items, of, schema)?.into())),
        (Kind::Set, Json::Array(items)) => {
            Some(Value::Set(Arc::new(each(items, of, schema)?.into_iter().collect())))
        }
        (Kind::Map, Json::Object(entries)) => {
            let key = Holds::from(holds.key.unwrap_or(Kind::Text));
            let entry = |(text, json): (&String, &Json)| {
                let value = of_json(json, of, schema).map_err(|error| below(text, error))?;
                Ok((key_of(text, key, schema).map_err(|error| below(text, error))?, value))
            };
            let entries = entries.iter().map(entry).collect::<Result<_, Wrong>>()?;
            Some(Value::Map(Arc::new(entries)))
        }
        (Kind::Shape(shape), Json::Object(members)) => Some(shape_of(members, shape, schema)?),
        (Kind::Opaque, json) => {
            let version =
                json.get("version").and_then(Json::as_u64).and_then(|version| u32::try_from(version).ok());
            let bytes = json.get("bytes").and_then(Json::as_str).and_then(of_hex);
            version
                .zip(bytes)
                .map(|(version, bytes)| Value::Opaque(Arc::new(Opaque { version, bytes: bytes.into() })))
        }
        _ => None,
    };
    value.ok_or_else(found)
}

/// Returns a value of a record from JSON, with what goes with it.
pub(super) fn best_of_json(json: &Json, field: &FieldDef, schema: &Model) -> Result<Value, Wrong> {
    let Some(with) = &field.with else { return of_json(json, field.holds(), schema) };
    let expected = || format!("expected `value` and `with`, but found {}", shortened(json));
    let pair = json.as_object().filter(|object| object.len() == 2);
    let pair = pair.and_then(|object| Some((object.get("value")?, object.get("with")?)));
    let (value, shape) = pair.ok_or_else(|| (String::new(), expected()))?;
    let value = of_json(value, field.holds(), schema).map_err(|error| below("value", error))?;
    let with =
        of_json(shape, Kind::Shape(with.shape).into(), schema).map_err(|error| below("with", error))?;
    Ok(Value::Best(Arc::new(Best { value, with })))
}

fn each(items: &[Json], of: Holds, schema: &Model) -> Result<Vec<Value>, Wrong> {
    let item = |(index, item): (usize, &Json)| {
        of_json(item, of, schema).map_err(|error| below(&index.to_string(), error))
    };
    items.iter().enumerate().map(item).collect()
}

fn key_of(text: &str, holds: Holds, schema: &Model) -> Result<Value, Wrong> {
    let json = match holds.kind {
        Kind::Int => text.parse::<i64>().map_or_else(|_| json!(text), |number| json!(number)),
        Kind::Bool => text.parse::<bool>().map_or_else(|_| json!(text), |yes| json!(yes)),
        _ => json!(text),
    };
    of_json(&json, holds, schema)
}

fn shape_of(members: &Object<String, Json>, shape: u16, schema: &Model) -> Result<Value, Wrong> {
    let declared = schema.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
    let is_declared = |name: &&String| declared.iter().any(|member| member.name.as_str() == name.as_str());
    if let Some(unknown) = members.keys().find(|name| !is_declared(name)) {
        return Err((unknown.clone(), "this member is not declared".to_string()));
    }
    let values = declared.iter().map(|member| {
        let value = match members.get(member.name.as_str()) {
            None => member.default.clone(),
            Some(Json::Null) if member.default == Value::Unset => Value::Unset,
            Some(json) => {
                of_json(json, member.holds(), schema).map_err(|error| below(member.name.as_str(), error))?
            }
        };
        Ok((member.name.clone(), value))
    });
    Ok(Value::Shape(values.collect::<Result<_, Wrong>>()?))
}

fn below(key: &str, (path, message): Wrong) -> Wrong {
    (if path.is_empty() { key.to_string() } else { format!("{key}.{path}") }, message)
}

fn vector<const N: usize>(json: &Json) -> Option<[Part; N]> {
    let numbers = json.as_array()?;
    #[expect(clippy::cast_possible_truncation, reason = "a number that does not fit becomes infinite")]
    let parts = numbers.iter().map(|number| Part::new(number.as_f64()? as f32));
    parts.collect::<Option<Vec<Part>>>()?.try_into().ok()
}

/// Returns JSON in a sentence.
pub(super) fn shortened(json: &Json) -> String {
    let text = json.to_string();
    match text.char_indices().nth(40) {
        Some((end, _)) => format!("{} …", text.get(..end).unwrap_or_default()),
        None => text,
    }
}

/// Returns bytes as hex, two digits each.
pub(super) fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// Returns the bytes of hex digits.
pub(super) fn of_hex(text: &str) -> Option<Vec<u8>> {
    let digits: Option<Vec<u8>> =
        text.chars().map(|digit| digit.to_digit(16).and_then(|digit| u8::try_from(digit).ok())).collect();
    let digits = digits.filter(|digits| digits.len().is_multiple_of(2))?;
    Some(digits.chunks(2).map(|pair| pair.iter().fold(0, |byte, digit| byte << 4 | digit)).collect())
}
