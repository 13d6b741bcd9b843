//! `keblin export`, `keblin import` and `keblin schema`: saves as JSON, and back, without loss.

use std::path::Path;

use keblin::Severity;
use keblin::save::json::{export, import, json_schema};
use keblin::save::{Stamp, write};
use keblin::verify::{SaveFinding, verify};
use serde_json::{Value as Json, json};

use crate::args::Args;
use crate::out::{Console, Tone, json, shown};
use crate::{Outcome, Trouble, files};

pub(crate) fn run_export(
    console: &mut Console<'_>,
    args: &Args,
    file: &Path,
    state: Option<u64>,
    to: Option<&Path>,
) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &[file])?;
    let save = files::opened(file, state, &schema)?;
    if save.account().is_some() {
        let why = "it is of an earlier version; migrate it first with `keblin migrate`";
        return Err(Trouble::Told(format!("{}: {why}", shown(file))));
    }
    out(console, &export(save.snapshot(), save.stamp()), to)
}

pub(crate) fn run_schema(console: &mut Console<'_>, args: &Args) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &[])?;
    out(console, &json_schema(&schema), None)
}

/// Prints JSON, or writes it to a new file.
fn out(console: &mut Console<'_>, json: &Json, to: Option<&Path>) -> Result<Outcome, Trouble> {
    match to {
        None => console.json_object(json)?,
        Some(to) => {
            let text =
                serde_json::to_string_pretty(json).map_err(|error| Trouble::Told(error.to_string()))?;
            files::write_anew(to, format!("{text}\n").as_bytes())?;
        }
    }
    Ok(Outcome::Fine)
}

pub(crate) fn run_import(
    console: &mut Console<'_>,
    args: &Args,
    file: &Path,
    to: &Path,
) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &[file])?;
    let told = |why: String| Trouble::Told(format!("{}: {why}; nothing was written", shown(file)));
    let document: Json = serde_json::from_str(&files::text(file)?).map_err(|error| {
        Trouble::Told(format!("{}:{}:{}: {error}", shown(file), error.line(), error.column()))
    })?;
    let (snapshot, stamp) = import(&document, &schema).map_err(|error| told(error.to_string()))?;
    let written = write(&snapshot, &Stamp { edited: true, ..stamp });
    let findings = verify(&written, &schema).map_err(|error| told(error.to_string()))?.findings().to_vec();
    files::write_anew(to, &written)?;
    let is_news = |finding: &&SaveFinding| finding.severity != Severity::Hint;
    let findings: Vec<&SaveFinding> = findings.iter().filter(is_news).collect();
    if console.json {
        console.json_object(&json!({
            "file": file.display().to_string(),
            "to": to.display().to_string(),
            "findings": findings.iter().map(|finding| json::save_finding(finding)).collect::<Vec<_>>(),
        }))?;
    } else {
        let line = format!("{}: {} bytes, marked as made by a tool", shown(to), written.len());
        console.paragraph(&line, "    ")?;
        for finding in &findings {
            console.paragraph(&console.toned(Tone::Doubtful, &format!("  {finding}")), "    ")?;
        }
    }
    Ok(if findings.is_empty() { Outcome::Fine } else { Outcome::Findings })
}
