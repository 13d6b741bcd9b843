//! The differences from an earlier declaration, for `keblin check --before`.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use keblin::diff::{Class, Difference, differences};
use keblin::verify::{shut_levels, verify};
use keblin::{Schema, Severity};
use serde_json::json;

use crate::out::{Console, Tone, counted};
use crate::{Trouble, files};

/// The differences from an earlier declaration.
pub(super) struct Since {
    /// The earlier declaration.
    file: String,
    differences: Vec<Difference>,
    versions: [u32; 2],
    /// Finished levels that the update shuts, with why, and in how many saves.
    shut: BTreeMap<String, usize>,
    /// How many saves were tried.
    tried: usize,
}

impl Since {
    /// Compares a file with a declaration. Only errors matter in the earlier one.
    pub(super) fn of(path: &Path, declaration: &Path, now: &Arc<Schema>) -> Result<Since, Trouble> {
        let file = path.display().to_string();
        let before = Schema::parse(&file, &files::text(path)?).map_err(|findings| {
            let errors = findings.list().iter().filter(|finding| finding.severity == Severity::Error);
            let first =
                errors.map(|finding| format!("{}: {}", findings.place(finding), finding.message)).next();
            Trouble::Told(format!("{}; it cannot be compared", first.unwrap_or_default()))
        })?;
        let versions = [before.schema.version, now.version];
        let differences = differences(&before.schema, now);
        let mut since = Since { file, differences, versions, shut: BTreeMap::new(), tried: 0 };
        since.try_saves(declaration, &Arc::new(before.schema), now)?;
        Ok(since)
    }

    /// Opens each save next to the frozen versions with both declarations.
    fn try_saves(
        &mut self,
        declaration: &Path,
        before: &Arc<Schema>,
        now: &Arc<Schema>,
    ) -> Result<(), Trouble> {
        let saves = declaration.with_file_name("frozen").join("saves");
        for file in if saves.is_dir() { files::saves_in(&saves)? } else { Vec::new() } {
            let bytes = files::save(&file)?;
            let (Ok(old), Ok(new)) = (verify(&bytes, before), verify(&bytes, now)) else { continue };
            self.tried += 1;
            for finding in shut_levels(old.snapshot(), new.snapshot()) {
                *self.shut.entry(format!("{}: {}", finding.place, finding.message)).or_default() += 1;
            }
        }
        Ok(())
    }

    fn count(&self, class: Class) -> usize {
        self.differences.iter().filter(|difference| difference.class == class).count()
    }

    /// Whether earlier saves that do not fit can be told from current ones.
    pub(super) fn is_fine(&self) -> bool {
        let [before, now] = self.versions;
        (now > before || self.count(Class::Shape) == 0) && self.shut.is_empty()
    }

    pub(super) fn json(&self) -> serde_json::Value {
        let differences = self.differences.iter().map(
            |difference| json!({ "class": difference.class.as_str(), "message": difference.to_string() }),
        );
        differences.collect()
    }

    /// The finished levels that the update shuts.
    pub(super) fn shut_json(&self) -> serde_json::Value {
        self.shut
            .iter()
            .map(|(what, saves)| json!({ "what": what, "saves": saves, "of": self.tried }))
            .collect()
    }

    pub(super) fn text(&self, console: &mut Console<'_>) -> Result<(), Trouble> {
        console.blank()?;
        let [old, new] = self.versions;
        let heading = console.toned(Tone::Heading, &format!("since {}, version {old}", self.file));
        let none = if self.differences.is_empty() { ": no difference" } else { "" };
        console.line(&format!("{heading}{none}"))?;
        for (class, tone, means) in [
            (Class::Shape, Tone::Bad, "shape: older saves no longer load without a step"),
            (Class::Growth, Tone::Good, "growth: older saves load, and new values get their defaults"),
            (Class::Rule, Tone::Quiet, "rule: saves are not affected"),
        ] {
            if self.count(class) == 0 {
                continue;
            }
            let means = console.toned(tone, means);
            console.line(&format!("  {means}"))?;
            for difference in self.differences.iter().filter(|difference| difference.class == class) {
                console.paragraph(&format!("    {difference}"), "      ")?;
            }
        }
        let warning = console.toned(Tone::Doubtful, "warning");
        for (what, saves) in &self.shut {
            let of = format!("in {saves} of {}", counted(self.tried, "save"));
            console.paragraph(&format!("  {warning}: {what} ({of})"), "    ")?;
        }
        let [before, now] = self.versions;
        if now <= before && self.count(Class::Shape) > 0 {
            let raise = format!("  the shape changed but the version did not: set `version = {}`", old + 1);
            console.paragraph(&console.toned(Tone::Bad, &raise), "    ")?;
        } else if self.count(Class::Shape) > 0 {
            console.paragraph(
                &format!("  version {old} -> {new}: older saves need a step, migrations/v{new}.toml"),
                "    ",
            )?;
        }
        Ok(())
    }
}
