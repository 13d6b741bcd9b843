//! Slots: what is on the disk, and when.

use std::fs;
use std::path::Path;
use std::sync::Arc;

use keblin::store::{OpenError, Origin, SaveError};
use keblin::{Field, Notice, Progress, SaveDir, Schema};

use crate::tables::{fen_post, read, schema};

/// Returns the files below a folder except the locks, which are empty.
fn files(folder: &Path) -> Vec<String> {
    let mut found: Vec<String> = Vec::new();
    for entry in fs::read_dir(folder).into_iter().flatten() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_str().unwrap().to_string();
        match path.is_dir() {
            true => found.extend(files(&path).iter().map(|file| format!("{name}/{file}"))),
            false => found.push(name),
        }
    }
    // This machine's own last state has a test of its own.
    found.retain(|name| !name.ends_with(".lock") && !name.contains(".own-"));
    found.sort();
    found
}

fn with_coppers(schema: &Arc<Schema>, coppers: i64) -> Progress {
    let mut game = Progress::new(Arc::clone(schema));
    game.set(schema.field::<i64>("coppers").unwrap(), coppers);
    game
}

#[test]
fn a_first_run_is_no_error_and_writes_nothing() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path().join("saves"));
    let slot = dir.slot("otter").unwrap();
    let mut opened = slot.open(&schema).unwrap();
    assert_eq!((&opened.origin, opened.findings.len()), (&Origin::FirstRun, 0));
    assert_eq!(opened.progress.drain_notices().collect::<Vec<_>>(), [Notice::FirstRun]);
    assert_eq!(opened.progress.get(schema.field::<i64>("coppers").unwrap()), 120);
    assert_eq!(opened.progress.get(schema.field::<Option<i64>>("best_letters").unwrap()), None);
    assert!(dir.slots().unwrap().is_empty());
    assert!(!dir.folder().exists(), "reading made something");
}

#[test]
fn a_save_becomes_the_copy_when_the_next_one_takes_its_place() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    let slot = dir.slot("otter").unwrap();
    let first = slot.save(&with_coppers(&schema, 1).snapshot(), "quit").unwrap();
    assert_eq!(first.number, 1);
    assert_eq!(files(folder.path()), ["aside/device.keblin", "otter.keblin"]);
    let bytes = fs::read(slot.path()).unwrap();
    assert_eq!(first.len_bytes, bytes.len());
    let second = slot.save(&with_coppers(&schema, 2).snapshot(), "quit").unwrap();
    assert_eq!(second.number, 2);
    assert_eq!(
        files(folder.path()),
        ["aside/device.keblin", "aside/otter.previous.keblin", "otter.keblin"],
        "no temporary file is left"
    );
    assert_eq!(fs::read(slot.previous_path()).unwrap(), bytes);
    let opened = slot.open(&schema).unwrap();
    assert_eq!(opened.progress.get(schema.field::<i64>("coppers").unwrap()), 2);
    assert_eq!(dir.slots().unwrap()[0].as_str(), "otter");
}

#[test]
fn what_a_broken_write_left_behind_harms_nothing() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    slot.save(&with_coppers(&schema, 1).snapshot(), "quit").unwrap();
    fs::write(folder.path().join("aside/otter.fresh-00000000000000a7.keblin"), b"half a").unwrap();
    assert_eq!(slot.open(&schema).unwrap().origin, Origin::File);
    slot.save(&with_coppers(&schema, 2).snapshot(), "quit").unwrap();
    assert_eq!(files(folder.path()), ["aside/device.keblin", "aside/otter.previous.keblin", "otter.keblin"]);
}

#[test]
fn slots_do_not_know_each_other() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    for (name, coppers) in [("otter", 1), ("heron", 2)] {
        dir.slot(name).unwrap().save(&with_coppers(&schema, coppers).snapshot(), "quit").unwrap();
    }
    let coppers: Field<i64> = schema.field("coppers").unwrap();
    let held = |name| dir.slot(name).unwrap().open(&schema).unwrap().progress.get(coppers);
    assert_eq!((held("otter"), held("heron")), (1, 2));
    let names: Vec<String> = dir.slots().unwrap().iter().map(ToString::to_string).collect();
    assert_eq!(names, ["heron", "otter"]);
}

#[test]
fn the_name_of_a_slot_is_an_id_and_never_a_path() {
    let dir = SaveDir::at("saves");
    for name in ["../otter", "a/b", "", "con", "Otter", "otter.keblin", "device"] {
        let error = dir.slot(name).unwrap_err().to_string();
        assert!(error.starts_with(&format!("{name:?} cannot be the name of a slot: ")), "{error}");
    }
}

#[test]
fn a_newer_older_or_foreign_save_is_refused_and_left_as_it_is() {
    let text = read("demo/progress.toml");
    let ours = schema(&text.replace("version = 5", "version = 6"));
    let others = [
        (
            text.replace("version = 5", "version = 7"),
            "newer_version",
            "saved by version 7 of the game, but this is version 6",
        ),
        (
            text.clone(),
            "older_version",
            "saved by version 5 of the game, which cannot be migrated to version 6",
        ),
        (
            text.replace("fen_post", "other_game"),
            "other_game",
            "expected a save of the game \"fen_post\", but found one of \"other_game\"",
        ),
    ];
    for (text, code, message) in others {
        let folder = tempfile::tempdir().unwrap();
        let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
        slot.save(&Progress::new(schema(&text)).snapshot(), "quit").unwrap();
        let before = fs::read(slot.path()).unwrap();
        let Err(OpenError::Refused { error, .. }) = slot.open(&ours) else {
            panic!("{code} was not refused")
        };
        assert_eq!(error.fault.code().as_str(), code);
        assert!(error.to_string().contains(message), "{error}");
        let Err(SaveError::Refused { error, .. }) =
            slot.save(&Progress::new(Arc::clone(&ours)).snapshot(), "quit")
        else {
            panic!("{code} was saved over")
        };
        assert_eq!(error.fault.code().as_str(), code);
        assert_eq!(fs::read(slot.path()).unwrap(), before);
        assert_eq!(
            files(folder.path()),
            ["aside/device.keblin", "otter.keblin"],
            "and there is no other file"
        );
    }
}

#[cfg(unix)]
#[test]
fn a_disk_that_refuses_is_told_with_the_path_and_loses_nothing() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let in_the_way = folder.path().join("saves");
    fs::write(&in_the_way, b"a file where the folder should be").unwrap();
    let slot = SaveDir::at(&in_the_way).slot("otter").unwrap();
    let Err(SaveError::Disk(error)) = slot.save(&with_coppers(&schema, 1).snapshot(), "quit") else {
        panic!("it was saved into a file")
    };
    assert!(error.to_string().starts_with("creating the folder "), "{error}");
    assert!(error.path.starts_with(&in_the_way));
    assert!(matches!(slot.open(&schema), Err(OpenError::Disk(_))), "and it is not a first run either");
    assert_eq!(fs::read(&in_the_way).unwrap(), b"a file where the folder should be");
}
