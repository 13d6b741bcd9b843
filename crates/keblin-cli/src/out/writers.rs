//! Who wrote what in a save: the machines, and what each of them has added, written and scored.

use std::path::Path;

use keblin::reconcile::{MachineId, Share, Writers, WrittenValue};
use keblin::{SaveDir, Snapshot, Value};
use serde_json::{Value as Json, json};

use super::{Console, Tone, cell, json, plain, when};
use crate::Trouble;

/// Who wrote a save, and on which of the machines it was found.
pub(crate) struct Written {
    pub(crate) writers: Writers,
    here: Option<MachineId>,
}

/// Returns whether a value is a number other than zero.
fn is_something(number: &Value) -> bool {
    number.plus(&number.negated()).is_some_and(|(zero, _)| zero != *number)
}

impl Written {
    /// Returns who wrote a save that was read from a file. If the file is in a game's save folder, this machine is known.
    pub(crate) fn of(snapshot: &Snapshot, file: &Path) -> Written {
        let name = file.file_stem().and_then(|name| name.to_str());
        let folder = file.parent().map_or(Path::new("."), |folder| match folder.as_os_str().is_empty() {
            true => Path::new("."),
            false => folder,
        });
        let slot = name.and_then(|name| SaveDir::at(folder).slot(name).ok());
        Written { writers: snapshot.writers(), here: slot.and_then(|slot| slot.machine()) }
    }

    /// Returns whether there is something to say: more than one machine has written it.
    pub(crate) fn is_of_machines(&self) -> bool {
        self.writers.machines.len() > 1
    }

    /// Returns a machine as people read it.
    pub(crate) fn machine(&self, machine: MachineId) -> String {
        match self.here {
            Some(here) if here == machine => format!("this one ({machine})"),
            Some(_) => format!("another ({machine})"),
            None => machine.to_string(),
        }
    }

    /// Returns who wrote a value: `120 at the start, this one +30 -80, 2a64 +45`.
    pub(crate) fn shares(&self, value: &WrittenValue) -> String {
        let signed = |sign: &str, number: &Value| is_something(number).then(|| format!(" {sign}{number}"));
        let by = |share: &Share| match share {
            Share::Counted { added, taken } => {
                [signed("+", added), signed("-", taken)].into_iter().flatten().collect()
            }
            Share::Wrote(at) => format!(", {}", when(*at)),
            Share::Entries(1) => ", 1 entry".to_string(),
            Share::Entries(count) => format!(", {count} entries"),
            _ => String::new(),
        };
        let start = is_something(&value.start).then(|| format!("{} at the start", value.start));
        let shares = value.shares.iter().map(|(machine, share)| match self.here == Some(*machine) {
            true => format!("this one{}", by(share)),
            false => format!("{machine}{}", by(share)),
        });
        let separator = if value.shares.iter().all(|(_, share)| matches!(share, Share::Counted { .. })) {
            ", "
        } else {
            "; "
        };
        let settled = [("forgiven", &value.forgiven), ("forfeited", &value.forfeited)];
        let settled = settled.into_iter().filter(|(_, number)| is_something(number));
        let settled = settled.map(|(word, number)| format!("{number} {word}"));
        start.into_iter().chain(shares).chain(settled).collect::<Vec<_>>().join(separator)
    }

    /// Prints the machines, and what each has to do with which value.
    pub(crate) fn print(&self, console: &mut Console<'_>) -> Result<(), Trouble> {
        console.blank()?;
        let heading = console.toned(Tone::Heading, "machines");
        console.line(&heading)?;
        let mut table = console.new_table();
        for (machine, last) in &self.writers.machines {
            table.add_row([plain(self.machine(*machine)), plain(format!("wrote last {}", when(*last)))]);
        }
        console.table(&table)?;
        console.blank()?;
        let heading = console.toned(Tone::Heading, "written by");
        console.line(&heading)?;
        let mut table = console.new_table();
        for value in &self.writers.values {
            table.add_row([plain(&value.what), cell(Tone::Quiet, &self.shares(value))]);
        }
        console.table(&table)?;
        Ok(())
    }

    /// Returns it as JSON; `None` if the save does not say.
    pub(crate) fn as_json(&self) -> Option<Json> {
        let id = |machine: &MachineId| format!("{:016x}", machine.0);
        let machine = |(machine, last): &(MachineId, u64)| json!({ "id": id(machine), "wrote_last_unix_ms": last, "is_this_one": self.here == Some(*machine) });
        let share = |(machine, share): &(MachineId, Share)| match share {
            Share::Counted { added, taken } => {
                json!({ "machine": id(machine), "added": json::value(added), "taken": json::value(taken) })
            }
            Share::Wrote(at) => json!({ "machine": id(machine), "wrote_at_unix_ms": at }),
            Share::Entries(count) => json!({ "machine": id(machine), "entries": count }),
            _ => json!({ "machine": id(machine) }),
        };
        let value = |value: &WrittenValue| {
            let shares: Vec<Json> = value.shares.iter().map(share).collect();
            json!({
                "what": value.what,
                "start": json::value(&value.start),
                "forgiven": json::value(&value.forgiven),
                "forfeited": json::value(&value.forfeited),
                "by": shares,
            })
        };
        let Writers { machines, values, .. } = &self.writers;
        (!machines.is_empty()).then(|| {
            json!({
                "machines": machines.iter().map(machine).collect::<Vec<_>>(),
                "values": values.iter().map(value).collect::<Vec<_>>(),
            })
        })
    }
}
