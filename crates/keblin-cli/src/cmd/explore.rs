//! `keblin explore`: plays all sequences of events that matter, and shows the shortest that loses something.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use comfy_table::CellAlignment;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use keblin::explore::{Breach, Exploration, Explored, Pace, PlayerMove, player_moves};
use keblin::rehearse::Rehearsal;
use keblin::{Findings, Schema};
use serde_json::{Value as Json, json};

use crate::args::Args;
use crate::cmd::rehearse::Folder;
use crate::files::{is_already, make_folder_of, write_anew};
use crate::out::{Console, Tone, cell, counted, json, plain, shown};
use crate::{Outcome, Trouble, files};

/// What a player can do, next to the declaration.
const MOVES: &str = "moves.txt";

/// The ending of a save.
const SAVE: &str = "keblin";

/// The most names that are printed in a list.
const MAX_NAMES: usize = 12;

/// The options of the command.
pub(crate) struct Asked<'a> {
    pub(crate) from: Option<&'a Path>,
    pub(crate) moves: Option<&'a Path>,
    pub(crate) states: Option<usize>,
    pub(crate) steps: Option<usize>,
    pub(crate) seconds: Option<u64>,
    pub(crate) versions: bool,
    pub(crate) coverage: bool,
    pub(crate) accept: Option<&'a Path>,
    pub(crate) to: Option<&'a Path>,
}

pub(crate) fn run(console: &mut Console<'_>, args: &Args, asked: &Asked<'_>) -> Result<Outcome, Trouble> {
    let named: Vec<&Path> = [asked.from, asked.moves].into_iter().flatten().collect();
    let path = files::schema_path(args, &named)?;
    let schema = files::schema_at(&path)?;
    let Some(moves) = moves(console, &schema, &path, asked.moves)? else { return Ok(Outcome::Findings) };
    let from = match asked.from.map(|file| start(file, &schema)).transpose()? {
        Some(Ok(rehearsal)) => Some(rehearsal),
        Some(Err(findings)) => {
            console.findings(&findings)?;
            return Ok(Outcome::Findings);
        }
        None => None,
    };
    let accepted = asked.accept.map(accepted).transpose()?.unwrap_or_default();
    let bar = bar(console);
    let seconds = asked.seconds.map(Duration::from_secs);
    let watch = |pace: &Pace<'_>| {
        show_pace(&bar, pace);
        seconds.is_none_or(|seconds| bar.elapsed() < seconds)
    };
    let mut exploration = Exploration::of(&schema).moves(moves).while_true(&watch);
    exploration = asked.states.into_iter().fold(exploration, Exploration::states);
    exploration = asked.steps.into_iter().fold(exploration, Exploration::steps);
    exploration = if asked.versions { exploration.versions() } else { exploration };
    exploration = from.iter().fold(exploration, Exploration::from);
    let mut explored = exploration.run();
    bar.finish_and_clear();
    let unused = leave_out(&mut explored, &accepted);
    if let Some(folder) = asked.to {
        write_scripts(folder, (&path, asked.from), from.as_ref(), &explored.breaches)?;
    }
    match console.json {
        true => console.json_object(&as_json(&path, &explored, &accepted))?,
        false => text(console, &path, &explored, (&accepted, &unused), asked)?,
    }
    Ok(if explored.breaches.is_empty() { Outcome::Fine } else { Outcome::Findings })
}

/// Reads what a player can do: the named file, or the one next to the declaration if there is one. `None` if it has
/// mistakes, which are printed.
fn moves(
    console: &mut Console<'_>,
    schema: &Schema,
    declaration: &Path,
    named: Option<&Path>,
) -> Result<Option<Vec<PlayerMove>>, Trouble> {
    let beside = declaration.with_file_name(MOVES);
    let file = named.map(Path::to_path_buf).or_else(|| beside.is_file().then_some(beside));
    let Some(file) = file else { return Ok(Some(Vec::new())) };
    match player_moves(&file.display().to_string(), &files::text(&file)?, schema) {
        Ok(moves) => Ok(Some(moves)),
        Err(findings) if console.json => {
            let list: Vec<_> = findings.list().iter().map(|one| json::finding(&findings, one)).collect();
            console
                .json_object(&json!({ "file": file.display().to_string(), "ok": false, "findings": list }))?;
            Ok(None)
        }
        Err(findings) => {
            console.findings(&findings)?;
            Ok(None)
        }
    }
}

/// Reads a rehearsal to start from, which must hold and end with the game open, or a save. Findings are mistakes in it.
fn start(file: &Path, schema: &Arc<Schema>) -> Result<Result<Rehearsal, Findings>, Trouble> {
    let is_save = file.extension().is_some_and(|ending| ending == SAVE);
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    if is_save {
        // What cannot be read is said of the file, not of a line.
        files::save(file)?;
    }
    let text = match is_save {
        true => format!("kill\ngiven {name}\nlaunch\n"),
        false => files::text(file)?,
    };
    let parsed = Rehearsal::parse_with(&file.display().to_string(), &text, schema, Folder::of(file));
    let Ok(rehearsal) = parsed else { return Ok(parsed) };
    let why = match rehearsal.run().failure {
        Some(failure) => format!("line {} fails: {}", failure.line, failure.kind),
        None if rehearsal.ends_open() => return Ok(Ok(rehearsal)),
        None => "it ends with the game closed; end it with `launch`".to_string(),
    };
    Err(Trouble::Told(format!("{}: nothing can be explored from here: {why}", shown(file))))
}

/// What is known and accepted: what names a breach, and the reason.
type Accepted = Vec<(String, String)>;

/// Reads a file of lines `CODE WHAT: REASON`.
fn accepted(file: &Path) -> Result<Accepted, Trouble> {
    let mut accepted = Vec::new();
    for (index, line) in files::text(file)?.lines().enumerate() {
        let line = line.split('#').next().unwrap_or_default().trim();
        if line.is_empty() {
            continue;
        }
        match line.split_once(':').map(|(id, reason)| (id.trim(), reason.trim())) {
            Some((id, reason)) if !reason.is_empty() && id.contains(' ') => {
                accepted.push((id.to_string(), reason.to_string()));
            }
            _ => {
                let place = format!("{}:{}", shown(file), index + 1);
                let example = "dead_end heron_holm: the boat is sold on purpose";
                return Err(Trouble::Told(format!(
                    "{place}: expected `CODE WHAT: REASON`, such as `{example}`"
                )));
            }
        }
    }
    Ok(accepted)
}

/// Leaves out what is accepted; returns what is accepted but was not found.
fn leave_out(explored: &mut Explored, accepted: &Accepted) -> Vec<String> {
    let found: Vec<String> = explored.breaches.iter().map(Breach::id).collect();
    explored.breaches.retain(|breach| !accepted.iter().any(|(id, _)| *id == breach.id()));
    accepted.iter().map(|(id, _)| id.clone()).filter(|id| !found.contains(id)).collect()
}

fn script_name(breach: &Breach) -> String {
    let about: String =
        breach.about.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' }).collect();
    format!("{}_{about}.txt", breach.code)
}

fn write_scripts(
    folder: &Path,
    (declaration, start): (&Path, Option<&Path>),
    from: Option<&Rehearsal>,
    breaches: &[Breach],
) -> Result<(), Trouble> {
    // Other files are named from the rehearsal's folder: those of its start from there.
    let beside = |file: &Path| file.canonicalize().ok().and_then(|path| Some(path.parent()?.to_path_buf()));
    let first = from.map_or(0, |from| from.lines().len());
    let placed = |(index, line): (usize, &str)| {
        let beside = if index < first { start.and_then(beside) } else { beside(declaration) };
        match (line.split_once(' '), beside) {
            (Some((word @ ("schema" | "given"), file)), Some(beside)) => {
                format!("{word} {}\n", beside.join(file).display())
            }
            _ => format!("{line}\n"),
        }
    };
    for breach in breaches {
        let script: String = breach.script.lines().enumerate().map(placed).collect();
        let text = format!("# {}: {}\n\n{script}", breach.code, breach.message);
        let file = folder.join(script_name(breach));
        if !is_already(&file, text.as_bytes()) {
            make_folder_of(&file)?;
            write_anew(&file, text.as_bytes())?;
        }
    }
    Ok(())
}

/// A bar on standard error, if somebody watches it.
fn bar(console: &Console<'_>) -> ProgressBar {
    let bar = ProgressBar::new_spinner();
    let watched = console.look.watched && !console.json;
    bar.set_draw_target(if watched { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() });
    let style = ProgressStyle::with_template("{spinner} {msg}");
    style.map_or(bar.clone(), |style| bar.with_style(style))
}

fn show_pace(bar: &ProgressBar, pace: &Pace<'_>) {
    let rate = pace.moves as u128 * 1000 / bar.elapsed().as_millis().max(1);
    let (place, of) = pace.place;
    bar.set_message(format!(
        "{place} of {of}: {}, {} states, {} steps deep, {rate} moves a second",
        pace.question, pace.states, pace.depth
    ));
    bar.tick();
}

fn text(
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

fn as_json(path: &Path, explored: &Explored, accepted: &Accepted) -> Json {
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
