//! `keblin set`: changes values of a save, to make one for a test. The old file is kept in `aside`, and the new one is
//! marked as made by a tool.

use std::path::Path;
use std::sync::Arc;

use keblin::condition::names::Asked;
use keblin::progress::Why;
use keblin::rehearse::{Rehearsal, Step};
use keblin::save::{Seal, SealKey, Stamp, write, write_sealed};
use keblin::verify::{SaveFinding, verify, verify_sealed};
use keblin::{Schema, Severity, Value};
use serde_json::{Value as Json, json};

use super::compare::{as_json, table};
use crate::args::Args;
use crate::out::{Console, Tone, json, shown};
use crate::{Outcome, Trouble, files};

pub(crate) fn run(
    console: &mut Console<'_>,
    args: &Args,
    file: &Path,
    settings: &[String],
    key: Option<&Path>,
) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &[file])?;
    let key: Option<SealKey> = key.map(files::key).transpose()?;
    let changes = settings.iter().map(|text| change(text, &schema)).collect::<Result<Vec<_>, _>>()?;
    let told = |why: String| Trouble::Told(format!("{}: {why}; nothing was written", shown(file)));
    let save =
        verify_sealed(&files::save(file)?, &schema, key.as_ref()).map_err(|error| told(error.to_string()))?;
    if save.account().is_some() {
        return Err(told("it is of an earlier version; migrate it first with `keblin migrate`".to_string()));
    }
    if !matches!(save.seal(), Seal::None | Seal::Holds) {
        return Err(told(
            "it is sealed; pass the key with --key, so that it can be sealed again".to_string(),
        ));
    }
    let edited = save.snapshot().edited(&changes).map_err(|refused| match *refused.why {
        Why::NoRun => told("it does not have a run, so only values outside runs can be changed".to_string()),
        _ => told(refused.to_string()),
    })?;
    let differences = save.snapshot().differences(&edited);
    let stamp = Stamp { edited: true, ..Stamp::after(Some(save.lineage()), files::now_unix_ms(), "set") };
    let written = match key.filter(|_| save.seal() == Seal::Holds) {
        Some(key) => write_sealed(&edited, &stamp, &key),
        None => write(&edited, &stamp),
    };
    let findings = verify(&written, &schema).map_err(|error| told(error.to_string()))?.findings().to_vec();
    let aside = files::publish(file, &written, "set")?;
    let is_news = |finding: &&SaveFinding| finding.severity != Severity::Hint;
    let findings: Vec<&SaveFinding> = findings.iter().filter(is_news).collect();
    if console.json {
        console.json_object(&json!({
            "file": file.display().to_string(),
            "number": stamp.number,
            "aside": aside.map(|aside| aside.display().to_string()),
            "changed": differences.iter().map(as_json).collect::<Vec<Json>>(),
            "findings": findings.iter().map(|finding| json::save_finding(finding)).collect::<Vec<_>>(),
        }))?;
    } else {
        console.paragraph(
            &format!("{}: save {}, marked as made by a tool", shown(file), stamp.number),
            "    ",
        )?;
        if let Some(aside) = aside {
            console.paragraph(&format!("  the old file is now {}", shown(&aside)), "    ")?;
        }
        table(console, &differences)?;
        for finding in &findings {
            console.paragraph(&console.toned(Tone::Doubtful, &format!("  {finding}")), "    ")?;
        }
    }
    Ok(if findings.is_empty() { Outcome::Fine } else { Outcome::Findings })
}

/// Parses `NAME=VALUE`, with names as in conditions and values as in rehearsals.
fn change(text: &str, schema: &Arc<Schema>) -> Result<(Asked, Value), Trouble> {
    let Some((name, value)) = text.split_once('=') else {
        return Err(Trouble::Told(format!("expected NAME=VALUE such as oil=30, but found `{text}`")));
    };
    let step = format!("suppose {} = {}", name.trim(), value.trim());
    let parsed = Rehearsal::parse(text, &step, schema).map_err(|findings| {
        let first = findings.list().first();
        let instead = |instead: &String| format!("; {instead}");
        let found = first.map(|first| {
            format!("{}{}", first.message, first.instead.as_ref().map_or_else(String::new, instead))
        });
        Trouble::Told(format!("`{text}`: {}", found.unwrap_or_default()))
    })?;
    match parsed.lines().first().map(|line| line.step.clone()) {
        Some(Step::Suppose(asked, value)) => Ok((asked, value)),
        _ => Err(Trouble::Told(format!("`{text}`: expected NAME=VALUE such as oil=30"))),
    }
}
