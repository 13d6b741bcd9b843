//! Values and findings as JSON: snake_case keys, unset as null, times as people write them, indexed values nested by
//! id.

use keblin::model::{Axis, FieldDef, Scope};
use keblin::progress::{Asks, Standing};
pub(crate) use keblin::save::json::value_json as value;
use keblin::verify::SaveFinding;
use keblin::{Finding, Findings, Progress, Schema, Value};
use serde_json::{Map, Value as Json, json};

pub(crate) fn finding(findings: &Findings, finding: &Finding) -> Json {
    json!({
        "code": finding.code.as_str(),
        "severity": finding.severity.as_str(),
        "where": findings.place(finding),
        "message": finding.message,
        "instead": finding.instead,
    })
}

pub(crate) fn save_finding(finding: &SaveFinding) -> Json {
    json!({
        "code": finding.code.as_str(),
        "severity": finding.severity.as_str(),
        "where": finding.place,
        "message": finding.message,
    })
}

/// All fields by id, in declared order.
pub(crate) fn fields(progress: &Progress) -> Json {
    // Device values are not in a slot.
    fields_where(progress, |field| field.scope != Scope::Device)
}

/// All values of device scope, as [`fields`].
pub(crate) fn settings(progress: &Progress) -> Json {
    fields_where(progress, |field| field.scope == Scope::Device)
}

fn fields_where(progress: &Progress, is_meant: impl Fn(&FieldDef) -> bool) -> Json {
    let schema = progress.schema();
    let entry =
        |field: &FieldDef| (field.name.to_string(), field_json(progress, schema, field, &field.per, 0));
    let meant = schema.fields.iter().filter(|field| field.durable && is_meant(field));
    Json::Object(meant.map(entry).collect())
}

fn field_json(progress: &Progress, schema: &Schema, field: &FieldDef, axes: &[Axis], offset: usize) -> Json {
    let Some((axis, inner)) = axes.split_first() else {
        let first = field.cells.start + offset;
        if field.places == 1 {
            return value(progress.value_at(first));
        }
        let table = (first..first + field.places).map(|cell| progress.value_at(cell));
        return Json::Array(table.filter(|held| **held != Value::Unset).map(value).collect());
    };
    let stride = inner.iter().map(|axis| schema.axis_len(*axis)).product::<usize>() * field.places;
    let entries = schema.axis_ids(*axis).enumerate();
    let json = |at: usize| field_json(progress, schema, field, inner, offset + at * stride);
    Json::Object(entries.map(|(at, id)| (id.to_string(), json(at))).collect())
}

/// All levels by id, in order, with their facts, nested by difficulty if facts are kept per difficulty.
pub(crate) fn levels(progress: &Progress) -> Json {
    let schema = progress.schema();
    let difficulties: Vec<_> =
        (0..schema.difficulties.len()).filter_map(|i| schema.difficulty_at(i)).collect();
    let mut levels = Map::new();
    for (index, level) in schema.levels.iter().enumerate() {
        let facts = |difficulty| {
            let cards = progress.level_cards(difficulty);
            cards.get(index).map_or(Json::Null, |card| {
                json!({
                    "open": card.open,
                    "lock": card.lock.iter().map(|part| standing(schema, part)).collect::<Vec<_>>(),
                    "finished": card.facts.finished,
                    "stars": card.facts.stars,
                    "attempts": card.facts.attempts,
                    "deaths": card.facts.deaths,
                })
            })
        };
        let entry = if schema.level_facts_per_difficulty {
            let by_difficulty = difficulties.iter().zip(&schema.difficulties);
            Json::Object(
                by_difficulty.map(|(difficulty, id)| (id.to_string(), facts(Some(*difficulty)))).collect(),
            )
        } else {
            facts(None)
        };
        levels.insert(level.name.to_string(), entry);
    }
    Json::Object(levels)
}

/// All unlocks by id: whether each is unlocked, and its rule part by part.
pub(crate) fn unlocks(progress: &Progress) -> Json {
    let schema = progress.schema();
    let entries = schema.unlocks.iter().enumerate().filter_map(|(index, def)| {
        let unlock = schema.unlock_at(index)?;
        let parts = progress.why_not_unlocked(unlock);
        let parts: Vec<Json> = parts.iter().map(|part| standing(schema, part)).collect();
        Some((def.name.to_string(), json!({ "given": progress.is_unlocked(unlock), "parts": parts })))
    });
    Json::Object(entries.collect())
}

/// A part of a rule: what it asks for, and whether it is met.
pub(crate) fn standing(schema: &Schema, part: &Standing) -> Json {
    let what = match &part.asks {
        Asks::Finish { level, .. } => {
            let name = schema.levels.get(level.index()).map_or("?", |level| level.name.as_str());
            format!("levels.{name}.finished")
        }
        Asks::Unlock(unlock) => {
            let name = schema.unlocks.get(unlock.index()).map_or("?", |unlock| unlock.name.as_str());
            format!("unlocked.{name}")
        }
        Asks::Stars(_) => "stars".to_string(),
        Asks::Number(_, source) | Asks::Condition(source) => source.clone(),
        _ => String::new(),
    };
    json!({ "what": what, "held": value(&part.held), "needed": value(&part.needed), "met": part.met })
}
