//! How an exploration is printed: what was found, how far it got, and what was reached.

use std::collections::BTreeMap;
use std::path::Path;

use comfy_table::CellAlignment;
use keblin::explore::{Breach, Explored};
use serde_json::{Value as Json, json};

use super::explore::{Accepted, Asked};
use crate::Trouble;
use crate::out::{Console, Tone, cell, counted, plain, shown};

/// The most names that are printed in a list.
const MAX_NAMES: usize = 12;

pub(super) fn text(
    console: &mut Console<'_>,
    path: &Path,
    explored: &Explored,
    (accepted, unused): (&Accepted, &[String]),
    asked: &Asked<'_>,
) -> Result<(), Trouble> {
    let moves: usize = explored.questions.iter().map(|question| question.moves).sum();
    let questions = counted(explored.questions.len(), "question");
    let states = counted(explored.states(), "state");
    console.paragraph(&format!("{}: {questions}, {states}, {moves} moves played", shown(path)), "    ")?;
    let mut table = console.new_table();
    for question in &explored.questions {
        let word = match question.exhausted {
            true => cell(Tone::Good, "all states"),
            false => cell(Tone::Doubtful, "not all"),
        };
        let states = plain(counted(question.states, "state"));
        let deep = plain(format!("{} steps deep", question.depth));
        table.add_row([plain(&question.name), states.set_alignment(CellAlignment::Right), deep, word]);
    }
    console.table(&table)?;
    console.blank()?;
    for breach in &explored.breaches {
        tell(console, breach)?;
    }
    if asked.coverage {
        coverage_table(console, explored)?;
    }
    coverage(console, explored)?;
    for id in unused {
        let id = console.toned(Tone::Name, id);
        console.paragraph(&format!("  accepted, but not found any more: {id}"), "    ")?;
    }
    let found = match explored.breaches.len() {
        0 => console.toned(Tone::Good, "nothing found"),
        some => console.toned(Tone::Bad, &format!("{} not kept", counted(some, "promise"))),
    };
    let known = if accepted.is_empty() {
        String::new()
    } else {
        format!(", {} accepted", accepted.len() - unused.len())
    };
    let to =
        asked.to.map(|folder| format!("; their rehearsals are in {}", shown(folder))).unwrap_or_default();
    console.paragraph(&format!("{}: {found}{known}{to}", shown(path)), "    ")?;
    Ok(())
}

fn tell(console: &mut Console<'_>, breach: &Breach) -> Result<(), Trouble> {
    let about = console.toned(Tone::Name, &breach.about);
    let code = console.toned(Tone::Quiet, &format!("[{}]", breach.code));
    console.paragraph(&format!("{about}: {} {code}", breach.message), "    ")?;
    for line in breach.script.lines() {
        console.line(&format!("      {line}"))?;
    }
    let failure = console.toned(Tone::Bad, &breach.failure);
    console.paragraph(&format!("    = {failure}"), "      ")?;
    console.blank()?;
    Ok(())
}

fn coverage(console: &mut Console<'_>, explored: &Explored) -> Result<(), Trouble> {
    let never = |proven: bool| {
        let names = explored.coverage.never.iter().filter(move |(_, is_proven)| *is_proven == proven);
        names.map(|(name, _)| name.as_str()).collect::<Vec<_>>()
    };
    let (cells, of) = explored.coverage.survival;
    let reached = explored.coverage.reached.len();
    let all = reached + explored.coverage.never.len();
    console.line(&format!("  reached: {reached} of {all}; {cells} of {of} cells of the survival table"))?;
    for (head, names) in [("never reached, which is proven", never(true)), ("not reached yet", never(false))]
    {
        if !names.is_empty() {
            console.paragraph(&format!("  {head}: {}", listed(&names)), "    ")?;
        }
    }
    if !explored.left_out.is_empty() {
        let names: Vec<&str> = explored.left_out.iter().map(String::as_str).collect();
        console.paragraph(
            &format!("  not told apart, because nothing reads them: {}", listed(&names)),
            "    ",
        )?;
    }
    if explored.unconfirmed > 0 {
        let count = counted(explored.unconfirmed, "breach");
        console
            .paragraph(&format!("  {count} did not fail when played exactly, and are left out"), "    ")?;
    }
    Ok(())
}

/// Prints what was reached by its kind: `open` 7 of 7.
fn coverage_table(console: &mut Console<'_>, explored: &Explored) -> Result<(), Trouble> {
    let kind = |name: &str| name.rsplit_once(' ').map_or(name, |(kind, _)| kind).to_string();
    let mut kinds = BTreeMap::<String, (usize, Vec<&str>, bool)>::new();
    for name in &explored.coverage.reached {
        kinds.entry(kind(name)).or_default().0 += 1;
    }
    for (name, proven) in &explored.coverage.never {
        let (_, missing, all_proven) = kinds.entry(kind(name)).or_insert_with(|| (0, Vec::new(), true));
        missing.push(name.rsplit(' ').next().unwrap_or(name));
        *all_proven &= proven;
    }
    let mut table = console.new_table();
    for (kind, (reached, missing, proven)) in kinds {
        let count = format!("{reached} of {}", reached + missing.len());
        let tone = if missing.is_empty() { Tone::Good } else { Tone::Doubtful };
        let why = if proven { "proven" } else { "not yet" };
        let missing = if missing.is_empty() { String::new() } else { format!("{why}: {}", listed(&missing)) };
        table.add_row([plain(kind), cell(tone, &count).set_alignment(CellAlignment::Right), plain(missing)]);
    }
    console.table(&table)?;
    console.blank()?;
    Ok(())
}

fn listed(names: &[&str]) -> String {
    let more = names.len().saturating_sub(MAX_NAMES);
    let shown = names.iter().take(MAX_NAMES).copied().collect::<Vec<_>>().join(", ");
    if more == 0 { shown } else { format!("{shown}, and {more} more") }
}

pub(super) fn as_json(path: &Path, explored: &Explored, accepted: &Accepted) -> Json {
    let breaches = explored.breaches.iter().map(|breach| {
        json!({
            "code": breach.code.as_str(),
            "what": breach.about,
            "message": breach.message,
            "script": breach.script.lines().collect::<Vec<_>>(),
            "failure": breach.failure,
            "trace": breach.trace,
        })
    });
    let questions = explored.questions.iter().map(|question| {
        json!({
            "question": question.name,
            "told_apart": question.told_apart,
            "states": question.states,
            "moves": question.moves,
            "depth": question.depth,
            "exhausted": question.exhausted,
        })
    });
    let never =
        explored.coverage.never.iter().map(|(what, proven)| json!({ "what": what, "proven": proven }));
    json!({
        "file": path.display().to_string(),
        "ok": explored.breaches.is_empty(),
        "exhausted": explored.is_exhausted(),
        "breaches": breaches.collect::<Vec<_>>(),
        "questions": questions.collect::<Vec<_>>(),
        "coverage": { "reached": explored.coverage.reached, "never": never.collect::<Vec<_>>(), "survival": explored.coverage.survival.0, "survival_of": explored.coverage.survival.1 },
        "left_out": explored.left_out,
        "unconfirmed": explored.unconfirmed,
        "accepted": accepted.iter().map(|(what, reason)| json!({ "what": what, "reason": reason })).collect::<Vec<_>>(),
    })
}
