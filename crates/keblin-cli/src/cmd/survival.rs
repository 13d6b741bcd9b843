//! `keblin survival`: prints which event does what to which field.

use std::collections::{BTreeMap, BTreeSet};

use comfy_table::Cell;
use keblin::Schema;
use keblin::explore::{Proof, Proven, survival_proof};
use keblin::model::{CheckpointLasts, FieldDef, ObjectKindDef, Scope};
use keblin::survival::{Fate, Row, fate, fate_of_kind, is_override, is_set_by_kind};
use serde_json::{Map, Value as Json, json};

use crate::args::Args;
use crate::out::{Console, Tone, cell, json, of_scope, plain};
use crate::{Outcome, Trouble, files};

/// The events that treat fields differently; the others treat all fields of a scope alike.
pub(crate) const COLUMNS: [(&str, Row); 5] = [
    ("death", Row::Death),
    ("retry", Row::Retry),
    ("enter", Row::Enter),
    ("new run", Row::NewRun),
    ("reopen", Row::Reopen),
];

pub(crate) fn run(console: &mut Console<'_>, args: &Args, proof: bool) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &[])?;
    let proof = if proof { survival_proof(&schema) } else { Vec::new() };
    if console.json {
        console.json_object(&json!({
            "game": schema.game.as_str(),
            "version": schema.version,
            "survival": Json::Object(schema.fields.iter().map(|field| entry(&schema, field)).collect()),
            "kinds": Json::Object(schema.object_kinds.iter().map(|kind| kind_entry(&schema, kind)).collect()),
            "proof": proof.iter().map(proof_json).collect::<Vec<_>>(),
        }))?;
    } else {
        let heading = format!("What survives what in {}, version {}", schema.game, schema.version);
        let heading = console.toned(Tone::Heading, &heading);
        console.line(&heading)?;
        console.blank()?;
        print(console, &schema)?;
        if !proof.is_empty() {
            console.blank()?;
            print_proof(console, &proof)?;
        }
    }
    let differs = proof.iter().any(|cell| matches!(cell.result, Proof::Differs { .. }));
    Ok(if differs { Outcome::Findings } else { Outcome::Fine })
}

/// What was tried, and what was not and why.
fn print_proof(console: &mut Console<'_>, proof: &[Proven]) -> Result<(), Trouble> {
    let mut not_tried = BTreeMap::<&str, BTreeSet<&str>>::new();
    for cell in proof {
        match &cell.result {
            Proof::Holds => {}
            Proof::Differs { expected, found } => {
                let word = console.toned(Tone::Bad, "differs");
                let at = format!("{} at {}", cell.field, cell.row.as_str());
                console
                    .paragraph(&format!("  {at} {word}: expected {expected}, but found {found}"), "    ")?;
            }
            Proof::NotTried { why } => _ = not_tried.entry(why).or_default().insert(cell.row.as_str()),
            _ => {}
        }
    }
    let held = proof.iter().filter(|cell| cell.result == Proof::Holds).count();
    let tried = proof.iter().filter(|cell| !matches!(cell.result, Proof::NotTried { .. })).count();
    let word =
        console.toned(if held == tried { Tone::Good } else { Tone::Bad }, &format!("{held} of {tried}"));
    console.paragraph(
        &format!("  {word} cells are as the table says, tried on a keeper with files in memory."),
        "  ",
    )?;
    for (why, rows) in not_tried {
        let all = rows.len() == Row::ALL.len();
        let rows: Vec<&str> = if all { vec!["every event"] } else { rows.into_iter().collect() };
        let line = console.toned(Tone::Quiet, &format!("not tried: {}: {why}", rows.join(", ")));
        console.paragraph(&format!("  {line}"), "    ")?;
    }
    Ok(())
}

fn proof_json(cell: &Proven) -> Json {
    let (word, expected, found, why) = match &cell.result {
        Proof::Holds => ("holds", None, None, None),
        Proof::Differs { expected, found } => {
            ("differs", Some(json::value(expected)), Some(json::value(found)), None)
        }
        Proof::NotTried { why } => ("not_tried", None, None, Some(why)),
        _ => ("unknown", None, None, None),
    };
    json!({
        "field": cell.field.as_str(),
        "moment": cell.row.as_str(),
        "fate": cell.fate.as_str(),
        "result": word,
        "expected": expected,
        "found": found,
        "why": why,
    })
}

fn entry(schema: &Schema, field: &FieldDef) -> (String, Json) {
    let mut moments = Map::new();
    for &moment in Row::ALL {
        let fate = fate(schema, field, moment);
        let said = is_override(schema, field, moment);
        moments.insert(moment.as_str().into(), json!({ "fate": fate.as_str(), "override": said }));
    }
    let lives = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
    let lives = lives.is_some_and(|lives| lives.name == field.name);
    let group = schema.group_of(field).map(|group| group.name.as_str());
    let entry = json!({ "scope": field.scope.as_str(), "group": group, "lives": lives, "moments": moments });
    (field.name.to_string(), entry)
}

fn kind_entry(schema: &Schema, kind: &ObjectKindDef) -> (String, Json) {
    let moments = Row::ALL.iter().map(|row| {
        let fate = fate_of_kind(schema, kind, *row);
        let said = is_set_by_kind(schema, kind, *row);
        (row.as_str().to_string(), json!({ "fate": fate.as_str(), "override": said }))
    });
    (
        kind.name.to_string(),
        json!({ "time_away": kind.time_away, "moments": Json::Object(moments.collect()) }),
    )
}

/// The table, and the events that are not in it.
pub(crate) fn print(console: &mut Console<'_>, schema: &Schema) -> Result<(), Trouble> {
    let lives = schema.lives.as_ref().and_then(|lives| schema.fields.get(lives.field));
    let mut table = console.new_table();
    let heads = std::iter::once("").chain(COLUMNS.iter().map(|(head, _)| *head));
    table.set_header(heads.map(|head| cell(Tone::Quiet, head)));
    for &scope in Scope::ALL {
        for (group, fields) in schema.by_group(|field| field.scope == scope) {
            table.add_row([cell(Tone::Heading, &of_scope(scope, group))]);
            for field in fields {
                let is_lives = lives.is_some_and(|lives| lives.name == field.name);
                let cells = COLUMNS.iter().map(|(_, moment)| fate_cell(schema, field, *moment, is_lives));
                table.add_row(std::iter::once(plain(format!("  {}", field.name))).chain(cells));
            }
        }
    }
    if !schema.object_kinds.is_empty() {
        table.add_row([cell(Tone::Heading, "objects of the world")]);
    }
    for kind in &schema.object_kinds {
        let fates = COLUMNS.iter().map(|(_, row)| {
            let fate = fate_of_kind(schema, kind, *row);
            let star = if is_set_by_kind(schema, kind, *row) { "*" } else { "" };
            let word = format!("{}{star}", if fate == Fate::Copied { "stays" } else { fate.as_str() });
            match fate {
                Fate::Default => cell(Tone::Doubtful, &word),
                Fate::Checkpoint | Fate::Entry => cell(Tone::Name, &word),
                _ => cell(Tone::Quiet, &word),
            }
        });
        table.add_row(std::iter::once(plain(format!("  {}", kind.name))).chain(fates));
    }
    console.table(&table)?;
    console.blank()?;
    for line in notes(schema) {
        let note = console.toned(Tone::Quiet, line);
        console.paragraph(&format!("  {note}"), "    ")?;
    }
    Ok(())
}

/// What has to be known to read the table.
pub(crate) fn notes(schema: &Schema) -> impl Iterator<Item = &'static str> {
    let of_objects = (!schema.object_kinds.is_empty()).then_some(OBJECTS);
    let save_points = (schema.checkpoint_lasts == CheckpointLasts::Run).then_some(SAVE_POINTS);
    NOTES.into_iter().chain(of_objects).chain(save_points)
}

const NOTES: [&str; 6] = [
    "* set by the field; everything else follows from its scope.",
    "death: one with a life left. entry: the value on arrival in the level. checkpoint: the value at the last \
     checkpoint, or on arrival if there was none.",
    "A checkpoint copies the values of level and run scope; so does arriving in a level.",
    "Leaving a level and resuming it changes nothing. A finish changes nothing until the next level.",
    "The death that takes the last life, and every other end of a run, resets nothing: values can be read until \
     the next run, and there is nothing to continue.",
    "Profile values outlive runs; records among them keep the better value. Erasing the profile erases everything \
     except device values.",
];

const OBJECTS: &str =
    "Objects of the world, in every area. default: as their level makes them. *: set by the kind.";

const SAVE_POINTS: &str = "A checkpoint lasts until the run ends. A death that leads to one in another level gives values of level \
     scope as they were there, and values of run scope by their word for a death.";

fn fate_cell(schema: &Schema, field: &FieldDef, moment: Row, is_lives: bool) -> Cell {
    let fate = fate(schema, field, moment);
    let mark = if is_override(schema, field, moment) || says(field, moment) { "*" } else { "" };
    let (word, tone) = match fate {
        Fate::Stays if is_lives && moment == Row::Death => ("loses 1", Tone::Doubtful),
        Fate::Copied => ("stays", Tone::Quiet),
        Fate::Stays | Fate::Readable => (fate.as_str(), Tone::Quiet),
        Fate::Checkpoint | Fate::Entry => (fate.as_str(), Tone::Name),
        _ => (fate.as_str(), Tone::Doubtful),
    };
    cell(tone, &format!("{word}{mark}"))
}

/// Each field must say what a death does, so that cell is marked even if it equals the default for its scope.
pub(crate) fn says(field: &FieldDef, moment: Row) -> bool {
    moment == Row::Death && field.scope != Scope::Profile && field.says_on_death
}
