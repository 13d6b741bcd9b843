//! What a newer build must find after an older one has saved: an overlay of JSON documents, which knows nothing of how a
//! save is written.

use std::collections::BTreeMap;

use serde_json::{Map, Value as Json, json};

/// Returns what a build knows of its own export: other values are there as bytes.
pub(super) fn known(json: Json) -> Json {
    match json {
        Json::Object(members) => {
            let is_known = |value: &Json| {
                value.as_object().is_none_or(|object| object.len() != 1 || !object.contains_key("cbor"))
            };
            let members = members
                .into_iter()
                .filter(|(_, value)| is_known(value))
                .map(|(key, value)| (key, known(value)));
            Json::Object(members.collect::<Map<_, _>>())
        }
        Json::Array(items) => Json::Array(items.into_iter().map(known).collect()),
        json => json,
    }
}

/// Returns what the newer build must find: what it had, with what the older build has changed of what that build saw.
pub(super) fn overlay(had: &Json, saw: &Json, left: &Json, field: &str) -> Json {
    if saw == left {
        return had.clone();
    }
    match (had, saw, left) {
        (Json::Array(had), Json::Array(saw), Json::Array(left)) if field == "best" => {
            let mut all: Vec<&Json> = left.iter().collect();
            let mut more: Vec<&Json> = had.iter().collect();
            left.iter().for_each(|entry| {
                more.iter().position(|held| *held == entry).into_iter().for_each(|at| _ = more.remove(at))
            });
            all.extend(more);
            all.sort_by_key(|entry| std::cmp::Reverse(entry.as_i64()));
            let places = if had.len() > 3 || saw.len() < had.len() { 7 } else { 3 };
            Json::Array(all.into_iter().take(places).cloned().collect())
        }
        (Json::Array(had), Json::Array(saw), Json::Array(left)) => {
            let items = left.iter().enumerate().map(|(at, item)| match (had.get(at), saw.get(at)) {
                // Shapes stay at their place.
                (Some(had), Some(saw)) if item.is_object() && had.is_object() => {
                    overlay(had, saw, item, field)
                }
                _ => item.clone(),
            });
            let mut items: Vec<Json> = items.collect();
            let mut seen: Vec<&Json> = saw.iter().collect();
            for item in had.iter().filter(|item| !item.is_object()) {
                match seen.iter().position(|seen| *seen == item) {
                    Some(at) => _ = seen.remove(at),
                    None => items.push(item.clone()),
                }
            }
            Json::Array(items)
        }
        (Json::Object(had), Json::Object(saw), Json::Object(left)) => {
            let of_both = left.iter().map(|(key, now)| {
                let value = match (had.get(key), saw.get(key)) {
                    (Some(had), Some(saw)) => overlay(had, saw, now, key),
                    _ => now.clone(),
                };
                (key.clone(), value)
            });
            let of_had = had.iter().filter(|(key, _)| !saw.contains_key(*key) && !left.contains_key(*key));
            Json::Object(of_both.chain(of_had.map(|(key, value)| (key.clone(), value.clone()))).collect())
        }
        _ => left.clone(),
    }
}

/// Returns a document in which the order of items does not matter.
fn sorted(json: &Json) -> Json {
    match json {
        Json::Array(items) => {
            let mut items: Vec<Json> = items.iter().map(sorted).collect();
            items.sort_by_key(ToString::to_string);
            Json::Array(items)
        }
        Json::Object(members) => {
            let members: BTreeMap<_, _> = members.iter().map(|(key, value)| (key, sorted(value))).collect();
            json!(members)
        }
        json => json.clone(),
    }
}

/// Compares two documents; where they differ, both are shown from there.
pub(super) fn expect(found: &Json, expected: &Json) {
    let [found, expected] = [found, expected].map(sorted);
    let lines = |json: &Json| format!("{json:#}").lines().map(ToString::to_string).collect::<Vec<_>>();
    let (found, expected) = (lines(&found), lines(&expected));
    let same = found.iter().zip(&expected).take_while(|(found, expected)| found == expected).count();
    let near = |lines: &[String]| {
        lines.iter().skip(same.saturating_sub(5)).take(12).cloned().collect::<Vec<_>>().join("\n")
    };
    assert!(found == expected, "found\n{}\nexpected\n{}", near(&found), near(&expected));
}
