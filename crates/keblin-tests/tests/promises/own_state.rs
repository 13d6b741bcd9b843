//! This machine's own last state, on a real disk: a sync program puts other files in place of the slot's, in every way, and
//! nothing that was saved is lost.

use std::fs;
use std::path::{Path, PathBuf};

use keblin::store::backend::{Backend, Disk};
use keblin::store::{Origin, Slot};
use keblin::{Keeper, SaveDir};
use tempfile::TempDir;

use crate::keepers::{Game, game};

/// How another file is put in place of the slot's.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Way {
    /// A file next to it is renamed.
    Renamed,
    /// Its bytes are overwritten.
    InPlace,
    /// It is removed, and a link to a file elsewhere takes its place.
    Both,
}

const WAYS: [Way; 3] = [Way::Renamed, Way::InPlace, Way::Both];

fn slot(folder: &Path) -> Slot {
    SaveDir::at(folder).slot("otter").unwrap()
}

fn put(way: Way, slot: &Slot, bytes: &[u8]) {
    let path = slot.path();
    match way {
        Way::Renamed => {
            let beside = path.with_extension("part");
            fs::write(&beside, bytes).unwrap();
            fs::rename(&beside, &path).unwrap();
        }
        Way::InPlace => fs::write(&path, bytes).unwrap(),
        // The backup too.
        Way::Both => [path, slot.previous_path()].iter().for_each(|path| fs::write(path, bytes).unwrap()),
    }
}

/// Returns the file of another machine, on which 5 was added and 70 submitted.
fn of_another_machine() -> Vec<u8> {
    let Game { ref schema, best, .. } = game();
    let folder = tempfile::tempdir().unwrap();
    let mut far = Keeper::open(&slot(folder.path()), schema).unwrap();
    far.submit(best, 70);
    far.close().unwrap();
    fs::read(slot(folder.path()).path()).unwrap()
}

/// The program has ended without closing the slot: the folder is where it was, without the lock.
fn after_a_crash(folder: &TempDir) {
    let (here, gone) = (folder.path().join("saves"), folder.path().join("gone"));
    fs::rename(&here, &gone).unwrap();
    fs::create_dir_all(here.join("aside")).unwrap();
    let files = |folder: &Path| {
        let entries = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
        entries
            .filter(|path| path.extension().is_some_and(|ending| ending == "keblin"))
            .collect::<Vec<PathBuf>>()
    };
    for path in files(&gone).into_iter().chain(files(&gone.join("aside"))) {
        fs::copy(&path, here.join(path.strip_prefix(&gone).unwrap())).unwrap();
    }
}

#[test]
fn a_file_that_is_replaced_while_the_game_is_closed_takes_no_session_along() {
    let Game { ref schema, best, shells } = game();
    let theirs = of_another_machine();
    for way in WAYS {
        let folder = tempfile::tempdir().unwrap();
        let slot = slot(&folder.path().join("saves"));
        for value in [10, 40] {
            let mut kept = Keeper::open(&slot, schema).unwrap();
            kept.submit(best, value);
            kept.set(shells, value);
            kept.close().unwrap();
        }
        put(way, &slot, &theirs);
        let kept = Keeper::open(&slot, schema).unwrap();
        assert!(matches!(kept.origin(), Origin::Met { .. }), "{way:?}: {:?}", kept.origin());
        assert_eq!((kept.get(best).option(), kept.get(shells)), (Some(70), 40), "{way:?}");
    }
}

#[test]
#[cfg(unix)]
fn a_file_that_is_replaced_before_the_program_ends_takes_nothing_along_that_was_saved() {
    let Game { ref schema, best, shells } = game();
    let folder = tempfile::tempdir().unwrap();
    let slot = slot(&folder.path().join("saves"));
    let mut kept = Keeper::open(&slot, schema).unwrap();
    for value in [3, 4, 5] {
        kept.set(shells, value);
        kept.submit(best, 10 * value);
        kept.save_now().unwrap();
    }
    put(Way::Renamed, &slot, &of_another_machine());
    after_a_crash(&folder);
    let opened = Keeper::open(&slot_again(&folder), schema).unwrap();
    assert_eq!((opened.get(best).option(), opened.get(shells)), (Some(70), 5));
    drop(kept);
}

fn slot_again(folder: &TempDir) -> Slot {
    slot(&folder.path().join("saves"))
}

#[test]
fn an_overwrite_does_not_reach_the_own_state_of_a_closed_slot() {
    let Game { ref schema, shells, .. } = game();
    let folder = tempfile::tempdir().unwrap();
    let slot = slot(folder.path());
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(shells, 6);
    kept.close().unwrap();
    for path in [slot.path(), slot.previous_path()] {
        fs::write(path, b"torn").unwrap();
    }
    let kept = Keeper::open(&slot, schema).unwrap();
    assert!(matches!(kept.origin(), Origin::Previous { .. }), "{:?}", kept.origin());
    assert_eq!(kept.get(shells), 6);
}

#[test]
fn an_erasure_reaches_the_own_state_too() {
    let Game { ref schema, best, .. } = game();
    let folder = tempfile::tempdir().unwrap();
    let slot = slot(folder.path());
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.submit(best, 4_771_077);
    kept.close().unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.erase(&keblin::progress::Erase::Profile, true).unwrap();
    kept.save_now().unwrap();
    let number = [0x1a, 0x00, 0x48, 0xcd, 0x05];
    for entry in fs::read_dir(folder.path().join("aside")).unwrap() {
        let path = entry.unwrap().path();
        let bytes = fs::read(&path).unwrap();
        assert!(!bytes.windows(5).any(|part| part == number), "{path:?}");
    }
}

#[test]
fn what_a_new_file_replaces_on_the_disk_has_another_name_for_a_moment() {
    let folder = tempfile::tempdir().unwrap();
    let [path, beside, replaced] = ["otter", "beside", "replaced"].map(|name| folder.path().join(name));
    let disk = Disk::default();
    assert!(disk.publish_over(&path, &beside, &[b"first"], &replaced).unwrap());
    assert!(!replaced.exists(), "nothing was replaced");
    assert!(disk.publish_over(&path, &beside, &[b"second"], &replaced).unwrap());
    assert_eq!(
        (fs::read(&path).unwrap(), fs::read(&replaced).unwrap()),
        (b"second".to_vec(), b"first".to_vec())
    );
}
