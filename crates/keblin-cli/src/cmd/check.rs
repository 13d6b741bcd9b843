//! `keblin check`: reports everything found in the declaration, with its place.

use std::path::Path;
use std::sync::Arc;

use keblin::model::Scope;
use keblin::{Finding, Findings, Schema, Severity};
use serde_json::json;

use super::samples::Samples;
use super::since::Since;
use crate::args::Args;
use crate::out::{Console, Tone, counted, json};
use crate::{Outcome, Trouble, files};

pub(crate) fn run(console: &mut Console<'_>, args: &Args, before: Option<&Path>) -> Result<Outcome, Trouble> {
    let path = files::schema_path(args, &[])?;
    let name = path.display().to_string();
    let files = files::with_past(&path)?;
    let parsed = Schema::parse_with_past(&files);
    // Without rehearsals most fields would have no name in any, so the hint would say nothing.
    let rehearsals = files::rehearsals_beside(&path);
    let (schema, findings, of_past) = match parsed {
        Ok(parsed) if rehearsals.is_empty() => (Some(parsed.schema), parsed.findings, parsed.of_past),
        Ok(parsed) => {
            let findings = parsed.findings_beside(rehearsals.iter().map(String::as_str));
            (Some(parsed.schema), findings, parsed.of_past)
        }
        Err(findings) => (None, findings, Vec::new()),
    };
    let schema = schema.map(Arc::new);
    // No sample is tried if the steps have errors.
    let is_sound = of_past.iter().all(|findings| !findings.has_errors());
    let samples = Samples::of(&path, &files, schema.as_ref().filter(|_| is_sound))?;
    let since = match (before, &schema) {
        (Some(before), Some(schema)) => Some(Since::of(before, &path, schema)?),
        _ => None,
    };
    let (schema, findings) = (schema.as_deref(), &findings);
    let is_fine = is_fine(findings)
        && of_past.iter().all(is_fine)
        && samples.is_fine()
        && since.as_ref().is_none_or(Since::is_fine);
    if console.json {
        let all = [findings].into_iter().chain(&of_past);
        let list: Vec<_> = all
            .flat_map(|findings| findings.list().iter().map(|finding| json::finding(findings, finding)))
            .collect();
        console.json_object(&json!({
            "file": name,
            "ok": is_fine,
            "game": schema.map(|schema| schema.game.as_str()),
            "version": schema.map(|schema| schema.version),
            "findings": list,
            "more": findings.more(),
            "samples": samples.json(),
            "differences": since.as_ref().map(Since::json),
            "shut": since.as_ref().map(Since::shut_json),
        }))?;
    } else {
        text(console, &name, schema, findings, &of_past)?;
        samples.text(console)?;
        since.as_ref().map_or(Ok(()), |since| since.text(console))?;
    }
    Ok(if is_fine { Outcome::Fine } else { Outcome::Findings })
}

/// Hints do not stop a build.
fn is_fine(findings: &Findings) -> bool {
    findings.list().iter().all(|finding| finding.severity == Severity::Hint)
}

fn text(
    console: &mut Console<'_>,
    name: &str,
    schema: Option<&Schema>,
    findings: &Findings,
    of_past: &[Findings],
) -> Result<(), Trouble> {
    console.findings(findings)?;
    of_past.iter().try_for_each(|findings| console.findings(findings))?;
    let all: Vec<Finding> =
        [findings].into_iter().chain(of_past).flat_map(|findings| findings.list().iter().cloned()).collect();
    if let Some(finding) = all.first() {
        let hint = format!("`keblin why {}` explains a finding by its code.", finding.code.as_str());
        let hint = console.toned(Tone::Quiet, &hint);
        console.line(&hint)?;
    }
    let summary = console.summary(&all);
    let Some(schema) = schema else {
        console.paragraph(&format!("{name}: {summary}; fix the errors first"), "    ")?;
        return Ok(());
    };
    let heading = console.toned(Tone::Heading, &format!("{}, version {}", schema.game, schema.version));
    console.line(&format!("{name}: {heading}"))?;
    let of_scope = |scope| schema.fields.iter().filter(move |field| field.scope == scope).count();
    let scopes = Scope::ALL.iter().copied().filter(|scope| of_scope(*scope) > 0);
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
    if !schema.object_kinds.is_empty() {
        let kinds = counted(schema.object_kinds.len(), "kind");
        console.line(&format!("  {kinds} of objects in {}", counted(schema.areas.len(), "area")))?;
    }
    console.line(&format!("  {summary}"))?;
    Ok(())
}
