//! `keblin freeze`: keeps the shape of this version, and a save with something in every field.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin::Schema;
use keblin::migrate::sample_file;
use serde_json::json;

use crate::args::Args;
use crate::out::{Console, Tone, shown};
use crate::{Outcome, Trouble, files};

pub(crate) fn run(console: &mut Console<'_>, args: &Args) -> Result<Outcome, Trouble> {
    let path = files::schema_path(args, &[])?;
    let parsed = Schema::parse_with_past(&files::with_past(&path)?).ok();
    let sound = parsed.filter(|parsed| parsed.of_past.iter().all(|findings| !findings.has_errors()));
    let Some(parsed) = sound else {
        let why =
            "it has errors, and only a version without errors can be frozen; `keblin check` prints them";
        return Err(Trouble::Told(format!("{}: {why}", shown(path))));
    };
    let schema = Arc::new(parsed.schema);
    let mut done = Vec::new();
    // If the sample of an earlier version was lost, its frozen text still makes the same sample.
    let past = schema.past().iter().map(|past| &past.schema);
    for version in past.chain([&schema]) {
        let is_now = version.version == schema.version;
        let [text_path, sample_path] = paths(&path, version.version);
        if is_now {
            done.push(put(&text_path, frozen_text(version).as_bytes())?);
        }
        if is_now || !sample_path.exists() {
            let bytes = sample_file(version)
                .map_err(|error| Trouble::Told(format!("{}: {error}", shown(&sample_path))))?;
            done.push(put(&sample_path, &bytes)?);
        }
    }
    if console.json {
        let files: Vec<_> = done.iter().map(Done::json).collect();
        console.json_object(
            &json!({ "game": schema.game.as_str(), "version": schema.version, "files": files }),
        )?;
        return Ok(Outcome::Fine);
    }
    for done in &done {
        done.tell(console)?;
    }
    let line = format!(
        "The shape of version {} may not change any more. Keep both files with your sources; `keblin check` tries them \
         from now on.",
        schema.version
    );
    console.paragraph(&line, "")?;
    Ok(Outcome::Fine)
}

/// The two files of a frozen version: its text, and its sample.
pub(super) fn paths(declaration: &Path, version: u32) -> [PathBuf; 2] {
    let folder = declaration.with_file_name("frozen");
    ["toml", "keblin"].map(|ending| folder.join(format!("v{version}.{ending}")))
}

/// The text of a version in its frozen form.
pub(super) fn frozen_text(schema: &Schema) -> String {
    let head = format!(
        "# What version {} of {} declared, by `keblin freeze`. Saves of it are read by this: it never changes again.\n\n",
        schema.version, schema.game
    );
    head + &schema.normal_text()
}

/// What happened to a file.
struct Done {
    path: PathBuf,
    aside: Option<PathBuf>,
    is_same: bool,
}

fn put(path: &Path, bytes: &[u8]) -> Result<Done, Trouble> {
    let path = path.to_path_buf();
    if files::is_already(&path, bytes) {
        return Ok(Done { path, aside: None, is_same: true });
    }
    let aside = files::publish(&path, bytes, "before")?;
    Ok(Done { path, aside, is_same: false })
}

impl Done {
    fn word(&self) -> &'static str {
        match (self.is_same, &self.aside) {
            (true, _) => "as it was",
            (false, None) => "written",
            (false, Some(_)) => "written anew",
        }
    }

    fn json(&self) -> serde_json::Value {
        json!({
            "file": self.path.display().to_string(),
            "done": self.word().replace(' ', "_"),
            "aside": self.aside.as_ref().map(|aside| aside.display().to_string()),
        })
    }

    fn tell(&self, console: &mut Console<'_>) -> Result<(), Trouble> {
        let tone = if self.is_same { Tone::Quiet } else { Tone::Good };
        let word = console.toned(tone, self.word());
        let aside = self.aside.as_ref().map(|aside| format!("; the previous one is now {}", shown(aside)));
        console.paragraph(&format!("{}: {word}{}", shown(&self.path), aside.unwrap_or_default()), "    ")?;
        Ok(())
    }
}
