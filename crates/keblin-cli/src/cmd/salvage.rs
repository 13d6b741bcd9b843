//! `keblin salvage`: recovers the intact sections of a save without an intact state, and writes them to a new save
//! that is marked as made by a tool. It only reads the damaged file.

use std::path::Path;

use keblin::save::layout::AREA;
use keblin::save::{Stamp, write};
use keblin::verify::{Part, salvage, verify};
use serde_json::{Value as Json, json};

use super::samples::counts;
use crate::args::Args;
use crate::out::{Console, Tone, shown};
use crate::{Outcome, Trouble, files};

pub(crate) fn run(
    console: &mut Console<'_>,
    args: &Args,
    file: &Path,
    to: &Path,
) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &[file])?;
    let bytes = files::save(file)?;
    if let Ok(save) = verify(&bytes, &schema) {
        let number = save.head().number;
        let told = format!("{}: save {number} in it is intact, and opens", shown(file));
        return Err(Trouble::Told(format!("{told}; nothing was written")));
    }
    let salvaged = salvage(&bytes, &schema)
        .map_err(|error| Trouble::Told(format!("{}: {error}; nothing was written", shown(file))))?;
    let stamp = Stamp { edited: true, ..Stamp::first(files::now_unix_ms(), "salvage") };
    let written = write(&salvaged.snapshot, &stamp);
    files::write_anew(to, &written)?;
    if console.json {
        let of = |parts: &[Part]| parts.iter().map(as_json).collect::<Vec<Json>>();
        let (parts, areas) = (of(&salvaged.parts), of(&salvaged.areas));
        let (file, to) = (file.display().to_string(), to.display().to_string());
        let version = salvaged.account.as_ref().map_or(schema.version, |account| account.from);
        console.json_object(
            &json!({ "file": file, "to": to, "version": version, "sections": parts, "areas": areas }),
        )?;
    } else {
        let not_taken = salvaged.areas.iter().filter(|part| part.offset.is_none());
        for part in salvaged.parts.iter().chain(not_taken) {
            tell(console, file, part)?;
        }
        tell_areas(console, file, &salvaged.areas)?;
        if let Some(account) = &salvaged.account {
            let (from, to) = (account.from, account.to);
            let line = format!("version {from} by its keys, migrated to version {to}: {}", counts(account));
            console.paragraph(&format!("{}: {line}", shown(file)), "    ")?;
        }
        let line = format!("{}: {} bytes, marked as made by a tool", shown(to), written.len());
        console.paragraph(&line, "    ")?;
    }
    let all = salvaged.parts.iter().chain(&salvaged.areas).all(|part| part.offset.is_some());
    Ok(if all { Outcome::Fine } else { Outcome::Findings })
}

fn as_json(part: &Part) -> Json {
    json!({
        "section": part.section,
        "taken_from_byte": part.offset,
        "whole": part.whole,
        "fault": part.fault.as_ref().map(ToString::to_string),
    })
}

fn tell(console: &mut Console<'_>, file: &Path, part: &Part) -> Result<(), Trouble> {
    let Part { section, offset, whole, fault, .. } = part;
    let name = console.toned(Tone::Name, section);
    let text = match (offset, fault) {
        (Some(offset), _) => {
            let word = console.toned(Tone::Good, "taken");
            let of = if *whole > 1 { format!(", the last of {whole} intact ones") } else { String::new() };
            format!("{name}: {word} from byte {offset}{of}")
        }
        (None, fault) => {
            let word = console.toned(Tone::Bad, "not taken");
            let why = fault.as_ref().map_or("none is intact".to_string(), ToString::to_string);
            // An area is loaded as its level has it.
            let instead = if section.starts_with(AREA) { "as its level has it" } else { "default values" };
            format!("{name}: {word}, {why}; {instead}")
        }
    };
    console.paragraph(&format!("{}: {text}", shown(file)), "    ")?;
    Ok(())
}

/// Prints how many areas of the world were taken: there may be thousands.
fn tell_areas(console: &mut Console<'_>, file: &Path, areas: &[Part]) -> Result<(), Trouble> {
    let taken: Vec<&Part> = areas.iter().filter(|part| part.offset.is_some()).collect();
    let several = taken.iter().filter(|part| part.whole > 1).count();
    if taken.is_empty() {
        return Ok(());
    }
    let name = console.toned(Tone::Name, "areas");
    let word = console.toned(Tone::Good, "taken");
    let of = match several {
        0 => String::new(),
        several => format!(", {several} of them the last of several intact ones"),
    };
    console.paragraph(&format!("{}: {name}: {} {word}{of}", shown(file), taken.len()), "    ")?;
    Ok(())
}
