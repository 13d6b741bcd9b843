//! Literal values in a declaration, each read by the type of its field.

use std::fmt::Display;
use std::str::FromStr;
use std::sync::Arc;

use toml::de::{DeTable, DeValue};

use super::Placed;
use super::table::{Item, Reader};
use crate::model::Model;
use crate::name::nearest;
use crate::text::finding::{Code, Finding};
use crate::time::Time;
use crate::value::kind::{Holds, Kind};
use crate::value::{Part, Value, ValueMap, ValueSet};

/// Reads the value of a key.
pub(super) fn of_key(
    reader: &Reader<'_, '_>,
    key: &str,
    holds: Holds,
    names: &Model,
    found: &mut Vec<Finding>,
) -> Option<Placed<Value>> {
    let item = reader.get(key)?;
    let value = Reading { reader, names }.value(holds, item, found)?;
    Some(Placed { value, span: item.span() })
}

/// Reads one item of a list.
pub(super) fn of_item(
    reader: &Reader<'_, '_>,
    item: &Item<'_>,
    holds: Holds,
    names: &Model,
    found: &mut Vec<Finding>,
) -> Option<Value> {
    Reading { reader, names }.value(holds, item, found)
}

/// Reads a value as a declaration writes it, on its own.
pub(crate) fn written(names: &Model, holds: Holds, text: &str) -> Result<Value, String> {
    let document = format!("value = {text}\n");
    let (table, faults) = DeTable::parse_recoverable(&document);
    if let Some(fault) = faults.first() {
        return Err(fault.message().to_string());
    }
    let mut found = Vec::new();
    let reader = Reader::new("a value", table.get_ref(), 0..0, &["value"], &document, &mut found);
    let holds = Holds { kind: holds.kind, of: holds.of, key: holds.key };
    let value = of_key(&reader, "value", holds, names, &mut found);
    match (value, found.first()) {
        (Some(value), None) => Ok(value.value),
        (_, finding) => {
            Err(finding.map_or("expected a value".to_string(), |finding| finding.message.clone()))
        }
    }
}

/// Returns what a value of a type looks like, for messages.
fn expected(kind: Kind) -> &'static str {
    match kind {
        Kind::Bool => "true or false",
        Kind::Int => "a whole number",
        Kind::Float => "a number",
        Kind::Time => "a time such as \"90s\"",
        Kind::Date => "a day such as 2026-11-29",
        Kind::Instant => "an instant such as 2026-11-29T10:14:08Z",
        Kind::Text => "a text",
        Kind::Id(_) => "an id as a text",
        Kind::Vec2 => "two numbers such as [0.0, 1.0]",
        Kind::Vec3 => "three numbers such as [0.0, 1.0, 0.0]",
        Kind::Quat => "four numbers such as [0.0, 0.0, 0.0, 1.0]",
        Kind::List | Kind::Set => "a list",
        Kind::Map | Kind::Shape(_) => "a table",
        Kind::Bytes | Kind::Opaque => "no value, because bytes start empty",
        Kind::Object(_) => "no value, because it names no object at first",
    }
}

struct Reading<'r, 't, 'i> {
    reader: &'r Reader<'t, 'i>,
    names: &'r Model,
}

impl Reading<'_, '_, '_> {
    fn value(&self, holds: Holds, item: &Item<'_>, found: &mut Vec<Finding>) -> Option<Value> {
        let of = holds.of.unwrap_or(Kind::Int);
        match (holds.kind, item.get_ref()) {
            (Kind::List, DeValue::Array(items)) => {
                self.all(of, items, found).map(|items| Value::List(items.into()))
            }
            (Kind::Set, DeValue::Array(items)) => {
                let set: ValueSet = self.all(of, items, found)?.into_iter().collect();
                if set.len() < items.len() {
                    let message = "a set has each item once, but this one is repeated";
                    found.push(Finding::error(Code::SameId, item.span(), message).instead("leave it out"));
                }
                Some(Value::Set(Arc::new(set)))
            }
            (Kind::Map, DeValue::Table(table)) => self.map(holds.key.unwrap_or(Kind::Text), of, table, found),
            _ => self.one(holds.kind, item, found),
        }
    }

    fn all(&self, of: Kind, items: &[Item<'_>], found: &mut Vec<Finding>) -> Option<Vec<Value>> {
        let values: Vec<Value> = items.iter().filter_map(|item| self.one(of, item, found)).collect();
        (values.len() == items.len()).then_some(values)
    }

    fn map(&self, key: Kind, of: Kind, table: &DeTable<'_>, found: &mut Vec<Finding>) -> Option<Value> {
        let mut entries = ValueMap::default();
        for (name, item) in table {
            let (text, span) = (name.get_ref().as_ref(), name.span());
            let key = match key {
                Kind::Id(ids) => self.id(ids, text, span, found)?,
                Kind::Int => match text.parse() {
                    Ok(number) => Value::Int(number),
                    Err(_) => {
                        let message = format!("expected a whole number as key, but found `{text}`");
                        found.push(Finding::error(Code::WrongType, span, message));
                        return None;
                    }
                },
                _ => Value::text(text),
            };
            entries.insert(key, self.one(of, item, found)?);
        }
        Some(Value::Map(Arc::new(entries)))
    }

    /// Reads a value that does not have items.
    fn one(&self, kind: Kind, item: &Item<'_>, found: &mut Vec<Finding>) -> Option<Value> {
        match (kind, item.get_ref()) {
            (Kind::Bool, DeValue::Boolean(yes)) => Some(Value::Bool(*yes)),
            (Kind::Int, DeValue::Integer(_)) => self.reader.integer(item, found).map(Value::Int),
            (Kind::Float, DeValue::Float(_) | DeValue::Integer(_)) => {
                number(item).and_then(Value::float).or_else(|| self.mistaken(kind, item, found))
            }
            (Kind::Time, DeValue::String(text)) => time(text, item, found).map(Value::Time),
            (Kind::Date, DeValue::String(_) | DeValue::Datetime(_)) => dated(item, found).map(Value::Date),
            (Kind::Instant, DeValue::String(_) | DeValue::Datetime(_)) => {
                dated(item, found).map(Value::Instant)
            }
            (Kind::Text, DeValue::String(text)) => Some(Value::text(text)),
            (Kind::Id(ids), DeValue::String(text)) => self.id(ids, text, item.span(), found),
            (Kind::Vec2, DeValue::Array(items)) => {
                parts(items).map(Value::Vec2).or_else(|| self.mistaken(kind, item, found))
            }
            (Kind::Vec3, DeValue::Array(items)) => {
                parts(items).map(Value::Vec3).or_else(|| self.mistaken(kind, item, found))
            }
            (Kind::Quat, DeValue::Array(items)) => {
                parts(items).map(Value::Quat).or_else(|| self.mistaken(kind, item, found))
            }
            (Kind::Shape(shape), DeValue::Table(table)) => self.shape(shape, table, item, found),
            _ => self.mistaken(kind, item, found),
        }
    }

    fn mistaken(&self, kind: Kind, item: &Item<'_>, found: &mut Vec<Finding>) -> Option<Value> {
        self.reader.wrong_type(item, expected(kind), found);
        None
    }

    fn id(
        &self,
        ids: crate::value::kind::Ids,
        text: &str,
        span: std::ops::Range<usize>,
        found: &mut Vec<Finding>,
    ) -> Option<Value> {
        let value = self.names.id_value(ids, text);
        if value.is_none() {
            let known: Vec<String> = self.names.id_texts(ids).collect();
            let message = format!("`{text}` is not {}", self.names.kind_text(Kind::Id(ids)));
            let finding = Finding::error(Code::UnknownName, span, message);
            found.push(match nearest(text, known.iter().map(String::as_str)) {
                Some(nearest) => finding.instead(format!("did you mean `{nearest}`?")),
                None => finding,
            });
        }
        value
    }

    /// Reads a shape; members that are left out get their defaults.
    fn shape(
        &self,
        shape: u16,
        table: &DeTable<'_>,
        item: &Item<'_>,
        found: &mut Vec<Finding>,
    ) -> Option<Value> {
        let members = self.names.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
        let known: Vec<&str> = members.iter().map(|member| member.name.as_str()).collect();
        let reader = Reader::new("the shape", table, item.span(), &known, self.reader.text(), found);
        let values = members.iter().map(|member| {
            let written =
                reader.get(member.name.as_str()).map(|item| self.value(member.holds(), item, found));
            Some((member.name.clone(), written.unwrap_or_else(|| Some(member.default.clone()))?))
        });
        values.collect::<Option<Vec<_>>>().map(|values| Value::Shape(values.into()))
    }
}

/// Reads a number with or without a fraction.
fn number(item: &Item<'_>) -> Option<f64> {
    match item.get_ref() {
        DeValue::Float(float) => float.as_str().replace('_', "").parse().ok(),
        DeValue::Integer(digits) if digits.radix() == 10 => digits.as_str().replace('_', "").parse().ok(),
        _ => None,
    }
}

fn parts<const N: usize>(items: &[Item<'_>]) -> Option<[Part; N]> {
    #[expect(
        clippy::cast_possible_truncation,
        reason = "parts have 32 bits; too large a number becomes infinite"
    )]
    let part = |item: &Item<'_>| Part::new(number(item)? as f32);
    let parts: Option<Vec<Part>> = items.iter().map(part).collect();
    parts?.try_into().ok()
}

/// Reads a day or an instant, as TOML writes them or as a text.
fn dated<T: FromStr<Err: Display>>(item: &Item<'_>, found: &mut Vec<Finding>) -> Option<T> {
    let text = match item.get_ref() {
        DeValue::Datetime(date) => date.to_string(),
        other => other.as_str().unwrap_or_default().to_string(),
    };
    let fault = |fault: T::Err| found.push(Finding::error(Code::WrongType, item.span(), format!("{fault}")));
    text.parse().map_err(fault).ok()
}

pub(super) fn time(text: &str, item: &Item<'_>, found: &mut Vec<Finding>) -> Option<Time> {
    text.parse()
        .map_err(|fault| {
            let finding = Finding::error(Code::WrongType, item.span(), format!("{fault}"));
            found.push(match time_meant(text) {
                Some(meant) => finding.instead(format!("write \"{meant}\"")),
                None => finding,
            });
        })
        .ok()
}

/// Returns the time that is meant by a number of seconds, or by a text as a clock shows it.
fn time_meant(text: &str) -> Option<Time> {
    let seconds = text
        .split(':')
        .try_fold(0_u32, |sum, part| sum.checked_mul(60)?.checked_add(part.trim().parse().ok()?))?;
    Some(Time::from_millis(i64::from(seconds) * 1000))
}
