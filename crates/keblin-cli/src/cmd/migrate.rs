//! `keblin migrate`: migrates saves of earlier versions to this version. Without `--write` it only shows what would
//! become of each value. It works on all cores and reports in order. Saves of this version are skipped, so an
//! interrupted run can be started again.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use indicatif::ProgressBar;
use keblin::migrate::{Account, AccountEntry, Became};
use keblin::save::{Lineage, SaveCode, SaveFile, Seal, SealKey, Stamp, write, write_device, write_sealed};
use keblin::verify::{SaveFinding, shut_levels, verify, verify_sealed, verify_settings};
use keblin::{Schema, Severity};
use rayon::prelude::*;
use serde_json::{Value as Json, json};

use super::samples::counts;
use super::verify::progress_bar;
use crate::args::Args;
use crate::out::{Console, Tone, json, shown};
use crate::{Outcome, Trouble, files};

/// How many files are migrated before any of them is reported.
const AT_ONCE: usize = 512;

pub(crate) fn run(
    console: &mut Console<'_>,
    args: &Args,
    named: &[PathBuf],
    is_to_write: bool,
    key: Option<&Path>,
) -> Result<Outcome, Trouble> {
    let schema = files::schema(args, &named.iter().map(PathBuf::as_path).collect::<Vec<_>>())?;
    let key = key.map(files::key).transpose()?;
    // In whole folders only problems are worth a line.
    let all = named.iter().all(|path| !path.is_dir());
    // Files in `aside` were put there, and are migrated when they are opened.
    let mut troubles = Vec::new();
    let saves = files::saves_of_players(named, &mut troubles);
    let began = files::now();
    let doing = Doing { schema: &schema, key: key.as_ref(), is_to_write };
    let bar: ProgressBar = progress_bar(console, saves.len());
    let mut tally = Tally::default();
    for batch in saves.chunks(AT_ONCE) {
        let done: Vec<_> = batch
            .par_iter()
            .map(|path| {
                let done = doing.one(path);
                bar.inc(1);
                done
            })
            .collect();
        for (path, done) in batch.iter().zip(done) {
            let Some(done) = Trouble::put_by(done, &mut troubles) else { continue };
            tally.count(&done);
            if console.json {
                console.json_line(&done.json(path, &schema))?;
            } else if all || done.is_worth_a_line() {
                bar.suspend(|| done.tell(console, path, &schema, all))?;
            }
        }
    }
    bar.finish_and_clear();
    if is_to_write {
        let folders: BTreeSet<&Path> = saves.iter().filter_map(|path| path.parent()).collect();
        files::sweep(
            folders.into_iter().flat_map(|folder| [folder.to_path_buf(), folder.join("aside")]),
            began,
        );
    }
    if !console.json && (!all || saves.len() > 1) {
        tally.tell(console, &schema, is_to_write)?;
    } else if !console.json && !is_to_write && tally.brought > 0 {
        let line = "Nothing was written; `--write` does it, and keeps the earlier save in `aside`.";
        console.paragraph(&console.toned(Tone::Quiet, line), "")?;
    }
    Trouble::of_some(troubles)?;
    Ok(if tally.refused + tally.doubtful == 0 { Outcome::Fine } else { Outcome::Findings })
}

/// What the command was asked to do.
struct Doing<'s> {
    schema: &'s Arc<Schema>,
    key: Option<&'s SealKey>,
    is_to_write: bool,
}

/// What happened to a save.
enum Done {
    /// It is a save of this version.
    Already,
    /// It was migrated, or would be.
    Brought {
        account: Arc<Account>,
        findings: Vec<SaveFinding>,
        /// Where the earlier save is now; `None` if nothing was written.
        aside: Option<PathBuf>,
    },
    /// It is the settings of a device, and was migrated, or would be.
    Settings {
        from: u32,
        /// Where the earlier file is now; `None` if nothing was written.
        aside: Option<PathBuf>,
    },
    /// It was left untouched: the code of the reason, and the reason.
    Left(&'static str, String),
}

impl Doing<'_> {
    fn one(&self, path: &Path) -> Result<Done, Trouble> {
        let bytes = files::save(path)?;
        if let Some(file) = keblin::save::read(&bytes).ok().filter(SaveFile::is_device) {
            return self.settings(path, &bytes, &file);
        }
        let save = match verify_sealed(&bytes, self.schema, self.key) {
            Ok(save) => save,
            Err(error) => return Ok(Done::Left(error.fault.code().as_str(), error.to_string())),
        };
        let Some(account) = save.account().cloned() else { return Ok(Done::Already) };
        let mut findings = save.findings().to_vec();
        let past = self.schema.past().iter().find(|past| past.schema.version == account.from);
        if let Some(Ok(before)) = past.map(|past| verify(&bytes, &past.schema)) {
            findings.extend(shut_levels(before.snapshot(), save.snapshot()));
        }
        if !self.is_to_write {
            return Ok(Done::Brought { account, findings, aside: None });
        }
        if save.seal() != Seal::None && save.seal() != Seal::Holds {
            let why = "it is sealed, and sealing it again needs the key of its seal: pass it with --key";
            return Ok(Done::Left("sealed", why.to_string()));
        }
        let stamp = Stamp::after(Some(save.lineage()), files::now_unix_ms(), "migrate");
        let stamp = Stamp { edited: save.head().edited, ..stamp };
        let snapshot = save.snapshot();
        let written = match self.key.filter(|_| save.seal() == Seal::Holds) {
            Some(key) => write_sealed(snapshot, &stamp, key),
            None => write(snapshot, &stamp),
        };
        let aside = files::publish(path, &written, &format!("version_{}", account.from))?;
        Ok(Done::Brought { account, findings, aside })
    }

    /// The settings of a device, which the game migrates as well when it opens them.
    fn settings(&self, path: &Path, bytes: &[u8], file: &SaveFile<'_>) -> Result<Done, Trouble> {
        let from = file.head.schema_version;
        let settings = match verify_settings(bytes, self.schema) {
            Ok(_) if from == self.schema.version => return Ok(Done::Already),
            Ok(settings) => settings,
            Err(error) => return Ok(Done::Left(error.fault.code().as_str(), error.to_string())),
        };
        let mut aside = None;
        if self.is_to_write {
            let stamp = Stamp::after(Some(&Lineage::of(file)), files::now_unix_ms(), "migrate");
            let stamp = Stamp { edited: file.head.edited, ..stamp };
            aside = files::publish(path, &write_device(&settings, &stamp), &format!("version_{from}"))?;
        }
        Ok(Done::Settings { from, aside })
    }
}

impl Done {
    fn is_worth_a_line(&self) -> bool {
        match self {
            Done::Already | Done::Settings { .. } => false,
            Done::Brought { findings, .. } => is_doubtful(findings),
            Done::Left(..) => true,
        }
    }

    fn json(&self, path: &Path, schema: &Schema) -> Json {
        let file = path.display().to_string();
        match self {
            Done::Already => json!({ "file": file, "ok": true, "from": schema.version, "to": schema.version,
                "written": false, "account": [], "findings": [] }),
            Done::Brought { account, findings, aside } => json!({
                "file": file,
                "ok": !is_doubtful(findings),
                "from": account.from,
                "to": account.to,
                "written": aside.is_some(),
                "aside": aside.as_ref().map(|aside| aside.display().to_string()),
                "account": account.entries.iter().map(entry_json).collect::<Vec<_>>(),
                "findings": findings.iter().map(json::save_finding).collect::<Vec<_>>(),
            }),
            Done::Settings { from, aside } => {
                json!({ "file": file, "ok": true, "from": from, "to": schema.version,
                "written": aside.is_some(), "aside": aside.as_ref().map(|aside| aside.display().to_string()),
                "account": [], "findings": [] })
            }
            Done::Left(code, message) => json!({ "file": file, "ok": false, "written": false, "account": [],
                "findings": [{ "code": code, "severity": "error", "where": file, "message": message }] }),
        }
    }

    fn tell(
        &self,
        console: &mut Console<'_>,
        path: &Path,
        schema: &Schema,
        whole: bool,
    ) -> Result<(), Trouble> {
        let file = shown(path);
        match self {
            Done::Already => {
                let word = console.toned(Tone::Quiet, "as it is");
                console.paragraph(&format!("{file}: {word}: version {}", schema.version), "    ")?;
            }
            Done::Settings { from, aside } => {
                let versions = console.toned(Tone::Heading, &format!("version {from} -> {}", schema.version));
                console.paragraph(&format!("{file}: {versions}: settings of a device"), "    ")?;
                written(console, aside.as_deref())?;
            }
            Done::Left(code, message) => {
                let word = console.toned(Tone::Bad, "left untouched");
                let code = console.toned(Tone::Quiet, &format!("[{code}]"));
                console.paragraph(&format!("{file}: {word}: {message} {code}"), "    ")?;
            }
            Done::Brought { account, findings, aside } => {
                let versions =
                    console.toned(Tone::Heading, &format!("version {} -> {}", account.from, account.to));
                console.paragraph(&format!("{file}: {versions}: {}", counts(account)), "    ")?;
                if whole {
                    tell_account(console, account)?;
                }
                // The account already says that the save is of an earlier version.
                for finding in findings.iter().filter(|finding| finding.code != SaveCode::EarlierVersion) {
                    console.paragraph(&format!("  {finding}"), "    ")?;
                }
                written(console, aside.as_deref())?;
            }
        }
        Ok(())
    }
}

/// Prints where the earlier file is, if one was replaced.
fn written(console: &mut Console<'_>, aside: Option<&Path>) -> Result<(), Trouble> {
    let Some(aside) = aside else { return Ok(()) };
    let word = console.toned(Tone::Good, "written");
    console.paragraph(&format!("  {word}; the earlier save is now {}", shown(aside)), "    ")?;
    Ok(())
}

fn is_doubtful(findings: &[SaveFinding]) -> bool {
    findings.iter().any(|finding| finding.severity != Severity::Hint)
}

fn entry_json(entry: &AccountEntry) -> Json {
    json!({
        "step": entry.to,
        "where": entry.place,
        "was": entry.was,
        "fate": entry.fate.as_str(),
        "before": entry.fate.before().map(json::value),
        "now": entry.fate.now().map(json::value),
    })
}

/// Prints what became of each value, step by step; values that were carried unchanged share one line.
fn tell_account(console: &mut Console<'_>, account: &Account) -> Result<(), Trouble> {
    let mut steps: Vec<u32> = account.entries.iter().map(|entry| entry.to).collect();
    steps.dedup();
    for to in steps {
        let heading = console.toned(Tone::Heading, &format!("to version {to}"));
        console.line(&format!("  {heading}"))?;
        let of_step = || account.entries.iter().filter(move |entry| entry.to == to);
        // One line for each value that changed; values that kept their place, or are new, share a line.
        let is_told = |entry: &&AccountEntry| !matches!(entry.fate, Became::Carried | Became::Filled { .. });
        for entry in of_step().filter(is_told) {
            let tone = if matches!(entry.fate, Became::Dropped { .. }) { Tone::Bad } else { Tone::Doubtful };
            let word = console.toned(tone, entry.fate.as_str());
            let values = match (entry.fate.before(), entry.fate.now()) {
                (Some(before), Some(now)) => format!(" {before} -> {now}"),
                (Some(one), None) | (None, Some(one)) => format!(" {one}"),
                (None, None) => String::new(),
            };
            let was = entry.was.as_ref().map_or(String::new(), |was| format!(", was {was}"));
            let place = console.toned(Tone::Name, &entry.place);
            console.paragraph(&format!("    {place}: {word}{values}{was}"), "      ")?;
        }
        let carried = of_step().filter(|entry| entry.fate == Became::Carried).map(|entry| match &entry.was {
            Some(was) => format!("{} (was {was})", entry.place),
            None => entry.place.clone(),
        });
        let filled = of_step().filter_map(|entry| match &entry.fate {
            Became::Filled { now } => Some(format!("{} {now}", entry.place)),
            _ => None,
        });
        let rows: [(&str, Vec<String>); 2] = [("carried", carried.collect()), ("filled", filled.collect())];
        for (word, row) in rows.into_iter().filter(|(_, row)| !row.is_empty()) {
            let word = console.toned(Tone::Good, word);
            console.paragraph(&format!("    {word}: {}", row.join(", ")), "      ")?;
        }
    }
    Ok(())
}

/// How many files had which result.
#[derive(Default)]
struct Tally {
    brought: usize,
    written: usize,
    already: usize,
    doubtful: usize,
    refused: usize,
}

impl Tally {
    fn count(&mut self, done: &Done) {
        match done {
            Done::Already => self.already += 1,
            Done::Brought { findings, aside, .. } => {
                self.brought += 1;
                self.written += usize::from(aside.is_some());
                self.doubtful += usize::from(is_doubtful(findings));
            }
            Done::Settings { aside, .. } => {
                self.brought += 1;
                self.written += usize::from(aside.is_some());
            }
            Done::Left(..) => self.refused += 1,
        }
    }

    fn tell(&self, console: &mut Console<'_>, schema: &Schema, is_to_write: bool) -> Result<(), Trouble> {
        let Tally { brought, written, already, doubtful, refused } = self;
        let brought = if is_to_write { (*written, "written") } else { (*brought, "would be migrated") };
        let counts = [
            (brought.0, brought.1, Tone::Good),
            (*already, "already of this version", Tone::Quiet),
            (*doubtful, "with findings", Tone::Doubtful),
            (*refused, "left untouched", Tone::Bad),
        ];
        let counts = counts.into_iter().filter(|(count, ..)| *count > 0);
        let parts: Vec<String> =
            counts.map(|(count, what, tone)| console.toned(tone, &format!("{count} {what}"))).collect();
        let parts = if parts.is_empty() { "no saves found".to_string() } else { parts.join(", ") };
        console.paragraph(&format!("version {}: {parts}", schema.version), "    ")?;
        if is_to_write && *written > 0 {
            let line = "The earlier saves are in folders `aside`, next to the new ones.";
            console.paragraph(&console.toned(Tone::Quiet, line), "")?;
        }
        if !is_to_write && brought.0 > 0 {
            let line = "Nothing was written; `--write` does it, and keeps the earlier saves in `aside`.";
            console.paragraph(&console.toned(Tone::Quiet, line), "")?;
        }
        Ok(())
    }
}
