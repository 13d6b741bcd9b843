//! `keblin verify`: whether saves are whole, and what is told of them.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin::save::{ReadError, Stamp};
use keblin::verify::{Save, SaveFinding, Verified};
use keblin::{Schema, Severity, verify};
use serde_json::{Value as Json, json};

use crate::args::Args;
use crate::out::{Console, Tone, json};
use crate::{Outcome, Trouble, files};

pub(crate) fn run(console: &mut Console<'_>, args: &Args, files: &[PathBuf]) -> Result<Outcome, Trouble> {
    let schema = files::schema(args)?;
    let mut outcome = Outcome::Fine;
    for file in files {
        let bytes = files::save(file)?;
        if !one(console, file, &bytes, &schema)? {
            outcome = Outcome::Findings;
        }
    }
    Ok(outcome)
}

/// Verifies the bytes of a file; whether all is well.
pub(crate) fn one(
    console: &mut Console<'_>,
    file: &Path,
    bytes: &[u8],
    schema: &Arc<Schema>,
) -> Result<bool, Trouble> {
    let verified = verify::verify(bytes, schema);
    let fine = verified.as_ref().is_ok_and(|save| save.findings().iter().all(is_hint));
    if console.json {
        console.json_line(&as_json(file, &verified, fine))?;
        return Ok(fine);
    }
    match &verified {
        Ok(save) => whole(console, file, bytes.len(), save.stamp(), save.findings())?,
        Err(error) => {
            let word = if error.is_refusal() { "refused" } else { "damaged" };
            let word = console.toned(Tone::Bad, word);
            let code = console.toned(Tone::Quiet, &format!("[{}]", error.fault.code()));
            console.paragraph(&format!("{}: {word}: {error} {code}", file.display()), "    ")?;
            let advice = match error.is_refusal() {
                true => "Nothing is wrong with the file; it belongs to another game or version.",
                false => {
                    "Opening the slot takes the copy before it, if that is whole, and sets this file aside."
                }
            };
            console.paragraph(&format!("    {advice}"), "    ")?;
        }
    }
    Ok(fine)
}

fn is_hint(finding: &SaveFinding) -> bool {
    finding.severity == Severity::Hint
}

fn whole(
    console: &mut Console<'_>,
    file: &Path,
    len_bytes: usize,
    stamp: &Stamp,
    findings: &[SaveFinding],
) -> Result<(), Trouble> {
    let word = console.toned(Tone::Good, "whole");
    let line =
        format!("{}: {word}: save {}, {len_bytes} bytes, every digest holds", file.display(), stamp.number);
    console.paragraph(&line, "    ")?;
    for finding in findings {
        console.paragraph(&format!("  {finding}"), "    ")?;
    }
    Ok(())
}

fn as_json(file: &Path, verified: &Result<Verified<Save>, ReadError>, ok: bool) -> Json {
    let findings: Vec<Json> = match verified {
        Ok(save) => save.findings().iter().map(json::save_finding).collect(),
        Err(error) => vec![json!({
            "code": error.fault.code(),
            "severity": "error",
            "where": format!("{}, byte {}", error.section, error.offset),
            "message": error.fault.to_string(),
        })],
    };
    json!({ "file": file.display().to_string(), "ok": ok, "findings": findings })
}
