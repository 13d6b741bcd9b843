//! Names and values as the lines of a rehearsal write them.

use keblin_model::model::{At, Axis};
use keblin_model::{Kind, Model, Value};

/// Returns the name of a value, such as `oil`, `levels.reedgate.neap.best_crossing` or `worn.wick`; `None` for a cell that
/// a line cannot name.
pub(super) fn name_of(model: &Model, cell: usize) -> Option<String> {
    let (field, at) = model.cell_owner(cell)?;
    let id = |axis: Axis, index: Option<usize>| model.axis_id(axis, index?).map(ToString::to_string);
    let mut parts = Vec::new();
    if field.per.contains(&Axis::Level) {
        parts.extend(["levels".to_string(), id(Axis::Level, at.level)?]);
        if field.per.contains(&Axis::Difficulty) {
            parts.push(id(Axis::Difficulty, at.difficulty)?);
        }
        parts.push(field.name.to_string());
    } else {
        parts.push(field.name.to_string());
        if field.per.contains(&Axis::Difficulty) {
            parts.push(id(Axis::Difficulty, at.difficulty)?);
        }
    }
    let lists = field.per.iter().filter(|axis| matches!(axis, Axis::List(_)));
    for (axis, item) in lists.zip(at.items) {
        parts.push(id(*axis, item.map(usize::from))?);
    }
    Some(parts.join("."))
}

/// Returns the name of a fact of a level, such as `levels.reedgate.neap.finished`.
pub(super) fn fact_name(model: &Model, place: At, fact: &str) -> Option<String> {
    let level = &model.levels.get(place.level?)?.name;
    let difficulty = place.difficulty.and_then(|index| model.difficulties.get(index));
    Some(match difficulty {
        Some(difficulty) => format!("levels.{level}.{difficulty}.{fact}"),
        None => format!("levels.{level}.{fact}"),
    })
}

/// Returns a value as the end of a line writes it; `None` for one that a line cannot write.
pub(super) fn written(value: &Value) -> Option<String> {
    Some(match value {
        Value::Unset => "null".to_string(),
        Value::Bool(_) | Value::Int(_) | Value::Float(_) | Value::Time(_) => value.to_string(),
        Value::Date(_) | Value::Instant(_) | Value::Text(_) | Value::Id { .. } => value.to_string(),
        _ => return None,
    })
}

/// Returns a value as a condition writes it; `None` for one that a condition cannot name.
pub(super) fn literal(value: &Value) -> Option<String> {
    Some(match value.alone() {
        Value::Unset => "null".to_string(),
        Value::Bool(_) | Value::Int(_) | Value::Float(_) | Value::Text(_) => value.alone().to_string(),
        Value::Time(time) => format!("duration('{time}')"),
        Value::Date(date) => format!("date('{date}')"),
        Value::Instant(instant) => format!("timestamp('{instant}')"),
        Value::Id { name, .. } => format!("\"{name}\""),
        _ => return None,
    })
}

/// Returns what a value of a type is compared with by `==`, or what a condition can ask of it otherwise: how many items it
/// has.
pub(super) fn expectation(name: &str, kind: Kind, value: &Value) -> Option<String> {
    if kind.has_items() {
        return Some(format!("expect size({name}) == {}", value.len()));
    }
    Some(format!("expect {name} == {}", literal(value)?))
}
