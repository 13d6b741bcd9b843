//! `keblin rehearse`: runs rehearsals, each on an in-memory slot of its own.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin::Schema;
use keblin::rehearse::{Beside, Failure, FailureKind, Rehearsal, Report, StepReport, Traced};
use serde_json::{Value as Json, json};

use crate::args::Args;
use crate::out::{Console, Tone, counted, json, shown};
use crate::{Outcome, Trouble, files};

/// How many steps before a failure are printed with it.
const STEPS_BEFORE_FAILURE: usize = 6;

/// The folder of a rehearsal, from which it names other files.
pub(crate) struct Folder<'f>(&'f Path);

impl<'f> Folder<'f> {
    pub(crate) fn of(file: &'f Path) -> Folder<'f> {
        Folder(file.parent().unwrap_or(Path::new(".")))
    }
}

impl Beside for Folder<'_> {
    fn schema(&mut self, file: &str) -> Result<Arc<Schema>, String> {
        files::schema_at(&self.0.join(file)).map_err(Trouble::into_text)
    }

    fn save(&mut self, file: &str) -> Result<Vec<u8>, String> {
        files::save(&self.0.join(file)).map_err(Trouble::into_text)
    }
}

pub(crate) fn run(
    console: &mut Console<'_>,
    args: &Args,
    named: &[PathBuf],
    all_steps: bool,
) -> Result<Outcome, Trouble> {
    let path = files::schema_path(args, &named.iter().map(PathBuf::as_path).collect::<Vec<_>>())?;
    let schema = files::schema_at(&path)?;
    let mut outcome = Outcome::Fine;
    let mut troubles = Vec::new();
    for file in &files::rehearsals(named, &path, &mut troubles)? {
        let Some(lines) = Trouble::put_by(files::text(file), &mut troubles) else { continue };
        let name = file.display().to_string();
        match Rehearsal::parse_with(&name, &lines, &schema, Folder::of(file)) {
            Err(findings) => {
                outcome = Outcome::Findings;
                if console.json {
                    let list: Vec<_> =
                        findings.list().iter().map(|one| json::finding(&findings, one)).collect();
                    console.json_line(&json!({ "file": name, "ok": false, "findings": list }))?;
                } else {
                    console.findings(&findings)?;
                }
            }
            Ok(rehearsal) => {
                let report = rehearsal.run();
                if report.failure.is_some() {
                    outcome = Outcome::Findings;
                }
                if console.json {
                    console.json_line(&as_json(&report))?;
                } else {
                    text(console, file, &report, all_steps)?;
                }
            }
        }
    }
    Trouble::of_some(troubles)?;
    Ok(outcome)
}

fn text(console: &mut Console<'_>, file: &Path, report: &Report, all_steps: bool) -> Result<(), Trouble> {
    let steps = counted(report.steps.len(), "step");
    let Some(failure) = &report.failure else {
        let word = console.toned(Tone::Good, "held");
        console.paragraph(&format!("{}: {word}: {steps}, {} expected", shown(file), report.held), "    ")?;
        if all_steps {
            step_lines(console, &report.steps, report.steps.len())?;
        }
        return Ok(());
    };
    let word = console.toned(Tone::Bad, "failed");
    let place = format!("{}:{}", shown(file), failure.line);
    console.paragraph(&format!("{place}: {word} after {steps}"), "    ")?;
    step_lines(console, &report.steps, if all_steps { report.steps.len() } else { STEPS_BEFORE_FAILURE })?;
    let line = console.toned(Tone::Bad, &format!("{:>6}  {}", failure.line, failure.text));
    console.line(&line)?;
    failure_lines(console, failure)
}

/// Prints the last steps, each with what it changed.
fn step_lines(console: &mut Console<'_>, steps: &[StepReport], most: usize) -> Result<(), Trouble> {
    let shown = steps.len().saturating_sub(most);
    for step in steps.iter().skip(shown) {
        console.line(&format!("{:>6}  {}", step.line, step.text))?;
        for Traced { name, before, after, cause, .. } in &step.changes {
            let change = format!("{:10}{name}: {before} -> {after} ({cause})", "");
            let change = console.toned(Tone::Quiet, &change);
            console.paragraph(&change, "            ")?;
        }
        if let Some(refused) = &step.refused {
            let refused = console.toned(Tone::Quiet, &format!("{:10}{refused}", ""));
            console.paragraph(&refused, "            ")?;
        }
    }
    Ok(())
}

fn failure_lines(console: &mut Console<'_>, failure: &Failure) -> Result<(), Trouble> {
    match &failure.kind {
        FailureKind::Expectation { name, expected, actual, cause } => {
            let rows = [("expected", expected.clone()), ("actual", actual.to_string())];
            for (head, value) in rows {
                console.line(&format!("        {head:<9}{name}: {value}"))?;
            }
            let cause = match cause.as_deref() {
                Some(Traced { line, step, before, after, cause, .. }) => {
                    format!("line {line}, `{step}`: {before} -> {after} ({cause})")
                }
                None => "nothing changed it: it still has its default".to_string(),
            };
            console.paragraph(&format!("        {:<9}{cause}", "cause"), "                 ")?;
        }
        other => console.paragraph(&format!("        {other}"), "        ")?,
    }
    Ok(())
}

fn as_json(report: &Report) -> Json {
    let failure = report.failure.as_ref().map(|failure| match &failure.kind {
        FailureKind::Expectation { name, expected, actual, cause } => json!({
            "line": failure.line,
            "step": failure.text,
            "name": name,
            "expected": expected,
            "actual": json::value(actual),
            "cause": cause.as_deref().map(|change| json!({
                "line": change.line,
                "step": change.step,
                "before": json::value(&change.before),
                "after": json::value(&change.after),
                "cause": change.cause,
            })),
        }),
        other => json!({ "line": failure.line, "step": failure.text, "message": other.to_string() }),
    });
    json!({
        "file": report.name,
        "ok": report.failure.is_none(),
        "steps": report.steps.len(),
        "held": report.held,
        "failure": failure,
    })
}
