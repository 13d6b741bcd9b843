//! A save as JSON and back, without loss: for tools, for editing by hand, and for looking at a save in other programs.
//! It goes by the same list of values as the format, so nothing can be missing. With the feature `json`.

/// Single values.
mod value;

/// The JSON Schema of a game's saves.
mod rules;

/// JSON to a snapshot.
mod import;

use std::collections::BTreeMap;

use keblin_model::Value;
use serde_json::{Map as Object, Value as Json, json};
use thiserror::Error;

use super::layout::HISTORY;
use super::reader::read;
use super::stamp::Stamp;
use super::writer::write;
use crate::grammar::listed::{self, Branch, FactOf, Leaf, Listed, Map, Node};
use crate::snapshot::{AREA, Carried, Picture, Snapshot, Visit};
use value::hex;

pub use import::import;
pub use rules::json_schema;
pub use value::value_json;

/// The number of this form of JSON.
pub const JSON_FORMAT: u64 = 1;

/// The only key of a value that the schema does not know: its bytes as they are in the save.
const RAW: &str = "cbor";

/// What is wrong with a JSON text that should be a save.
#[derive(Clone, PartialEq, Eq, Error)]
#[error("{path}: {message}")]
#[non_exhaustive]
pub struct JsonError {
    /// Where it is: the keys from the top, with dots between.
    pub path: String,
    /// What is expected there, and what was found.
    pub message: String,
}

keblin_model::debug_as_display!(JsonError);

/// Returns a save as JSON: everything in it, and what it says about itself.
///
/// ```
/// use keblin::{Progress, Schema, save::{Stamp, json}};
/// # use std::sync::Arc;
/// # let text = "game = 'otter'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n";
/// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
/// let mut game = Progress::new(Arc::clone(&schema));
/// game.set(schema.field::<i64>("shells")?, 7);
/// let snapshot = game.snapshot();
/// let exported = json::export(&snapshot, &Stamp::first(1_700_000_000_000, "quit"));
/// assert_eq!(exported["profile"]["fields"]["shells"], 7);
/// assert!(json::import(&exported, &schema)?.0 == snapshot);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[must_use]
pub fn export(snapshot: &Snapshot, stamp: &Stamp) -> Json {
    let Snapshot { schema, state, carried, picture, areas, .. } = snapshot;
    let visit = state.run.as_ref().and_then(|run| run.visit.as_ref());
    let exporting = Exporting { snapshot, visit, cells: &state.cells };
    let texts = |bytes: &BTreeMap<String, String>| json!(bytes);
    let named = areas.iter().filter_map(|(name, bytes)| {
        Some((name.strip_prefix(AREA).unwrap_or(name).to_string(), hex(bytes.get().ok()?)))
    });
    let blocks = carried.blocks.iter().map(|(name, bytes)| (name.clone(), hex(bytes)));
    let continues: Vec<String> = stamp.predecessors.iter().map(|digest| hex(digest)).collect();
    let about = json!({
        "number": stamp.number,
        "created_unix_ms": stamp.created_unix_ms,
        "saved_at_unix_ms": stamp.saved_at_unix_ms,
        "erasures": stamp.erasures,
        "cause": stamp.cause,
        "edited": stamp.edited,
        "continues": continues,
    });
    let picture = picture.as_ref().map(|picture| {
        let Picture { media_type, bytes } = picture.as_ref();
        json!({ "media_type": media_type, "bytes": hex(bytes) })
    });
    let of_game = [
        ("json_format", json!(JSON_FORMAT)),
        ("game", json!(schema.game.as_str())),
        ("version", json!(schema.version)),
        ("save", about),
    ];
    let sections = listed::slot(schema).into_iter().map(|listed| {
        let contents = exporting.map(&listed.map, &mut vec![listed.name.clone()]);
        (listed.name, contents)
    });
    let rest = [
        ("areas", texts(&named.collect())),
        ("picture", json!(picture)),
        ("unknown", texts(&blocks.collect())),
    ];
    // Most saves have no title, and most are of the build that reads them.
    let title = snapshot.title().map(|title| ("title", json!(title)));
    let originals = originals(snapshot);
    let originals = (!originals.is_empty()).then(|| ("originals", texts(&originals)));
    let history = history(snapshot).map(|bytes| ("history", json!(hex(&bytes))));
    let fixed = |(key, value): (&str, Json)| (key.to_string(), value);
    let object = of_game.into_iter().map(fixed).chain(sections);
    Json::Object(
        object.chain(rest.into_iter().chain(title).chain(originals).chain(history).map(fixed)).collect(),
    )
}

/// Returns the body of the section of who wrote what, if the snapshot says.
fn history(snapshot: &Snapshot) -> Option<Vec<u8>> {
    snapshot.history.as_ref()?;
    let bytes = write(snapshot, &Stamp::default());
    let file = read(&bytes).ok()?;
    Some(file.section(HISTORY).ok()?.body.to_vec())
}

/// Returns the values and visits that this build knows only in part, as they are in the save, by their paths.
fn originals(snapshot: &Snapshot) -> BTreeMap<String, String> {
    let mut found = BTreeMap::new();
    for Listed { name, map, .. } in listed::slot(&snapshot.schema) {
        originals_in(&map, &name, false, &snapshot.carried, &mut found);
    }
    found
}

fn originals_in(
    map: &Map,
    path: &str,
    save_point: bool,
    carried: &Carried,
    found: &mut BTreeMap<String, String>,
) {
    for (key, node) in &map.entries {
        let path = format!("{path}.{key}");
        let bytes = match *node {
            Node::Leaf(Leaf::Cell(cell) | Leaf::Table { first: cell, .. }) => carried
                .values
                .get(&cell)
                .and_then(|originals| originals.first())
                .map(|original| &original.bytes),
            Node::Branch(branch, _) => {
                let part = (save_point || branch == Branch::SavePoint, branch);
                carried.visits.get(&part).map(|before| &before.bytes)
            }
            _ => None,
        };
        if let Some(bytes) = bytes {
            found.insert(path.clone(), hex(bytes));
        }
        match node {
            Node::Map(map) | Node::Branch(Branch::Run, map) => {
                originals_in(map, &path, save_point, carried, found)
            }
            // The values of the copies have their originals with the copies.
            Node::Branch(branch @ (Branch::Visit | Branch::SavePoint), map) => {
                let copies = map.entries.iter().filter(|(_, node)| matches!(node, Node::Branch(..)));
                let copies = Map { entries: copies.cloned().collect(), ..map.clone() };
                originals_in(&copies, &path, *branch == Branch::SavePoint, carried, found);
            }
            _ => {}
        }
    }
}

/// A snapshot that is being exported.
#[derive(Clone, Copy)]
struct Exporting<'s> {
    snapshot: &'s Snapshot,
    /// The visit of the run, or its save point.
    visit: Option<&'s Visit>,
    /// The values of the fields: those of the state, or a copy.
    cells: &'s [Value],
}

impl<'s> Exporting<'s> {
    fn map(&self, map: &Map, path: &mut Vec<String>) -> Json {
        let mut object = Object::new();
        for (key, node) in &map.entries {
            path.push(key.clone());
            let json = match node {
                Node::Leaf(leaf) => self.leaf(*leaf),
                Node::Map(map) => self.map(map, path),
                Node::Branch(branch, map) => {
                    self.inside(*branch).map_or(Json::Null, |inside| inside.map(map, path))
                }
            };
            path.pop();
            object.insert(key.clone(), json);
        }
        for (at, bytes) in self.snapshot.carried.fields.iter().filter(|_| map.keeps_unknown) {
            if let Some((key, before)) = at.split_last()
                && before == path.as_slice()
            {
                object.insert(key.clone(), json!({ RAW: hex(bytes) }));
            }
        }
        Json::Object(object)
    }

    /// Returns the values of a branch; `None` if the save does not have it.
    fn inside(&self, branch: Branch) -> Option<Exporting<'s>> {
        let cells = match branch {
            Branch::Run => return self.snapshot.state.run.as_ref().map(|_| *self),
            Branch::Visit => return self.visit.map(|_| *self),
            Branch::SavePoint => {
                let visit = self.snapshot.state.run.as_ref()?.save_point.as_ref()?;
                return Some(Exporting { visit: Some(visit), ..*self });
            }
            Branch::Entry => self.visit?.entry.as_ref(),
            Branch::AtCheckpoint => self.visit?.at_checkpoint.as_deref()?,
        };
        (cells.len() == self.snapshot.schema.copied_cells).then_some(Exporting { cells, ..*self })
    }

    fn leaf(&self, leaf: Leaf) -> Json {
        let Snapshot { schema, state, carried, .. } = self.snapshot;
        let level = |index: Option<usize>| index.and_then(|index| schema.levels.get(index));
        let level_id = |index| level(index).map(|level| level.name.as_str());
        let difficulty =
            |index: Option<usize>| index.and_then(|index| schema.difficulties.get(index)).map(AsRef::as_ref);
        let run = state.run.as_ref();
        match leaf {
            Leaf::Cell(cell) => self.cells.get(cell).map_or(Json::Null, value_json),
            Leaf::Table { first, places } => {
                let values = self.cells.get(first..first + places).unwrap_or_default();
                values.iter().filter(|value| **value != Value::Unset).map(value_json).collect()
            }
            Leaf::Fact(fact, index) => {
                let facts = state.facts_to_save(schema, index).unwrap_or_default();
                match fact {
                    FactOf::Finished => json!(facts.finished),
                    FactOf::Stars => json!(facts.stars),
                    FactOf::Collected => json!(facts.collected),
                    FactOf::Attempts => json!(facts.attempts),
                    FactOf::Deaths => json!(facts.deaths),
                }
            }
            Leaf::Star { facts, star } => json!(state.has_collected(facts, star)),
            Leaf::Latched(index) => json!(state.latched.get(index) == Some(&true)),
            Leaf::Opened(index) => json!(state.opened.get(index) == Some(&true)),
            Leaf::Told(index) => json!(state.told.get(index) == Some(&true)),
            Leaf::Furthest => json!(carried.furthest.as_deref().or(level_id(state.furthest))),
            Leaf::Difficulty => json!(carried.difficulty.as_deref().or(difficulty(state.difficulty))),
            Leaf::Played => json!(state.played.to_string()),
            Leaf::Made => json!(state.made),
            Leaf::EntryAt => json!(state.entry_at.to_string()),
            Leaf::CheckpointAt => json!(state.checkpoint_at.to_string()),
            Leaf::RunDifficulty => {
                let declared = difficulty(run.and_then(|run| run.difficulty));
                json!(carried.run_difficulty.as_deref().or(declared))
            }
            Leaf::Level => json!(level_id(self.visit.and_then(|visit| visit.level))),
            Leaf::Checkpoint => {
                let visit = self.visit;
                let level = level(visit.and_then(|visit| visit.level));
                let index = visit.and_then(|visit| visit.checkpoint);
                let id = level.zip(index).and_then(|(level, index)| level.checkpoints.get(index));
                json!(id.map(AsRef::<str>::as_ref))
            }
            Leaf::Stay => json!(self.visit.map(|visit| visit.stay.as_str())),
        }
    }
}
