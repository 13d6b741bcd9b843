//! `keblin explore`: plays all sequences of events that matter, and shows the shortest that loses something.

use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use keblin::explore::{Breach, Exploration, Explored, Pace, PlayerMove, player_moves};
use keblin::rehearse::Rehearsal;
use keblin::{Findings, Schema};
use serde_json::json;

use super::explored::{as_json, text};
use crate::args::Args;
use crate::cmd::rehearse::Folder;
use crate::files::{is_already, make_folder_of, write_anew};
use crate::out::{Console, json, shown};
use crate::{Outcome, Trouble, files};

/// What a player can do, next to the declaration.
const MOVES: &str = "moves.txt";

/// The ending of a save.
const SAVE: &str = "keblin";

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
            mistakes(console, asked.from.unwrap_or(&path), &findings)?;
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
        Err(findings) => mistakes(console, &file, &findings).map(|()| None),
    }
}

/// Prints the mistakes in a file.
fn mistakes(console: &mut Console<'_>, file: &Path, findings: &Findings) -> Result<(), Trouble> {
    if !console.json {
        return Ok(console.findings(findings)?);
    }
    let list: Vec<_> = findings.list().iter().map(|one| json::finding(findings, one)).collect();
    Ok(console.json_object(&json!({ "file": file.display().to_string(), "ok": false, "findings": list }))?)
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
pub(super) type Accepted = Vec<(String, String)>;

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
        breach.about.chars().map(|c| if c.is_ascii_alphanumeric() || c == '.' { c } else { '_' }).collect();
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
