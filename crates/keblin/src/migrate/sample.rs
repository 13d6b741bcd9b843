//! A save with something in every field, level, difficulty and unlock. A version is tested with it for as long as its
//! saves can be opened.

use std::sync::Arc;

use keblin_model::kind::Kind;
use keblin_model::model::{Bound, CheckpointLasts, FieldDef, Items, Limits};
use keblin_model::value::{Best, Opaque};
use keblin_model::value::{ValueMap, ValueSet};
use keblin_model::{Date, Instant, Keep, Time, Value};

use crate::progress::Engine;
use crate::save::{Stamp, read, write};
use crate::snapshot::{LevelFacts, Picture, PictureTooLarge, Run, Schema, Snapshot, State, Stay, Visit};

/// Returns a snapshot in which no value is the default, as far as the declaration allows. The same schema gives the
/// same snapshot.
#[must_use]
pub fn sample(schema: &Arc<Schema>) -> Snapshot {
    let mut state = State::first(schema);
    let mut count = 1;
    for field in &schema.fields {
        for first in field.cells.clone().step_by(field.places) {
            let mut values: Vec<Value> = (0..field.places)
                .map(|_| {
                    count += 1;
                    other(schema, field, count)
                })
                .collect();
            values.sort();
            values.dedup();
            if field.keep != Keep::Lowest {
                values.reverse();
            }
            for (cell, value) in state.cells.iter_mut().skip(first).zip(values) {
                *cell = value;
            }
        }
    }
    let difficulties = if schema.level_facts_per_difficulty { schema.difficulties.len().max(1) } else { 1 };
    for (index, facts) in state.facts.iter_mut().enumerate() {
        let stars = schema.levels.get(index / difficulties).map_or(0, |level| level.stars);
        let count = index as u64;
        *facts = LevelFacts {
            finished: true,
            stars,
            collected: if stars == 0 { 0 } else { u64::MAX >> (64 - u32::from(stars.min(64))) },
            attempts: count + 1,
            deaths: count + 2,
        };
    }
    state.furthest = schema.levels.len().checked_sub(1);
    state.played = Time::from_nanos(3_723_000_000_000);
    state.difficulty = schema.difficulties.len().checked_sub(1);
    let unlocks = schema.unlocks.iter().map(|unlock| unlock.latch);
    state.latched = unlocks.collect();
    let latches = |index: usize| {
        let level = schema.fact_place(index).level.and_then(|level| schema.levels.get(level));
        level.is_some_and(|level| level.latch)
    };
    state.opened = (0..schema.fact_count()).map(latches).collect();
    state.told.iter_mut().for_each(|told| *told = true);
    let mut snapshot = Snapshot::of_state(schema, state);
    // Bounds may follow made-up values too.
    let mut view = Engine::view(&snapshot);
    view.clamp_all();
    snapshot.state = view.snapshot().state;
    // A run without a life left could not be resumed.
    let lives = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
    for cell in lives.map_or(0..0, |lives| lives.cells.clone()) {
        let held = snapshot.state.cells.get_mut(cell).filter(|held| **held == Value::Int(0));
        held.into_iter().for_each(|held| *held = Value::Int(1));
    }
    let copy = snapshot.state.copy(schema);
    let level = schema.levels.len().checked_sub(1);
    let checkpoint = level.and_then(|level| schema.levels.get(level)?.checkpoints.len().checked_sub(1));
    let visit = Visit {
        level,
        stay: Stay::Left,
        checkpoint,
        entry: Arc::clone(&copy),
        at_checkpoint: checkpoint.map(|_| copy),
    };
    let save_point = (schema.checkpoint_lasts == CheckpointLasts::Run).then(|| visit.clone());
    let save_point = save_point.filter(|visit| visit.checkpoint.is_some());
    snapshot.state.run = Some(Run { difficulty: snapshot.state.difficulty, visit: Some(visit), save_point });
    snapshot
}

/// The media type of the text in a sample's picture.
const TEXT: &str = "application/toml";

/// Returns the file of a sample. Its picture is the declaration in its normal form, so a sample contains the text it
/// was made from.
///
/// # Errors
/// [`PictureTooLarge`] for a declaration of more than [`MAX_PICTURE_BYTES`](crate::snapshot::MAX_PICTURE_BYTES).
pub fn sample_file(schema: &Arc<Schema>) -> Result<Vec<u8>, PictureTooLarge> {
    let picture = Picture::new(TEXT, schema.normal_text().into_bytes())?;
    let stamp = Stamp { edited: true, ..Stamp::first(0, "freeze") };
    Ok(write(&sample(schema).with_picture(picture), &stamp))
}

/// Returns the declaration that a sample was made from; `None` if the bytes are not an intact sample.
#[must_use]
pub fn sample_of(bytes: &[u8]) -> Option<Schema> {
    let picture = read(bytes).ok()?.picture().ok().flatten().filter(|picture| picture.media_type == TEXT)?;
    let text = std::str::from_utf8(&picture.bytes).ok()?;
    Schema::parse("sample", text).ok().map(|parsed| parsed.schema)
}

/// Returns a value of a field that is not its default, if there is another one; each number gives another value, as far as
/// the type has so many.
#[cfg(feature = "testing")]
pub(crate) fn another_value(schema: &Schema, field: &FieldDef, number: i64) -> Value {
    other(schema, field, number)
}

/// Returns a value of a field of an object, as [`another_value`].
#[cfg(feature = "testing")]
pub(crate) fn another_of_object(
    schema: &Schema,
    field: &keblin_model::model::MemberDef,
    number: i64,
) -> Value {
    one(schema, field.kind, &field.limits, number)
}

/// Returns a value that is not the default.
fn other(schema: &Schema, field: &FieldDef, count: i64) -> Value {
    let fixed = |bound: &Option<Bound>| bound.as_ref().and_then(Bound::fixed).cloned();
    let limits = Limits::between(fixed(&field.min), fixed(&field.max), field.max_len);
    let made = match &field.items {
        None => one(schema, field.kind, &limits, count),
        Some(items) => some_items(schema, field.kind, items, count),
    };
    let made = match &field.with {
        Some(with) => {
            let with = one(schema, Kind::Shape(with.shape), &Limits::default(), count);
            Value::Best(Arc::new(Best { value: made, with }))
        }
        None => made,
    };
    let is_other = made != field.default;
    // The next number at the latest, unless there is only one.
    if is_other || field.items.is_some() { made } else { one(schema, field.kind, &limits, count + 1) }
}

/// Returns a list, set or map with two items, or one if that is the most.
fn some_items(schema: &Schema, kind: Kind, items: &Items, count: i64) -> Value {
    let key_limits = Limits::between(None, None, items.limits.max_len);
    let some = (0..if items.max_items > 1 { 2 } else { 1 })
        .map(|more| one(schema, items.of, &items.limits, count + more));
    match kind {
        Kind::Set => Value::Set(Arc::new(some.collect::<ValueSet>())),
        Kind::Map => {
            let keys =
                (0..2).map(|more| one(schema, items.key.unwrap_or(Kind::Text), &key_limits, count + more));
            Value::Map(Arc::new(keys.zip(some).collect::<ValueMap>()))
        }
        _ => Value::List(some.collect()),
    }
}

fn one(schema: &Schema, kind: Kind, limits: &Limits, count: i64) -> Value {
    let small = |count: i64| i16::try_from(count % 1000).unwrap_or(1);
    let part =
        |more: i64| keblin_model::value::Part::new(f32::from(small(count + more)) + 0.5).unwrap_or_default();
    let number = |value: Value| {
        use std::cmp::Ordering;
        // From the lower bound up, so that numbers within narrow bounds differ too.
        let from = limits.min.as_ref().and_then(|min| min.plus(&value)).map(|(sum, _)| sum);
        let value = from.unwrap_or(value);
        match &limits.max {
            Some(max) if value.order(max) == Some(Ordering::Greater) => match limits.min.as_ref() {
                Some(min) if count % 2 == 1 => min.clone(),
                _ => max.clone(),
            },
            _ => value,
        }
    };
    match kind {
        Kind::Bool => Value::Bool(true),
        Kind::Int => number(Value::Int(count)),
        Kind::Float => number(Value::float(f64::from(small(count)) + 0.25).unwrap_or(Value::Unset)),
        Kind::Time => number(Value::Time(Time::from_nanos(count * 1_500_000_000))),
        Kind::Date => Date::from_days(20_000 + count).map_or(Value::Unset, Value::Date),
        Kind::Instant => {
            let millis = (20_000 + count) * 86_400_000 + 250;
            Instant::from_unix_ms(millis).map_or(Value::Unset, Value::Instant)
        }
        Kind::Text => {
            let text = format!("text {count}");
            Value::text(&text.chars().take(limits.max_len.unwrap_or(usize::MAX)).collect::<String>())
        }
        Kind::Bytes => {
            let bytes = [7, u8::try_from(count % 256).unwrap_or_default()];
            Value::Bytes(bytes.into_iter().take(limits.max_len.unwrap_or(2)).collect())
        }
        Kind::Id(ids) => {
            let known: Vec<String> = schema.id_texts(ids).collect();
            let at = usize::try_from(count).unwrap_or_default().checked_rem(known.len());
            let id = at.and_then(|at| schema.id_value(ids, known.get(at)?));
            id.unwrap_or(Value::Unset)
        }
        Kind::Vec2 => Value::Vec2([part(0), part(1)]),
        Kind::Vec3 => Value::Vec3([part(0), part(1), part(2)]),
        Kind::Quat => Value::Quat([part(0), part(1), part(2), part(3)]),
        Kind::Shape(shape) => {
            let members = schema.shapes.get(usize::from(shape)).map_or(&[][..], |shape| &shape.members);
            let members = members.iter().zip(count..);
            Value::Shape(
                members
                    .map(|(member, count)| {
                        let value = match &member.items {
                            Some(items) => some_items(schema, member.kind, items, count),
                            None => one(schema, member.kind, &member.limits, count),
                        };
                        (member.name.clone(), value)
                    })
                    .collect(),
            )
        }
        _ => {
            let bytes = [9, u8::try_from(count % 256).unwrap_or_default()];
            let bytes = bytes.into_iter().take(limits.max_len.unwrap_or(2)).collect();
            Value::Opaque(Arc::new(Opaque { version: 1, bytes }))
        }
    }
}
