//! `keblin reconcile`: makes one save of two that have diverged, and prints what became of each value. It only reads
//! the two, and writes to a new file.

use std::path::Path;

use keblin::Value;
use keblin::reconcile::{Kept, Met, Reconciled, Side, reconcile};
use keblin::save::{Stamp, write};
use serde_json::{Value as Json, json};

use crate::args::Args;
use crate::out::{Console, Tone, cell, json, plain, shortened, shown};
use crate::{Outcome, Trouble, files};

/// What the command was asked for.
pub(crate) struct Asked<'a> {
    pub(crate) ours: &'a Path,
    pub(crate) theirs: &'a Path,
    pub(crate) to: &'a Path,
}

pub(crate) fn run(console: &mut Console<'_>, args: &Args, asked: &Asked<'_>) -> Result<Outcome, Trouble> {
    let Asked { ours, theirs, to } = *asked;
    let schema = files::schema(args, &[ours, theirs])?;
    let [one, other] = [files::opened(ours, None, &schema)?, files::opened(theirs, None, &schema)?];
    // What a player has erased must not come back through the other save.
    for (old, new, name) in [(&one, &other, ours), (&other, &one, theirs)] {
        if new.lineage().has_erased_since(old.lineage()) {
            let why = "it is from before an erasure in the other save, so nothing may be taken from it";
            return Err(Trouble::Told(format!("{}: {why}; nothing was written", shown(name))));
        }
    }
    let met = reconcile(one.snapshot(), other.snapshot())
        .map_err(|error| Trouble::Told(format!("{error}; nothing was written")))?;
    let account = met.account();
    let (later, earlier) = if met.later == Side::Ours { (&one, &other) } else { (&other, &one) };
    let mut lineage = later.lineage().clone();
    lineage.join(earlier.lineage());
    let stamp = Stamp { edited: true, ..Stamp::after(Some(&lineage), files::now_unix_ms(), "reconcile") };
    let written = write(&met.snapshot, &stamp);
    files::write_anew(to, &written)?;
    if console.json {
        console.json_object(&as_json(asked, &met, &account))?;
    } else {
        text(console, asked, &met, &account, written.len())?;
    }
    let has_lost = account.iter().any(|met| met.lost.is_some());
    Ok(if has_lost { Outcome::Findings } else { Outcome::Fine })
}

fn name(side: Side) -> &'static str {
    if side == Side::Ours { "ours" } else { "theirs" }
}

fn as_json(asked: &Asked<'_>, met: &Reconciled<'_>, account: &[Met]) -> Json {
    let path = |path: &Path| path.display().to_string();
    let entry = |met: &Met| {
        json!({
            "what": met.what,
            "ours": json::value(&met.ours),
            "theirs": json::value(&met.theirs),
            "now": json::value(&met.now),
            "kept": met.kept.as_str(),
            "lost": met.lost.map(name),
        })
    };
    json!({
        "ours": path(asked.ours),
        "theirs": path(asked.theirs),
        "to": path(asked.to),
        "later": name(met.later),
        "run": name(met.run),
        "run_ended": met.run_ended,
        "account": account.iter().map(entry).collect::<Vec<_>>(),
    })
}

fn text(
    console: &mut Console<'_>,
    asked: &Asked<'_>,
    met: &Reconciled<'_>,
    account: &[Met],
    len_bytes: usize,
) -> Result<(), Trouble> {
    for (side, path) in [(Side::Ours, asked.ours), (Side::Theirs, asked.theirs)] {
        let later = if met.later == side { ", the later save" } else { "" };
        let name = console.toned(Tone::Heading, name(side));
        console.paragraph(&format!("{name}: {}{later}", shown(path)), "    ")?;
    }
    if met.run_ended {
        let line = match met.run {
            Side::Ours => "The run is ours. Theirs ended, and its records count.",
            Side::Theirs => "The run is theirs. Ours ended, and its records count.",
        };
        console.paragraph(line, "")?;
    }
    if !account.is_empty() {
        console.blank()?;
        let mut table = console.new_table();
        table.set_header(["", "ours", "theirs", "together", ""].map(|head| cell(Tone::Heading, head)));
        for Met { what, ours, theirs, now, kept, lost, .. } in account {
            let value = |value: &Value| plain(shortened(value.to_string()));
            let note = match (lost, kept) {
                (Some(side), _) => cell(Tone::Bad, &format!("{} is lost", name(*side))),
                (None, Kept::Both) => cell(Tone::Good, "of both"),
                (None, kept) => cell(Tone::Quiet, kept.as_str()),
            };
            table.add_row([plain(what), value(ours), value(theirs), value(now), note]);
        }
        console.table(&table)?;
        console.blank()?;
    }
    let line = format!("{}: {len_bytes} bytes, marked as made by a tool", shown(asked.to));
    console.paragraph(&line, "    ")?;
    Ok(())
}
