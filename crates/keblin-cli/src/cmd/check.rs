//! `keblin check`: everything found in the declaration, each with its place.

use std::path::Path;

use keblin::model::{Schema, Scope};
use keblin::{Findings, Severity};
use serde_json::json;

use super::since::Since;
use crate::args::Args;
use crate::out::{Console, Tone, counted, json};
use crate::{Outcome, Trouble, files};

pub(crate) fn run(console: &mut Console<'_>, args: &Args, before: Option<&Path>) -> Result<Outcome, Trouble> {
    let path = files::schema_path(args)?;
    let name = path.display().to_string();
    let parsed = Schema::parse(&name, &files::text(&path)?);
    // Without rehearsals nothing would name most fields, and saying so of each would help nobody.
    let rehearsals = files::rehearsals_beside(&path);
    let (schema, findings) = match parsed {
        Ok(parsed) if rehearsals.is_empty() => (Some(parsed.schema), parsed.findings),
        Ok(parsed) => {
            let findings = parsed.findings_beside(rehearsals.iter().map(String::as_str));
            (Some(parsed.schema), findings)
        }
        Err(findings) => (None, findings),
    };
    let (schema, findings) = (schema.as_ref(), &findings);
    let since = match (before, schema) {
        (Some(before), Some(schema)) => Some(Since::of(before, schema)?),
        _ => None,
    };
    let is_fine = is_fine(findings) && since.as_ref().is_none_or(Since::is_fine);
    if console.json {
        let list: Vec<_> = findings.list().iter().map(|finding| json::finding(findings, finding)).collect();
        console.json_object(&json!({
            "file": name,
            "ok": is_fine,
            "game": schema.map(|schema| schema.game.as_str()),
            "version": schema.map(|schema| schema.version),
            "findings": list,
            "differences": since.as_ref().map(Since::json),
        }))?;
    } else {
        text(console, &name, schema, findings)?;
        since.as_ref().map_or(Ok(()), |since| since.text(console))?;
    }
    Ok(if is_fine { Outcome::Fine } else { Outcome::Findings })
}

/// Hints are worth a look, but nothing to stop a build for.
fn is_fine(findings: &Findings) -> bool {
    findings.list().iter().all(|finding| finding.severity == Severity::Hint)
}

fn text(
    console: &mut Console<'_>,
    name: &str,
    schema: Option<&Schema>,
    findings: &Findings,
) -> Result<(), Trouble> {
    console.findings(findings)?;
    if let Some(finding) = findings.list().first() {
        let hint = format!("`keblin why {}` says more of a finding, by its code.", finding.code.as_str());
        let hint = console.toned(Tone::Quiet, &hint);
        console.line(&hint)?;
    }
    let summary = console.summary(findings.list());
    let Some(schema) = schema else {
        console.paragraph(
            &format!("{name}: {summary}; there is no schema until the errors are mended"),
            "    ",
        )?;
        return Ok(());
    };
    let heading = console.toned(Tone::Heading, &format!("{}, version {}", schema.game, schema.version));
    console.line(&format!("{name}: {heading}"))?;
    let of_scope = |scope| schema.fields.iter().filter(move |field| field.scope == scope).count();
    let scopes = Scope::ALL.into_iter().filter(|scope| of_scope(*scope) > 0);
    let scopes = scopes.map(|scope| format!("{} of {} scope", of_scope(scope), scope.as_str()));
    let scopes = scopes.collect::<Vec<_>>().join(", ");
    console.paragraph(&format!("  {}: {scopes}", counted(schema.fields.len(), "field")), "    ")?;
    let checkpoints = schema.levels.iter().map(|level| level.checkpoints.len()).sum();
    let difficulties = match schema.difficulties.len() {
        0 => String::new(),
        1 => ", on 1 difficulty".to_string(),
        count => format!(", on {count} difficulties"),
    };
    let levels = counted(schema.levels.len(), "level");
    console.line(&format!("  {levels} with {}{difficulties}", counted(checkpoints, "checkpoint")))?;
    console.line(&format!("  {summary}"))?;
    Ok(())
}
