//! `keblin verify`: checks whether saves are intact, and prints the findings. It works on all cores and reports in
//! order.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use keblin::save::{SaveCode, Seal, SealKey};
use keblin::verify::{Examined, Kept, SaveFinding, examine_sealed};
use keblin::{SaveDir, Schema, Severity};
use rayon::prelude::*;
use serde_json::{Value as Json, json};

use crate::args::Args;
use crate::out::{Console, Tone, json, shown};
use crate::{Outcome, Trouble, files};

/// How many files are examined before any of them is reported: enough for all cores, and few to keep in memory.
const AT_ONCE: usize = 512;

/// What happens to a damaged file.
const DAMAGED: &str = "When the game opens a damaged slot it falls back to the backup, if that is intact, and moves the \
                       file aside.";

/// What a refusal means.
const OF_ANOTHER: &str = "A refused file is intact; it belongs to another game or version.";

pub(crate) fn run(
    console: &mut Console<'_>,
    args: &Args,
    named: &[PathBuf],
    (key, set_aside): (Option<&Path>, bool),
) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &named.iter().map(PathBuf::as_path).collect::<Vec<_>>())?;
    let key = key.map(files::key).transpose()?;
    let mut troubles = Vec::new();
    let saves = files::saves(named, &mut troubles);
    // In whole folders only problems are worth a line.
    let all = named.len() == saves.len() && named.iter().all(|path| !path.is_dir());
    let bar = progress_bar(console, saves.len());
    let mut tally = Tally::default();
    for batch in saves.chunks(AT_ONCE) {
        let checked: Vec<_> = batch
            .par_iter()
            .map(|path| {
                let checked = files::save(path).map(|bytes| Checked::of(&bytes, &schema, key.as_ref()));
                bar.inc(1);
                checked
            })
            .collect();
        for (path, checked) in batch.iter().zip(checked) {
            let Some(checked) = Trouble::put_by(checked, &mut troubles) else { continue };
            tally.count(&checked);
            tally.aside += usize::from(files::is_aside(path, named));
            if console.json {
                console.json_line(&checked.as_json(path))?;
            } else if all || !checked.is_plain() {
                bar.suspend(|| tell(console, path, &checked, all))?;
            }
            if set_aside && checked.is_misfit() {
                Trouble::put_by(misfit_set_aside(console, path, &schema), &mut troubles);
            }
        }
    }
    bar.finish_and_clear();
    if !all && !console.json {
        tally.tell(console)?;
    }
    Trouble::of_some(troubles)?;
    Ok(if tally.whole == saves.len() { Outcome::Fine } else { Outcome::Findings })
}

/// Sets a save aside that does not fit the declaration any more, and says where it is now.
fn misfit_set_aside(console: &mut Console<'_>, file: &Path, schema: &Arc<Schema>) -> Result<(), Trouble> {
    let is_json = console.json;
    let folder = file.parent().unwrap_or(Path::new("."));
    let name = file.file_stem().map(|name| name.to_string_lossy()).unwrap_or_default();
    // Pins, backups and what was set aside before are not slots.
    let Ok(slot) = SaveDir::at(folder).slot(&name) else { return Ok(()) };
    let aside = slot.set_misfit_aside(schema).map_err(|error| Trouble::Told(error.to_string()))?;
    for path in aside.iter().filter(|_| !is_json) {
        console.paragraph(&format!("  set aside as {}", shown(path)), "    ")?;
    }
    Ok(())
}

pub(super) fn progress_bar(console: &Console<'_>, files: usize) -> ProgressBar {
    let bar = ProgressBar::new(files as u64);
    let watched = console.look.watched && files > 1;
    bar.set_draw_target(if watched { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() });
    let style = ProgressStyle::with_template("{bar:30} {pos} of {len} saves, {eta} left");
    style.map_or(bar.clone(), |style| bar.with_style(style))
}

/// A file that was examined.
pub(crate) struct Checked {
    len_bytes: usize,
    examined: Examined,
}

impl Checked {
    pub(crate) fn of(bytes: &[u8], schema: &Arc<Schema>, key: Option<&SealKey>) -> Checked {
        Checked { len_bytes: bytes.len(), examined: examine_sealed(bytes, schema, key) }
    }

    /// Whether the exit code is 0.
    pub(crate) fn is_fine(&self) -> bool {
        let is_hint = |finding: &SaveFinding| finding.severity == Severity::Hint;
        self.examined.kept.is_ok() && self.examined.findings.iter().all(is_hint)
    }

    /// Whether another declaration of the same version wrote it.
    fn is_misfit(&self) -> bool {
        self.examined.kept.as_ref().is_err_and(|error| error.fault.code() == SaveCode::Redeclared)
    }

    /// Whether a folder's list leaves it out: at most it is of an earlier version, which is counted.
    fn is_plain(&self) -> bool {
        let is_earlier = |finding: &SaveFinding| finding.code == SaveCode::EarlierVersion;
        self.examined.kept.is_ok() && self.examined.findings.iter().all(is_earlier)
    }

    fn as_json(&self, file: &Path) -> Json {
        let findings: Vec<Json> = self.examined.findings.iter().map(json::save_finding).collect();
        json!({ "file": file.display().to_string(), "ok": self.is_fine(), "findings": findings })
    }
}

/// Prints a file as text.
pub(crate) fn tell(
    console: &mut Console<'_>,
    file: &Path,
    checked: &Checked,
    with_advice: bool,
) -> Result<(), Trouble> {
    let Checked { len_bytes, examined } = checked;
    let error = match &examined.kept {
        Ok(kept) => {
            whole(console, file, *len_bytes, kept, examined)?;
            None
        }
        Err(error) => {
            let word = if error.is_refusal() { "refused" } else { "damaged" };
            let word = console.toned(Tone::Bad, word);
            let code = console.toned(Tone::Quiet, &format!("[{}]", error.fault.code()));
            console.paragraph(&format!("{}: {word}: {error} {code}", shown(file)), "    ")?;
            // What to do about another declaration is in its message.
            if with_advice && !checked.is_misfit() {
                let advice = if error.is_refusal() { OF_ANOTHER } else { DAMAGED };
                console.paragraph(&format!("    {advice}"), "    ")?;
            }
            Some(SaveFinding::of_error(error))
        }
    };
    for finding in examined.findings.iter().filter(|finding| Some(*finding) != error.as_ref()) {
        console.paragraph(&format!("  {finding}"), "    ")?;
    }
    Ok(())
}

fn whole(
    console: &mut Console<'_>,
    file: &Path,
    len_bytes: usize,
    kept: &Kept,
    examined: &Examined,
) -> Result<(), Trouble> {
    let is_damaged = examined.findings.iter().any(|finding| finding.code.is_damage());
    let word = match is_damaged {
        true => console.toned(Tone::Doubtful, "partly damaged"),
        false => console.toned(Tone::Good, "intact"),
    };
    let (what, seal) = match kept {
        Kept::Slot { number, seal } => (format!("save {number}"), *seal),
        Kept::Device { number } => (format!("settings, save {number}"), Seal::None),
        _ => ("a save".to_string(), Seal::None),
    };
    let states = match examined.states.len() {
        0 | 1 => String::new(),
        count => format!(", {count} states"),
    };
    let digests = if is_damaged { "" } else { ", every digest matches" };
    let seal = if seal == Seal::Holds { ", and the seal matches" } else { "" };
    let line = format!("{}: {word}: {what}, {len_bytes} bytes{states}{digests}{seal}", shown(file));
    console.paragraph(&line, "    ")?;
    Ok(())
}

/// How many files had which result.
#[derive(Default)]
struct Tally {
    whole: usize,
    /// How many of the intact ones.
    earlier: usize,
    told: usize,
    damaged: usize,
    refused: usize,
    redeclared: usize,
    /// How many of all the store keeps for itself.
    aside: usize,
}

impl Tally {
    fn count(&mut self, checked: &Checked) {
        let count = match &checked.examined.kept {
            Ok(_) if checked.is_fine() => &mut self.whole,
            Ok(_) => &mut self.told,
            Err(_) if checked.is_misfit() => &mut self.redeclared,
            Err(error) if error.is_refusal() => &mut self.refused,
            Err(_) => &mut self.damaged,
        };
        *count += 1;
        self.earlier += usize::from(checked.is_plain() && !checked.examined.findings.is_empty());
    }

    fn tell(&self, console: &mut Console<'_>) -> Result<(), Trouble> {
        let Tally { whole, earlier, told, damaged, refused, redeclared, aside } = self;
        let all = whole + told + damaged + refused + redeclared;
        let whole_word = match earlier {
            0 => "intact".to_string(),
            _ => format!("intact ({earlier} of an earlier version)"),
        };
        let counts = [
            (*whole, whole_word.as_str(), Tone::Good),
            (*told, "with findings", Tone::Doubtful),
            (*damaged, "damaged", Tone::Bad),
            (*refused, "of another game or version", Tone::Bad),
            (*redeclared, "of another declaration", Tone::Bad),
        ];
        let counts = counts.into_iter().filter(|(count, ..)| *count > 0);
        let parts: Vec<String> =
            counts.map(|(count, what, tone)| console.toned(tone, &format!("{count} {what}"))).collect();
        let parts = if parts.is_empty() { "none found".to_string() } else { parts.join(", ") };
        let aside = if *aside > 0 { format!(" ({aside} of them in `aside`)") } else { String::new() };
        console.paragraph(&format!("{all} saves{aside}: {parts}"), "    ")?;
        let advices = [(*damaged > 0, DAMAGED), (*refused > 0, OF_ANOTHER)];
        for (_, advice) in advices.into_iter().filter(|(is_due, _)| *is_due) {
            console.paragraph(&format!("  {advice}"), "  ")?;
        }
        Ok(())
    }
}
