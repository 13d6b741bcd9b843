//! `keblin compare`: prints what differs between two saves, or between two of the saves that one file holds.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin::reconcile::Differing;
use keblin::save::StateHead;
use keblin::verify::{Save, Verified};
use keblin::{Schema, Snapshot, Value};
use serde_json::{Value as Json, json};

use crate::args::Args;
use crate::out::{Console, Tone, cell, json, plain, shortened, shown, when};
use crate::{Outcome, Trouble, files};

pub(crate) fn run(
    console: &mut Console<'_>,
    args: &Args,
    named: &[PathBuf],
    states: &[u64],
) -> Result<Outcome, Trouble> {
    let [one, other] = match named {
        [one, other] => [one, other],
        [one] if !states.is_empty() => [one, one],
        _ => {
            let what = "expected two saves, or one save with --state N: the number of an earlier save in it";
            return Err(Trouble::Told(what.to_string()));
        }
    };
    let schema = files::schema(args, &[one, other])?;
    let one = Compared::of(one, states.first().copied(), &schema)?;
    let other = Compared::of(other, states.get(1).copied(), &schema)?;
    let differences = one.snapshot().differences(other.snapshot());
    if console.json {
        let differ: Vec<Json> = differences.iter().map(as_json).collect();
        console.json_object(&json!({ "one": one.json(), "other": other.json(), "differences": differ }))?;
    } else {
        text(console, [&one, &other], &differences)?;
    }
    Ok(if differences.is_empty() { Outcome::Fine } else { Outcome::Findings })
}

/// One of the two.
struct Compared {
    file: PathBuf,
    save: Verified<Save>,
}

impl Compared {
    fn of(file: &Path, state: Option<u64>, schema: &Arc<Schema>) -> Result<Compared, Trouble> {
        let save = files::opened(file, state, schema)?;
        Ok(Compared { file: file.to_path_buf(), save })
    }

    fn snapshot(&self) -> &Snapshot {
        self.save.snapshot()
    }

    fn json(&self) -> Json {
        let StateHead { number, saved_at_unix_ms, .. } = self.save.head();
        json!({ "file": self.file.display().to_string(), "number": number, "saved_at_unix_ms": saved_at_unix_ms })
    }

    /// `otter.keblin, save 3`
    fn text(&self) -> String {
        let StateHead { number, saved_at_unix_ms, cause, .. } = self.save.head();
        format!("{}: save {number} ({cause}), {}", shown(&self.file), when(*saved_at_unix_ms))
    }
}

pub(super) fn as_json(differing: &Differing) -> Json {
    json!({
        "what": differing.what,
        "one": json::value(&differing.one),
        "other": json::value(&differing.other),
    })
}

fn text(
    console: &mut Console<'_>,
    [one, other]: [&Compared; 2],
    differences: &[Differing],
) -> Result<(), Trouble> {
    console.paragraph(&one.text(), "    ")?;
    console.paragraph(&other.text(), "    ")?;
    if differences.is_empty() {
        console.line("no difference")?;
        return Ok(());
    }
    console.blank()?;
    table(console, differences)
}

/// Prints differences, one a line.
pub(super) fn table(console: &mut Console<'_>, differences: &[Differing]) -> Result<(), Trouble> {
    let mut table = console.new_table();
    for Differing { what, one, other, .. } in differences {
        let value = |value: &Value| plain(shortened(value.to_string()));
        table.add_row([plain(what), value(one), cell(Tone::Quiet, "->"), value(other)]);
    }
    console.table(&table)?;
    Ok(())
}
