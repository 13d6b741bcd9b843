//! `keblin show`: prints the contents of a save.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use keblin::condition::names::Asked;
use keblin::model::{FieldDef, Scope};
use keblin::save::{SaveFile, StateHead};
use keblin::verify::{SaveFinding, verify_settings};
use keblin::world::{AreaFault, ObjectCount};
use keblin::{Difficulty, Progress, Schema, Severity};
use serde_json::{Value as Json, json};

use crate::args::Args;
use crate::out::levels::missing;
use crate::out::writers::Written;
use crate::out::{Console, Tone, cell, json, of_scope, plain, played, shortened, shown, waits, when};
use crate::{Outcome, Trouble, files};

/// How often a watched file is looked at.
const LOOK_EVERY: Duration = Duration::from_millis(200);

/// Shows a save again each time its file changes. A file that is missing or cannot be opened is reported, and watched
/// on.
pub(crate) fn watch(console: &mut Console<'_>, args: &Args, file: &Path) -> Result<Outcome, Trouble> {
    let mut before = None;
    loop {
        let now = files::changed_at(file);
        if before.as_ref() != Some(&now) {
            console.clear()?;
            if let Err(Trouble::Told(why)) = run(console, args, file, None) {
                console.paragraph(&console.toned(Tone::Bad, &why), "    ")?;
            }
            console.flush()?;
            before = Some(now);
        }
        std::thread::sleep(LOOK_EVERY);
    }
}

pub(crate) fn run(
    console: &mut Console<'_>,
    args: &Args,
    file: &Path,
    state: Option<u64>,
) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &[file])?;
    let bytes = files::save(file)?;
    if let Some(read) = keblin::save::read(&bytes).ok().filter(SaveFile::is_device) {
        return settings(console, file, &bytes, &read, &schema);
    }
    let save = files::opened(file, state, &schema)?;
    let (head, findings) = (save.head().clone(), save.findings().to_vec());
    let created_unix_ms = save.stamp().created_unix_ms;
    let written = Written::of(save.snapshot(), file);
    let progress = save.into_progress();
    if console.json {
        let mut shown = as_json(&progress, &head, created_unix_ms);
        if let Some((object, written)) = shown.as_object_mut().zip(written.as_json()) {
            object.insert("written_by".to_string(), written);
        }
        console.json_object(&shown)?;
    } else {
        text(console, file, &progress, &head)?;
        if written.is_of_machines() {
            written.print(console)?;
        }
        for finding in &findings {
            console.paragraph(&format!("  {finding}"), "    ")?;
        }
    }
    let is_hint = |finding: &SaveFinding| finding.severity == Severity::Hint;
    Ok(if findings.iter().all(is_hint) { Outcome::Fine } else { Outcome::Findings })
}

/// The settings of a device: its values alone.
fn settings(
    console: &mut Console<'_>,
    file: &Path,
    bytes: &[u8],
    read: &SaveFile<'_>,
    schema: &Arc<Schema>,
) -> Result<Outcome, Trouble> {
    let told = |error: keblin::save::ReadError| Trouble::Told(format!("{}: {error}", shown(file)));
    let progress = Progress::restored(verify_settings(bytes, schema).map_err(told)?);
    let head = &read.head;
    if console.json {
        console.json_object(&json!({
            "game": schema.game.as_str(),
            "version": schema.version,
            "save": saved(head, read.created_unix_ms),
            "settings": json::settings(&progress),
        }))?;
        return Ok(Outcome::Fine);
    }
    let heading = console.toned(Tone::Heading, &format!("{}, version {}", schema.game, schema.version));
    console.paragraph(&format!("{}: {heading}", shown(file)), "    ")?;
    console.line(&format!(
        "  settings of this device, save {}, {}",
        head.number,
        when(head.saved_at_unix_ms)
    ))?;
    fields(console, &progress, |scope| scope == Scope::Device)?;
    Ok(Outcome::Fine)
}

/// What a save says about itself.
fn saved(head: &StateHead, created_unix_ms: u64) -> Json {
    json!({
        "number": head.number,
        "created_unix_ms": created_unix_ms,
        "saved_at_unix_ms": head.saved_at_unix_ms,
        "cause": head.cause,
        "edited": head.edited,
        "fingerprint": head.fingerprint.to_string(),
    })
}

fn as_json(progress: &Progress, head: &StateHead, created_unix_ms: u64) -> Json {
    let schema = progress.schema();
    let ask = |asked: &Asked| json::value(&progress.answer(asked));
    let run = progress.resume_point().map(|_| {
        json!({
            "difficulty": ask(&Asked::Difficulty),
            "level": ask(&Asked::Level),
            "checkpoint": ask(&Asked::Checkpoint),
        })
    });
    let mut shown = json!({
        "game": schema.game.as_str(),
        "version": schema.version,
        "save": saved(head, created_unix_ms),
        "run": run,
        "furthest": ask(&Asked::Furthest),
        "played": ask(&Asked::Played),
        "fields": json::fields(progress),
        "levels": json::levels(progress),
        "unlocks": json::unlocks(progress),
    });
    // Most saves have no title, and most games no areas.
    if let Some((object, title)) = shown.as_object_mut().zip(progress.title()) {
        object.insert("title".to_string(), json!(title));
    }
    let areas = areas(progress);
    if let Some(object) = shown.as_object_mut().filter(|_| !areas.is_empty()) {
        object.insert("areas".to_string(), json!(areas));
        let objects = keblin::world::counts(&progress.snapshot());
        let objects: serde_json::Map<_, _> =
            objects.into_iter().map(|(area, counts)| (area, objects_json(&counts))).collect();
        if !objects.is_empty() {
            object.insert("objects".to_string(), Json::Object(objects));
        }
    }
    shown
}

fn text(
    console: &mut Console<'_>,
    file: &Path,
    progress: &Progress,
    head: &StateHead,
) -> Result<(), Trouble> {
    let schema = progress.schema();
    let when = when(head.saved_at_unix_ms);
    let heading = console.toned(Tone::Heading, &format!("{}, version {}", schema.game, schema.version));
    console.paragraph(&format!("{}: {heading}", shown(file)), "    ")?;
    if let Some(title) = progress.title() {
        console.paragraph(&format!("  \"{}\"", keblin::text::Shown(title)), "    ")?;
    }
    console.line(&format!("  save {} ({}), {when}, {} played", head.number, head.cause, played(progress)))?;
    let run = waits(progress);
    let run = if progress.resume_point().is_some() { console.toned(Tone::Name, &run) } else { run };
    console.line(&format!("  {run}"))?;
    // Device values are not in a slot.
    fields(console, progress, |scope| scope != Scope::Device)?;
    if schema.level_facts_per_difficulty {
        for index in 0..schema.difficulties.len() {
            level_list(console, progress, schema.difficulty_at(index))?;
        }
    } else if !schema.levels.is_empty() {
        level_list(console, progress, None)?;
    }
    unlocks(console, progress)?;
    let areas = areas(progress);
    if !areas.is_empty() {
        console.blank()?;
        let heading = console.toned(Tone::Heading, "areas of the world");
        console.line(&heading)?;
        let mut table = console.new_table();
        let objects: BTreeMap<_, _> = keblin::world::counts(&progress.snapshot()).into_iter().collect();
        for (area, len_bytes) in areas {
            let inside = objects.get(&area).map_or(String::new(), inside);
            table.add_row([area, inside, format!("{len_bytes} bytes")]);
        }
        console.table(&table)?;
    }
    Ok(())
}

fn objects_json(counts: &Result<Vec<ObjectCount>, AreaFault>) -> Json {
    match counts {
        Ok(counts) => {
            let kinds = counts.iter().map(|count| {
                (count.kind.to_string(), json!({ "objects": count.objects, "gone": count.gone }))
            });
            Json::Object(kinds.collect())
        }
        Err(fault) => json!({ "fault": fault.to_string() }),
    }
}

/// What is known of the objects of an area: `1 gate, 2 reed_bed (1 gone)`.
fn inside(counts: &Result<Vec<ObjectCount>, AreaFault>) -> String {
    let counts = match counts {
        Ok(counts) => counts,
        Err(fault) => return format!("cannot be read: {fault}"),
    };
    let kind = |count: &ObjectCount| {
        let gone = if count.gone == 0 { String::new() } else { format!(" ({} gone)", count.gone) };
        format!("{} {}{gone}", count.objects, count.kind)
    };
    counts.iter().map(kind).collect::<Vec<_>>().join(", ")
}

/// The areas of the world, each with the number of bytes that the game keeps for it.
fn areas(progress: &Progress) -> BTreeMap<String, usize> {
    progress.snapshot().areas().map(|(area, bytes)| (area.to_string(), bytes.len())).collect()
}

/// The unlocks, and whether each is unlocked.
fn unlocks(console: &mut Console<'_>, progress: &Progress) -> Result<(), Trouble> {
    let schema = progress.schema();
    if schema.unlocks.is_empty() {
        return Ok(());
    }
    console.blank()?;
    let heading = console.toned(Tone::Heading, "unlocks");
    console.line(&heading)?;
    let mut table = console.new_table();
    for (index, unlock) in schema.unlocks.iter().enumerate() {
        let Some(handle) = schema.unlock_at(index) else { continue };
        let parts = progress.why_not_unlocked(handle);
        let state = match progress.is_unlocked(handle) {
            true => cell(Tone::Good, "given"),
            false => cell(Tone::Quiet, &format!("locked: {}", missing(schema, &parts))),
        };
        table.add_row([plain(&unlock.title), state]);
    }
    console.table(&table)?;
    Ok(())
}

/// Every field of some scopes with its value, by scope and group.
fn fields(
    console: &mut Console<'_>,
    progress: &Progress,
    is_meant: impl Fn(Scope) -> bool,
) -> Result<(), Trouble> {
    let schema = progress.schema();
    for scope in Scope::ALL.iter().copied().filter(|scope| is_meant(*scope)) {
        for (group, fields) in schema.by_group(|field| field.scope == scope && field.durable) {
            console.blank()?;
            let heading = console.toned(Tone::Heading, &of_scope(scope, group));
            console.line(&heading)?;
            let mut table = console.new_table();
            for [name, value, note] in fields.into_iter().flat_map(|field| rows(progress, field)) {
                table.add_row([plain(name), plain(shortened(value)), cell(Tone::Quiet, &note)]);
            }
            console.table(&table)?;
        }
    }
    Ok(())
}

/// The rows of a field: name, value, and a note. Of a field with many values, only those that are not the default.
fn rows(progress: &Progress, field: &FieldDef) -> Vec<[String; 3]> {
    let schema = progress.schema();
    let first = progress.value_at(field.cells.start);
    if field.per.is_empty() {
        let note = if *first == field.default { "default" } else { "" };
        return vec![[field.name.to_string(), first.to_string(), note.to_string()]];
    }
    let place =
        |cell| schema.cell_owner(cell).map(|(_, at)| schema.place_text(&field.per, at)).unwrap_or_default();
    let held = field.cells.clone().map(|cell| (cell, progress.value_at(cell)));
    let held: Vec<_> = held.filter(|(_, value)| **value != field.default).collect();
    if held.is_empty() {
        return vec![[field.name.to_string(), field.default.to_string(), "everywhere".to_string()]];
    }
    let names = std::iter::once(field.name.to_string()).chain(std::iter::repeat(String::new()));
    names.zip(held).map(|(name, (cell, value))| [name, value.to_string(), place(cell)]).collect()
}

fn level_list(
    console: &mut Console<'_>,
    progress: &Progress,
    difficulty: Option<Difficulty>,
) -> Result<(), Trouble> {
    let schema = progress.schema();
    let name = difficulty.and_then(|difficulty| schema.difficulties.get(difficulty.index()));
    let heading = name.map_or("levels".to_string(), |name| format!("levels, {name}"));
    console.blank()?;
    let heading = console.toned(Tone::Heading, &heading);
    console.line(&heading)?;
    console.levels(progress, difficulty)?;
    Ok(())
}
