//! JSON to a snapshot: it is written as the sections of a save, and read like those. What JSON can get wrong is found
//! before, with its path.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin_model::name::nearest;
use keblin_model::{Name, Time, Value};
use serde_json::{Map as Object, Value as Json};

use super::value::{best_of_json, of_hex, shortened};
use super::{JSON_FORMAT, JsonError, RAW};
use crate::grammar::encoded;
use crate::grammar::listed::{self, FactOf, Leaf, Listed, Map, Node};
use crate::grammar::plan::NO_SHAPE;
use crate::save::history::imported;
use crate::save::map::Item;
use crate::save::reading::Reading;
use crate::save::{Stamp, values};
use crate::snapshot::{AREA, AT_CHECKPOINT, AT_ENTRY, Areas, Carried, Picture, Schema, Snapshot, Stay};

type Done<T> = Result<T, JsonError>;

/// Returns the snapshot and the stamp of a save that was exported as JSON.
///
/// A missing value becomes its default. Bounds and relations are not checked here; [`verify`](crate::verify::verify)
/// reports them once it is written as a save.
///
/// # Errors
/// [`JsonError`] with the path of the first mistake: another game or version, an unknown key, a value of another type.
pub fn import(json: &Json, schema: &Arc<Schema>) -> Done<(Snapshot, Stamp)> {
    const KEYS: [&str; 10] = [
        "json_format",
        "game",
        "version",
        "save",
        "areas",
        "picture",
        "unknown",
        "originals",
        "title",
        "history",
    ];
    let top = object(json, "")?;
    let slot = listed::slot(schema);
    let keys: Vec<&str> = KEYS.into_iter().chain(slot.iter().map(|listed| listed.name.as_str())).collect();
    known_keys(top, &keys, "")?;
    equals(top, "json_format", &JSON_FORMAT.into())?;
    equals(top, "game", &schema.game.as_str().into())?;
    equals(top, "version", &schema.version.into())?;
    let state = read(top, &slot, schema, &BTreeMap::new())?.state;
    // What another build has saved is taken from its bytes; the values that are named in the document count.
    let carried = read(top, &slot, schema, &named_bytes(top, "originals")?)?.carried;
    let blocks = named_bytes(top, "unknown")?.into_iter().map(|(name, bytes)| (name, Arc::from(bytes)));
    let carried = Carried { blocks: blocks.collect(), ..carried };
    let mut areas = Areas::new();
    for (name, bytes) in named_bytes(top, "areas")? {
        let copy =
            [AT_ENTRY, AT_CHECKPOINT].iter().find_map(|start| Some((*start, name.strip_prefix(*start)?)));
        let (start, id) = copy.unwrap_or((AREA, &name));
        let id = Name::new(id)
            .map_err(|fault| wrong(&format!("areas.{name}"), format!("`{name}` is not an id: {fault}")))?;
        areas.insert(Arc::from(format!("{start}{id}")), bytes.into());
    }
    let mut snapshot = Snapshot {
        carried: Arc::new(carried),
        areas: Arc::new(areas),
        picture: picture(top)?,
        title: title(top)?,
        ..Snapshot::of_state(schema, state)
    };
    let stamp = stamp(top)?;
    if let Some(history) = top.get("history") {
        let expected = || wrong("history", "expected bytes as hexadecimal digits");
        let bytes = history.as_str().and_then(of_hex).ok_or_else(expected)?;
        let read = imported(&bytes, &snapshot, stamp.saved_at_unix_ms);
        let history = read.map_err(|error| wrong("history", error.fault.to_string()))?;
        snapshot.history = Some(Arc::new(history));
    }
    Ok((snapshot, stamp))
}

/// Reads the sections of a document; `originals` are bytes in place of what the document has at their path.
fn read<'s>(
    top: &Object<String, Json>,
    slot: &[Listed],
    schema: &'s Arc<Schema>,
    originals: &BTreeMap<String, Vec<u8>>,
) -> Done<Reading<'s>> {
    let mut reading = Reading::new(schema, schema.plan());
    for Listed { name, needed, map } in slot {
        let Some(section) = top.get(name) else {
            if *needed {
                return Err(wrong(name, "expected this section, but it is missing"));
            }
            continue;
        };
        let bytes = Importing { schema, originals }.map(section, map, name)?;
        let read = reading.by_keys_in(name, &Item::new(name, 0, &bytes), map);
        read.map_err(|error| wrong(name, error.fault.to_string()))?;
    }
    reading.finish();
    Ok(reading)
}

struct Importing<'s> {
    schema: &'s Schema,
    originals: &'s BTreeMap<String, Vec<u8>>,
}

impl Importing<'_> {
    /// Returns the bytes of a map of a section.
    fn map(&self, json: &Json, map: &Map, path: &str) -> Done<Vec<u8>> {
        let found = object(json, path)?;
        let mut entries: Vec<(&str, Vec<u8>)> = Vec::new();
        for (index, (key, node)) in map.entries.iter().enumerate() {
            let at = format!("{path}.{key}");
            match found.get(key) {
                None if index < map.needed => return Err(wrong(&at, "expected this key, but it is missing")),
                None => {}
                Some(json) => entries.push((key, self.node(json, node, &at)?)),
            }
        }
        let is_known = |key: &&String| map.entries.iter().any(|(known, _)| known == *key);
        for (key, json) in found.iter().filter(|(key, _)| !is_known(key)) {
            let raw = json.as_object().filter(|object| object.len() == 1 && map.keeps_unknown);
            let raw = raw.and_then(|object| of_hex(object.get(RAW)?.as_str()?));
            let known: Vec<&str> = map.entries.iter().map(|(key, _)| key.as_str()).collect();
            entries.push((key, raw.ok_or_else(|| unknown_key(key, &known, path))?));
        }
        Ok(encoded(|out| {
            out.map(entries.len() as u64)?;
            for (key, bytes) in &entries {
                out.str(key)?;
                out.writer_mut().extend_from_slice(bytes);
            }
            Ok(())
        }))
    }

    fn node(&self, json: &Json, node: &Node, path: &str) -> Done<Vec<u8>> {
        if let Some(bytes) = self.originals.get(path) {
            return Ok(bytes.clone());
        }
        match node {
            Node::Leaf(leaf) => self.leaf(json, *leaf, path),
            Node::Branch(..) if json.is_null() => Ok(encoded(|out| out.null().map(drop))),
            Node::Map(map) | Node::Branch(_, map) => self.map(json, map, path),
        }
    }

    fn leaf(&self, json: &Json, leaf: Leaf, path: &str) -> Done<Vec<u8>> {
        let expected = |what: &str| wrong(path, format!("expected {what}, but found {}", shortened(json)));
        let value = match leaf {
            Leaf::Cell(cell) => self.value(json, cell, path)?,
            Leaf::Table { first, places } => {
                let items = json.as_array().filter(|items| items.len() <= places);
                let items = items.ok_or_else(|| expected(&format!("a list of at most {places} values")))?;
                if items.iter().any(Json::is_null) {
                    return Err(expected("values without null between them"));
                }
                let values = items.iter().map(|item| self.value(item, first, path));
                Value::List(values.collect::<Done<_>>()?)
            }
            Leaf::Fact(FactOf::Finished, _)
            | Leaf::Star { .. }
            | Leaf::Latched(_)
            | Leaf::Opened(_)
            | Leaf::Told(_) => Value::Bool(json.as_bool().ok_or_else(|| expected("true or false"))?),
            // Not every count fits a signed number.
            Leaf::Fact(..) | Leaf::Made => {
                let count = json.as_u64().ok_or_else(|| expected("a count"))?;
                return Ok(encoded(|out| out.u64(count).map(drop)));
            }
            Leaf::Played | Leaf::EntryAt | Leaf::CheckpointAt => {
                let time = json.as_str().and_then(|text| text.parse().ok());
                Value::Int(time.map(Time::as_nanos).ok_or_else(|| expected("a time such as \"1h2m\""))?)
            }
            Leaf::Stay => {
                let words: Vec<&str> = Stay::ALL.iter().map(|stay| stay.as_str()).collect();
                let word = json.as_str().filter(|word| words.contains(word));
                Value::text(word.ok_or_else(|| expected(&words.join(", ")))?)
            }
            Leaf::Furthest | Leaf::Difficulty | Leaf::RunDifficulty | Leaf::Level | Leaf::Checkpoint => {
                match json {
                    Json::Null => Value::Unset,
                    Json::String(id) => Value::text(id),
                    _ => return Err(expected("an id, or null")),
                }
            }
        };
        let of = match leaf {
            Leaf::Cell(cell) | Leaf::Table { first: cell, .. } => self.schema.field_at(cell),
            _ => None,
        };
        let order = of.map_or(&NO_SHAPE, |field| self.schema.plan().order(field));
        Ok(encoded(|out| values::write_ordered(out, &value, order)))
    }

    /// Returns the value of a cell.
    fn value(&self, json: &Json, cell: usize, path: &str) -> Done<Value> {
        let Some(field) = self.schema.field_at(cell) else { return Ok(Value::Unset) };
        if json.is_null() && field.may_be_unset() {
            return Ok(Value::Unset);
        }
        best_of_json(json, field, self.schema).map_err(|(below, message)| {
            let at = if below.is_empty() { path.to_string() } else { format!("{path}.{below}") };
            wrong(&at, message)
        })
    }
}

fn wrong(path: &str, message: impl Into<String>) -> JsonError {
    let path = if path.is_empty() { "the document" } else { path };
    JsonError { path: path.to_string(), message: message.into() }
}

fn object<'j>(json: &'j Json, path: &str) -> Done<&'j Object<String, Json>> {
    json.as_object().ok_or_else(|| wrong(path, format!("expected an object, but found {}", shortened(json))))
}

fn unknown_key(key: &str, known: &[&str], path: &str) -> JsonError {
    let at = if path.is_empty() { key.to_string() } else { format!("{path}.{key}") };
    let meant = nearest(key, known.iter().copied()).map(|near| format!("; did you mean `{near}`?"));
    wrong(&at, format!("this key is not declared{}", meant.unwrap_or_default()))
}

fn known_keys(found: &Object<String, Json>, known: &[&str], path: &str) -> Done<()> {
    let unknown = found.keys().find(|key| !known.contains(&key.as_str()));
    unknown.map_or(Ok(()), |key| Err(unknown_key(key, known, path)))
}

fn equals(found: &Object<String, Json>, key: &str, expected: &Json) -> Done<()> {
    match found.get(key) {
        Some(found) if found == expected => Ok(()),
        Some(found) => Err(wrong(key, format!("expected {expected}, but found {}", shortened(found)))),
        None => Err(wrong(key, format!("expected {expected}, but it is missing"))),
    }
}

fn named_bytes(top: &Object<String, Json>, key: &str) -> Done<BTreeMap<String, Vec<u8>>> {
    let Some(json) = top.get(key) else { return Ok(BTreeMap::new()) };
    let entry = |(name, json): (&String, &Json)| {
        let expected =
            || wrong(&format!("{key}.{name}"), format!("expected hex digits, but found {}", shortened(json)));
        Ok((name.clone(), json.as_str().and_then(of_hex).ok_or_else(expected)?))
    };
    object(json, key)?.iter().map(entry).collect()
}

fn title(top: &Object<String, Json>) -> Done<Option<Arc<str>>> {
    let Some(json) = top.get("title") else { return Ok(None) };
    let text = json
        .as_str()
        .ok_or_else(|| wrong("title", format!("expected a text, but found {}", shortened(json))))?;
    crate::snapshot::title(text).map_err(|fault| wrong("title", fault.to_string()))
}

fn picture(top: &Object<String, Json>) -> Done<Option<Arc<Picture>>> {
    let Some(json) = top.get("picture").filter(|json| !json.is_null()) else { return Ok(None) };
    let found = object(json, "picture")?;
    known_keys(found, &["media_type", "bytes"], "picture")?;
    let text = |key: &str| found.get(key).and_then(Json::as_str);
    let expected = || wrong("picture", "expected `media_type` as text and `bytes` as hex digits");
    let (media_type, bytes) = text("media_type").zip(text("bytes").and_then(of_hex)).ok_or_else(expected)?;
    let picture = Picture::new(media_type, bytes).map_err(|error| wrong("picture", error.to_string()))?;
    Ok(Some(Arc::new(picture)))
}

fn stamp(top: &Object<String, Json>) -> Done<Stamp> {
    const KEYS: [&str; 7] =
        ["number", "created_unix_ms", "saved_at_unix_ms", "erasures", "cause", "edited", "continues"];
    let json = top.get("save").ok_or_else(|| wrong("save", "expected this key, but it is missing"))?;
    let found = object(json, "save")?;
    known_keys(found, &KEYS, "save")?;
    let at = |key: &str| format!("save.{key}");
    let expected = |key: &str, what: &str| {
        let found = found.get(key).map_or_else(|| "nothing".to_string(), shortened);
        wrong(&at(key), format!("expected {what}, but found {found}"))
    };
    let count = |key: &str| found.get(key).and_then(Json::as_u64).ok_or_else(|| expected(key, "a count"));
    let cause = found.get("cause").and_then(Json::as_str).ok_or_else(|| expected("cause", "a text"))?;
    let continues = found.get("continues").and_then(Json::as_array);
    let digest = |json: &Json| of_hex(json.as_str()?)?.try_into().ok();
    let predecessors: Option<Vec<_>> =
        continues.ok_or_else(|| expected("continues", "a list of digests"))?.iter().map(digest).collect();
    Ok(Stamp {
        number: count("number")?,
        created_unix_ms: count("created_unix_ms")?,
        erasures: count("erasures")?,
        saved_at_unix_ms: count("saved_at_unix_ms")?,
        cause: cause.to_string(),
        edited: found
            .get("edited")
            .and_then(Json::as_bool)
            .ok_or_else(|| expected("edited", "true or false"))?,
        predecessors: predecessors.ok_or_else(|| expected("continues", "digests as 64 hex digits each"))?,
    })
}
