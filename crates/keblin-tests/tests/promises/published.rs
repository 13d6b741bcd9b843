//! What publishing a file does with the files that are there: the table in docs/durability.md, row by row, on files that
//! are as the row says.

use std::collections::BTreeMap;
use std::io::ErrorKind;
use std::sync::Arc;

use keblin::store::backend::{Backend, Doing, Faulty, Memory};
use keblin::store::{Saved, Slot};
use keblin::{Progress, Snapshot};

use crate::keepers::{Game, game, slot_on};
use crate::tables::read;

const FILES: [&str; 7] = [
    "none",
    "ours",
    "an earlier one of ours",
    "another program's",
    "from before an erasure",
    "damaged",
    "unreadable",
];
const BACKUPS: [&str; 5] = ["none", "an earlier one of ours", "another program's", "damaged", "unreadable"];

/// Saves of one history, by the words of the table.
struct History {
    files: Memory,
    faulty: Faulty,
    slot: Slot,
    saves: BTreeMap<&'static str, Vec<u8>>,
}

fn state(best: i64) -> Snapshot {
    let Game { schema, best: field, .. } = game();
    let mut game = Progress::new(schema);
    game.submit(field, best);
    game.snapshot()
}

fn on_files() -> (Memory, Faulty, Slot) {
    let files = Memory::default();
    let faulty = Faulty::new(Arc::new(files.clone()));
    let slot = slot_on(&(Arc::new(faulty.clone()) as Arc<dyn Backend>));
    (files, faulty, slot)
}

/// Three saves of ours, after an erasure; the slot knows the last one.
fn history() -> History {
    let (elsewhere, _, far) = on_files();
    // It has erased as often: a save from before an erasure gives way, whoever made it.
    far.save(&state(5), "test").unwrap();
    far.save_erased(&state(70), "test").unwrap();
    let (files, faulty, slot) = on_files();
    let saved = |files: &Memory, slot: &Slot| files.files()[&slot.path()].clone();
    let mut saves = BTreeMap::from([("another program's", saved(&elsewhere, &far))]);
    slot.save(&state(10), "test").unwrap();
    saves.insert("from before an erasure", saved(&files, &slot));
    slot.save_erased(&state(20), "test").unwrap();
    saves.insert("an earlier one of ours", saved(&files, &slot));
    slot.save(&state(30), "test").unwrap();
    let ours = saved(&files, &slot);
    let mut damaged = ours.clone();
    let middle = damaged.len() / 2;
    damaged[middle] ^= 0xff;
    saves.extend([("unreadable", ours.clone()), ("ours", ours), ("damaged", damaged)]);
    History { files, faulty, slot, saves }
}

/// Returns what one save did: what was set aside, whether it was merged, and what the backup is then.
fn done(file: &str, backup: &str, erases: bool) -> [String; 2] {
    let History { files, faulty, slot, saves } = history();
    let mut places: BTreeMap<&str, Vec<u8>> = BTreeMap::new();
    for (place, what, path) in [("file", file, slot.path()), ("backup", backup, slot.previous_path())] {
        files.remove(&path).ok();
        let Some(bytes) = saves.get(what) else { continue };
        let mut bytes = bytes.clone();
        if place == "backup" {
            // A reserve, so that the two are told apart.
            bytes.extend([0; 5]);
        }
        files.put_file(path.clone(), bytes.clone());
        places.insert(place, bytes);
        if what == "unreadable" {
            faulty.fail_for(path, Doing::Read, ErrorKind::Other);
        }
    }
    let saved = match erases {
        true => slot.save_erased(&state(40), "test").unwrap(),
        false => slot.save(&state(40), "test").unwrap(),
    };
    let after = files.files();
    let Saved { set_aside, replaced, .. } = saved;
    let is_of = |bytes: &Vec<u8>, place: &str| places.get(place) == Some(bytes);
    let aside = set_aside.iter().map(|(path, why)| {
        let bytes = &after[path];
        let place = if is_of(bytes, "file") { "file" } else { "backup" };
        assert!(is_of(bytes, place), "{path:?} is neither");
        format!("{place} as `{}`", why.as_str())
    });
    let mut aside: Vec<String> = aside.collect();
    if aside.is_empty() {
        aside.push("nothing".to_string());
    }
    if replaced.is_some_and(|replaced| replaced.has_met) {
        aside.push("merged".to_string());
    }
    let new = &after[&slot.path()];
    let then = match after.get(&slot.previous_path()) {
        None => "none",
        Some(then) if then == new => "the new save",
        Some(then) if is_of(then, "file") => "the file",
        Some(then) if is_of(then, "backup") => "as it was",
        Some(_) => "something else",
    };
    [aside.join(", "), then.to_string()]
}

#[test]
fn publishing_does_with_the_files_that_are_there_what_the_table_says() {
    let mut table = String::new();
    for file in FILES {
        for backup in BACKUPS {
            let [save, then] = done(file, backup, false);
            let [erase, after_erasing] = done(file, backup, true);
            assert_eq!(after_erasing, "the new save", "{file}, {backup}");
            table += &format!("| {file} | {backup} | {save} | {then} | {erase} |\n");
        }
    }
    let page = read("docs/durability.md");
    assert!(page.contains(&table), "docs/durability.md should have these rows:\n{table}");
}
