//! Frozen versions and their saves, for `keblin check`: migrates and verifies each sample, and every real save next
//! to them.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin::diff::differences;
use keblin::migrate::{Account, Became, sample, sample_of};
use keblin::save::{Fault, ReadError, Stamp, write_device};
use keblin::verify::{SaveFinding, examine, verify};
use keblin::{Files, Schema, Severity, TextFile};
use serde_json::{Value as Json, json};

use super::freeze::paths;
use crate::out::{Console, Tone, json, shown};
use crate::{Trouble, files};

/// What was tried.
pub(super) struct Samples {
    list: Vec<Sample>,
}

struct Sample {
    file: PathBuf,
    /// What is wrong with its frozen version, one sentence each.
    faults: Vec<String>,
    /// What only the game can do, one sentence each.
    left_to_game: Option<String>,
    opened: Option<Opened>,
}

struct Opened {
    from: u32,
    account: Option<Arc<Account>>,
    findings: Vec<SaveFinding>,
}

impl Samples {
    /// Tries every sample, and every save in `frozen/saves` next to a declaration. If the steps have errors no save
    /// can be migrated, and each frozen version is only compared with its sample.
    pub(super) fn of(
        declaration: &Path,
        files: &Files,
        sound: Option<&Arc<Schema>>,
    ) -> Result<Samples, Trouble> {
        let mut list = Vec::new();
        for (version, frozen) in &files.frozen {
            let [_, sample] = paths(declaration, *version);
            if !sample.exists() {
                let faults = vec!["the sample is missing; `keblin freeze` makes it".to_string()];
                list.push(Sample { faults, ..Sample::untried(sample) });
                continue;
            }
            let mut tried = match sound {
                Some(schema) => Sample::of(&sample, schema)?,
                None => Sample::untried(sample.clone()),
            };
            tried.faults.extend(unlike(&sample, frozen)?);
            tried.faults.extend(sound.and_then(|schema| settings_left(schema, *version)));
            list.push(tried);
        }
        let saves = declaration.with_file_name("frozen").join("saves");
        let saves = if saves.is_dir() { files::saves_in(&saves)? } else { Vec::new() };
        for (save, schema) in saves.iter().filter_map(|save| Some((save, sound?))) {
            list.push(Sample::of(save, schema)?);
        }
        Ok(Samples { list })
    }

    pub(super) fn is_fine(&self) -> bool {
        self.list.iter().all(Sample::is_fine)
    }

    pub(super) fn json(&self) -> Json {
        self.list.iter().map(Sample::json).collect()
    }

    pub(super) fn text(&self, console: &mut Console<'_>) -> Result<(), Trouble> {
        self.list.iter().try_for_each(|sample| sample.text(console))
    }
}

/// Compares a frozen version with the text that its sample was made from.
fn unlike(sample: &Path, file: &TextFile) -> Result<Vec<String>, Trouble> {
    let bytes = files::save(sample)?;
    // An invalid declaration is reported with the versions.
    let Ok(frozen) = Schema::parse(&file.name, &file.text) else { return Ok(Vec::new()) };
    let Some(made_by) = sample_of(&bytes) else {
        return Ok(vec![
            "it does not contain the text it was made from: it is not a sample of `keblin freeze`"
                .to_string(),
        ]);
    };
    let told = differences(&made_by, &frozen.schema);
    Ok(told
        .iter()
        .map(|difference| format!("{} was changed after it was frozen: {difference}; restore it", file.name))
        .collect())
}

/// Whether a step has code that only the game has, so that the tool cannot try it.
fn needs_game(error: &ReadError) -> bool {
    matches!(&error.fault, Fault::Step(step) if step.needs_game)
}

/// Why settings of a frozen version cannot be migrated. They are in a file of their own, so no sample has them.
fn settings_left(schema: &Arc<Schema>, version: u32) -> Option<String> {
    let past = schema.past().iter().map(|past| &past.schema).find(|past| past.version == version)?;
    let bytes = write_device(&sample(past), &Stamp::first(0, "freeze"));
    let error = examine(&bytes, schema).kept.err().filter(|error| !needs_game(error))?;
    Some(format!("settings of the device would get their defaults: {error}"))
}

impl Sample {
    fn of(file: &Path, schema: &Arc<Schema>) -> Result<Sample, Trouble> {
        let bytes = files::save(file)?;
        let untried = Sample::untried(file.to_path_buf());
        Ok(match verify(&bytes, schema) {
            Err(error) if needs_game(&error) => {
                Sample { left_to_game: Some(error.fault.to_string()), ..untried }
            }
            Err(error) => Sample { faults: vec![error.to_string()], ..untried },
            Ok(save) => {
                let from = save.head().schema_version;
                let (account, findings) = (save.account().cloned(), save.findings().to_vec());
                Sample { opened: Some(Opened { from, account, findings }), ..untried }
            }
        })
    }

    fn untried(file: PathBuf) -> Sample {
        Sample { file, faults: Vec::new(), left_to_game: None, opened: None }
    }

    fn is_fine(&self) -> bool {
        let is_hint = |finding: &SaveFinding| finding.severity == Severity::Hint;
        self.faults.is_empty()
            && self.opened.as_ref().is_none_or(|opened| opened.findings.iter().all(is_hint))
    }

    fn json(&self) -> Json {
        let findings = self.opened.as_ref().map_or(&[][..], |opened| &opened.findings);
        json!({
            "file": self.file.display().to_string(),
            "ok": self.is_fine(),
            "version": self.opened.as_ref().map(|opened| opened.from),
            "faults": self.faults,
            "left_to_game": self.left_to_game,
            "findings": findings.iter().map(json::save_finding).collect::<Vec<_>>(),
        })
    }

    fn text(&self, console: &mut Console<'_>) -> Result<(), Trouble> {
        let file = shown(&self.file);
        if let Some(opened) = &self.opened {
            let word = match self.is_fine() {
                true => console.toned(Tone::Good, "opens"),
                false => console.toned(Tone::Doubtful, "opens"),
            };
            let how = match &opened.account {
                Some(account) => format!("{word} from version {}: {}", opened.from, counts(account)),
                None => format!("{word} unchanged, version {}", opened.from),
            };
            console.paragraph(&format!("  {file} {how}"), "      ")?;
            for finding in opened.findings.iter().filter(|finding| finding.severity != Severity::Hint) {
                console.paragraph(&format!("    {finding}"), "      ")?;
            }
        }
        if let Some(left) = &self.left_to_game {
            let word = console.toned(Tone::Quiet, "not tried");
            console.paragraph(&format!("  {file} {word}: {left}"), "      ")?;
        }
        let error = console.toned(Tone::Bad, "error");
        for fault in &self.faults {
            console.paragraph(&format!("  {file}: {error}: {fault}"), "      ")?;
        }
        Ok(())
    }
}

/// Counts what became of the values: `12 carried, 3 changed`.
pub(super) fn counts(account: &Account) -> String {
    let words = ["carried", "changed", "filled", "clamped", "dropped"];
    let count =
        |word: &str| account.entries.iter().filter(|entry| Became::as_str(&entry.fate) == word).count();
    let counts = words.into_iter().map(|word| (word, count(word))).filter(|(_, count)| *count > 0);
    let counts: Vec<String> = counts.map(|(word, count)| format!("{count} {word}")).collect();
    if counts.is_empty() { "no values".to_string() } else { counts.join(", ") }
}
