//! A game's versions: the declaration, the frozen versions before it, and the steps between them.

use std::collections::BTreeMap;

use super::diff::{Class, differences};
use keblin_model::Past;
use keblin_model::versions::step::Step;

use super::steps::{Resolved, resolve};
use crate::declare::Declared;
use crate::model::Model;
use crate::text::finding::{Code, Finding, Findings};
use crate::text::source::Source;
use keblin_model::Severity;

/// A text with its name in messages, usually its path.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TextFile {
    /// The name.
    pub name: String,
    /// The text.
    pub text: String,
}

/// A declaration with its frozen versions and steps.
#[derive(Clone, Debug, Default)]
pub struct Files {
    /// `progress.toml`.
    pub declaration: TextFile,
    /// `frozen/v1.toml` and so on, by version.
    pub frozen: BTreeMap<u32, TextFile>,
    /// `migrations/v2.toml` and so on, by the version they lead to.
    pub steps: BTreeMap<u32, TextFile>,
}

/// Returns the version in the name of a frozen version or a step: 12 for `v12.toml`.
#[must_use]
pub fn version_of_file(name: &str) -> Option<u32> {
    let digits = name.strip_prefix('v')?.strip_suffix(".toml")?;
    let is_plain = digits.bytes().all(|digit| digit.is_ascii_digit()) && !digits.starts_with('0');
    digits.parse().ok().filter(|_| is_plain)
}

/// Returns the past versions of a model, and the findings about their texts.
pub(super) fn of(files: &Files, now: &Model) -> (Vec<Past>, Vec<Findings>) {
    let mut looking = Looking { files, now, found: Vec::new() };
    (looking.past(), looking.found)
}

/// Reads the past versions.
struct Looking<'f> {
    files: &'f Files,
    now: &'f Model,
    found: Vec<Findings>,
}

impl Looking<'_> {
    /// Reads every past version, as far as possible.
    fn past(&mut self) -> Vec<Past> {
        let (files, version) = (self.files, self.now.version);
        for (later, file) in files.frozen.range(version + 1..) {
            let message = format!("version {later} is frozen, but the declaration is version {version}");
            self.told(file, Finding::error(Code::Frozen, 0..0, message));
        }
        for (later, file) in files.steps.range(version + 1..) {
            let message =
                format!("there is a step to version {later}, but the declaration is version {version}");
            self.told(file, Finding::error(Code::StepMisfit, 0..0, message));
        }
        let changed = self.still_frozen();
        let first_step = files.steps.keys().map(|to| to.saturating_sub(1));
        let Some(first) = files.frozen.keys().copied().chain(first_step).min() else {
            self.nothing_frozen();
            return Vec::new();
        };
        let mut past = Vec::new();
        let mut schemas: Vec<Option<Model>> =
            (first.max(1)..version).map(|version| self.frozen(version)).collect();
        schemas.push(None);
        for (pair, from) in schemas.windows(2).zip(first.max(1)..) {
            let [Some(before), after] = pair else { continue };
            let now = match after {
                Some(after) => after,
                // The step to a frozen version leads to its frozen shape, whatever the declaration is now.
                None if from + 1 == version => changed.as_ref().unwrap_or(self.now),
                None => continue,
            };
            past.extend(self.step(before, now).map(|step| Past { model: before.clone(), step }));
        }
        past
    }

    fn told(&mut self, file: &TextFile, finding: Finding) {
        self.found.push(Findings::new(Source::new(&file.name, &file.text), vec![finding]));
    }

    /// Adds a finding at the place of the declaration's version.
    fn told_of_version(&mut self, finding: impl FnOnce(std::ops::Range<usize>) -> Finding) {
        let file = &self.files.declaration;
        let mut from = 0;
        let mut lines = file.text.split_inclusive('\n').map(|line| {
            from += line.len();
            (from - line.len(), line)
        });
        let line = lines.find(|(_, line)| line.trim_start().starts_with("version"));
        let span = line.map_or(0..0, |(at, line)| at..at + line.trim_end().len());
        self.told(file, finding(span));
    }

    /// Warns that the version was raised but nothing is frozen. It is not an error: perhaps nothing ever reached
    /// players, and freezing this version says so.
    fn nothing_frozen(&mut self) {
        let version = self.now.version;
        if version < 2 {
            return;
        }
        let before = version - 1;
        self.told_of_version(|span| {
            let message = format!("version {before} is not frozen: its saves would be refused");
            let finding = Finding::error(Code::MissingStep, span, message).as_severity(Severity::Warning);
            finding.instead(format!(
                "if players have saves of version {before}, run `keblin freeze` on its declaration; if not, on this one"
            ))
        });
    }

    /// Reads a frozen version.
    fn frozen(&mut self, version: u32) -> Option<Model> {
        let now = self.now.version;
        let Some(file) = self.files.frozen.get(&version) else {
            self.told_of_version(|span| {
                let message = format!(
                    "there is no frozen/v{version}.toml: the shape of saves of version {version} is unknown"
                );
                let finding = Finding::error(Code::MissingStep, span, message);
                finding.instead(
                    "restore it; `keblin freeze` writes it, before you raise the version".to_string(),
                )
            });
            return None;
        };
        match Declared::parse(&file.name, &file.text) {
            Ok(parsed) if parsed.model.version != version => {
                let message =
                    format!("this is version {}, under the name of {version}", parsed.model.version);
                self.told(file, Finding::error(Code::Frozen, 0..0, message));
                None
            }
            Ok(parsed) if version < now => Some(parsed.model),
            Ok(_) => None,
            Err(findings) => {
                let errors = findings.list().iter().filter(|finding| finding.severity == Severity::Error);
                self.found.push(Findings::new(findings.source().clone(), errors.cloned().collect()));
                None
            }
        }
    }

    /// Reads the step between two versions.
    fn step(&mut self, before: &Model, now: &Model) -> Option<Step> {
        let to = now.version;
        let name = format!("migrations/v{to}.toml");
        let file = self.files.steps.get(&to).cloned();
        let is_there = file.is_some();
        let file = file.unwrap_or(TextFile { name: name.clone(), text: String::new() });
        let Resolved { step, findings, lacks } = resolve(before, now, &file.name, &file.text);
        if !is_there && findings.has_errors() {
            let from = before.version;
            self.told_of_version(|span| {
                let message = format!("there is no {name}: saves of version {from} cannot be migrated");
                let finding = Finding::error(Code::MissingStep, span, message);
                finding.instead(match lacks.as_str() {
                    "" => "no step can connect these versions as they are; the other findings say why"
                        .to_string(),
                    lacks => format!("create it; suggested content (review before pasting):\n\n{lacks}"),
                })
            });
            self.found.push(without_pastes(&findings));
        } else if !findings.list().is_empty() {
            self.found.push(findings);
        }
        step
    }

    /// Checks that the frozen text of the current version still has its shape. Returns the frozen model if not.
    fn still_frozen(&mut self) -> Option<Model> {
        let now = self.now;
        let file = self.files.frozen.get(&now.version)?;
        let frozen = match Declared::parse(&file.name, &file.text) {
            Ok(parsed) => parsed.model,
            Err(findings) => {
                self.found.push(findings);
                return None;
            }
        };
        let next = now.version + 1;
        let as_next = Model { version: next, ..now.clone() };
        let Resolved { findings, lacks, .. } =
            resolve(&frozen, &as_next, &format!("migrations/v{next}.toml"), "");
        if findings.has_errors() {
            self.told_of_version(|span| {
                let message = format!("the shape of version {} changed after it was frozen", now.version);
                let finding = Finding::error(Code::Frozen, span, message);
                finding.instead(match lacks.as_str() {
                    "" => "undo the change: no step could do it".to_string(),
                    lacks => format!(
                        "set `version = {next}` and create migrations/v{next}.toml; suggested content (review before pasting):\n\n{lacks}"
                    ),
                })
            });
            self.found.push(without_pastes(&findings));
            return Some(frozen);
        }
        let differences = differences(&frozen, now);
        for stricter in differences.iter().filter(|difference| difference.is_stricter()) {
            self.told_of_version(|span| {
                let message = format!("since version {} was frozen: {stricter}", now.version);
                let finding = Finding::error(Code::Frozen, span, message).as_severity(Severity::Hint);
                finding.instead("players may lose access they had; ignore this if intended")
            });
        }
        if differences.iter().any(|difference| difference.class == Class::Growth) {
            self.told_of_version(|span| {
                let message = format!("version {} has grown since it was frozen", now.version);
                let finding = Finding::error(Code::Frozen, span, message).as_severity(Severity::Hint);
                finding.instead("run `keblin freeze` again before saves of it reach players")
            });
        }
        None
    }
}

/// Returns findings without their suggestions, which are printed once, in full.
fn without_pastes(findings: &Findings) -> Findings {
    let list = findings.list().iter().map(|finding| {
        let instead = finding.instead.clone().filter(|_| finding.code != Code::Unaccounted);
        Finding { instead, ..finding.clone() }
    });
    Findings::new(findings.source().clone(), list.collect())
}
