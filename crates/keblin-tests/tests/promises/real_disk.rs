//! Things that only a real disk has: links, pipes, devices, sparse files, access rights, new folders, and the
//! settings of two programs.

#![cfg(unix)]

use std::fs;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::Path;
use std::process::Command;
use std::sync::Arc;
use std::time::{Duration, Instant};

use keblin::store::{OpenError, Origin, SaveError};
use keblin::{Keeper, SaveDir};

use crate::keepers::{Game, game};

/// Long before a read of a pipe, or of a terabyte, would end.
const SOON: Duration = Duration::from_millis(500);

#[test]
fn nothing_is_written_through_a_planted_link() {
    let Game { ref schema, shells, .. } = game();
    let folder = tempfile::tempdir().unwrap();
    let (saves, precious) = (folder.path().join("saves"), folder.path().join("precious"));
    fs::create_dir_all(saves.join("aside")).unwrap();
    fs::write(&precious, b"somebody's thesis").unwrap();
    let names = ["otter.fresh-00000000000000a7.keblin", "otter.damaged-1.keblin", "device.keblin"];
    for name in names {
        symlink(&precious, saves.join("aside").join(name)).unwrap();
    }
    let slot = SaveDir::at(&saves).slot("otter").unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(shells, 1);
    kept.set(schema.field::<i64>("volume").unwrap(), 2);
    kept.save_now().unwrap();
    kept.pin("bridge").unwrap();
    kept.close().unwrap();
    assert_eq!(fs::read(&precious).unwrap(), b"somebody's thesis");
    assert_eq!(slot.view(schema).unwrap().progress.get(shells), 1);
    // In place of the backup: the save opens, and the link is set aside as a link.
    fs::remove_file(slot.previous_path()).unwrap();
    symlink(&precious, slot.previous_path()).unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    assert_eq!(kept.findings()[0].code.as_str(), "copy_unreadable");
    kept.set(shells, 2);
    kept.close().unwrap();
    assert!(fs::symlink_metadata(slot.previous_path()).unwrap().is_file());
    assert_eq!(fs::read(&precious).unwrap(), b"somebody's thesis");
    // A lock that is a link is not followed either: nothing is created at its other end.
    let made = folder.path().join("made");
    symlink(&made, saves.join("aside/heron.lock")).unwrap();
    let heron = SaveDir::at(&saves).slot("heron").unwrap();
    let mut kept = Keeper::open(&heron, schema).unwrap();
    let error = kept.save_now().unwrap_err();
    assert!(error.to_string().contains("found a link"), "{error}");
    assert!(!made.exists());
}

#[test]
fn a_slot_that_is_a_link_a_pipe_a_device_a_folder_or_too_large_is_refused_at_once() {
    let Game { ref schema, .. } = game();
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(format!("{name}.keblin"));
    fs::write(folder.path().join("elsewhere"), b"").unwrap();
    symlink(folder.path().join("elsewhere"), at("link")).unwrap();
    symlink("/dev/zero", at("zero")).unwrap();
    fs::create_dir(at("folder")).unwrap();
    assert!(Command::new("mkfifo").arg(at("pipe")).status().unwrap().success());
    fs::File::create(at("sparse")).unwrap().set_len(1 << 40).unwrap();
    let saves = SaveDir::at(folder.path());
    for (name, said) in [
        ("link", "expected a file, but found a link"),
        ("zero", "expected a file, but found a link"),
        ("folder", "expected a file, but found a folder"),
        ("pipe", "expected a file, but found a device or a pipe"),
        ("sparse", "expected a save of at most 1073741824 bytes, but found 1099511627776"),
    ] {
        let begun = Instant::now();
        let slot = saves.slot(name).unwrap();
        let Err(OpenError::Disk(error)) = Keeper::open(&slot, schema) else { panic!("{name} was opened") };
        assert!(error.to_string().contains(said), "{name}: {error}");
        assert!(begun.elapsed() < SOON, "{name} took {:?}", begun.elapsed());
    }
    let begun = Instant::now();
    let list = saves.list().unwrap();
    assert!(list.iter().all(|entry| entry.head.is_err()) && list.len() == 5);
    // The quick look at a file that ends in a huge reserve is bounded as well.
    fs::File::create(at("zeros")).unwrap().set_len(1 << 30).unwrap();
    assert!(saves.list().unwrap().iter().any(|entry| entry.name.as_str() == "zeros" && entry.head.is_err()));
    assert!(begun.elapsed() < SOON, "{:?}", begun.elapsed());
}

#[test]
fn a_file_keeps_its_access_rights() {
    let Game { ref schema, shells, .. } = game();
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.save_now().unwrap();
    kept.close().unwrap();
    fs::set_permissions(slot.path(), fs::Permissions::from_mode(0o600)).unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(shells, 2);
    let saved = kept.save_now().unwrap().unwrap();
    assert_eq!(saved.written_bytes, saved.len_bytes, "a new file");
    assert_eq!(fs::metadata(slot.path()).unwrap().permissions().mode() & 0o777, 0o600);
}

#[test]
fn a_file_exchanged_on_the_disk_while_it_is_appended_to_is_seen() {
    let Game { ref schema, best, shells } = game();
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.submit(best, 100);
    kept.save_now().unwrap();
    // The same bytes, in another file: an append to the open one would be lost.
    let copy = folder.path().join("copy");
    fs::copy(slot.path(), &copy).unwrap();
    fs::rename(&copy, slot.path()).unwrap();
    kept.set(shells, 4);
    kept.save_now().unwrap();
    assert_eq!(slot.view(schema).unwrap().progress.get(shells), 4);
}

#[test]
fn a_relative_folder_stays_that_folder_wherever_the_program_works_later() {
    let folder = tempfile::tempdir().unwrap();
    let program = std::env::current_exe().unwrap();
    let mut other = Command::new(program);
    other.args(["--exact", "real_disk::in_a_folder_of_its_own", "--nocapture", "--test-threads=1"]);
    let output = other.env("KEBLIN_TEST_CHDIR", folder.path()).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stdout));
    assert!(folder.path().join("saves/otter.keblin").is_file());
    assert!(!folder.path().join("elsewhere/saves").exists());
}

/// The other process of the test above; as a test of its own it does nothing.
#[test]
fn in_a_folder_of_its_own() {
    let Some(folder) = std::env::var_os("KEBLIN_TEST_CHDIR") else { return };
    let Game { ref schema, shells, .. } = game();
    fs::create_dir(Path::new(&folder).join("elsewhere")).unwrap();
    std::env::set_current_dir(&folder).unwrap();
    let slot = SaveDir::at("saves").slot("otter").unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    std::env::set_current_dir("elsewhere").unwrap();
    kept.set(shells, 1);
    kept.close().unwrap();
}

#[test]
fn settings_of_many_slots_are_written_one_after_the_other_and_meet() {
    let schema = Arc::new(crate::tables::schema(
        "game = 'many'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n\
         volume = { type = 'int', scope = 'device' }\nlight = { type = 'int', scope = 'device' }\n\
         seen = { type = 'int', scope = 'device', keep = 'highest' }\n",
    ));
    let folder = tempfile::tempdir().unwrap();
    let saves = SaveDir::at(folder.path());
    let threads: Vec<_> = [("otter", "volume"), ("heron", "light")]
        .into_iter()
        .map(|(slot, setting)| {
            // As two programs would: they share only the folder.
            let (schema, saves) = (Arc::clone(&schema), SaveDir::at(saves.folder()));
            std::thread::spawn(move || {
                let mut kept = Keeper::open(&saves.slot(slot).unwrap(), &schema).unwrap();
                let field = schema.field::<i64>(setting).unwrap();
                for number in 1..=300 {
                    kept.set(field, number);
                    kept.submit(schema.field::<Option<i64>>("seen").unwrap(), number);
                    kept.save_now().unwrap();
                }
                kept.close().unwrap();
            })
        })
        .collect();
    threads.into_iter().for_each(|thread| thread.join().unwrap());
    let opened = saves.slot("rush").unwrap().open(&schema).unwrap();
    assert_eq!(opened.origin, Origin::FirstRun);
    let held = |name: &str| opened.progress.get(schema.field::<i64>(name).unwrap());
    assert_eq!((held("volume"), held("light")), (300, 300), "neither puts back the other's");
    assert_eq!(opened.progress.get(schema.field::<Option<i64>>("seen").unwrap()), Some(300));
    let aside: Vec<String> = fs::read_dir(folder.path().join("aside"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    assert!(!aside.iter().any(|name| name.contains("fresh") || name.contains("device.damaged")), "{aside:?}");
}

#[test]
fn the_parents_of_folders_that_are_made_are_there_and_a_file_in_their_way_is_told() {
    let Game { ref schema, shells, .. } = game();
    let folder = tempfile::tempdir().unwrap();
    let deep = folder.path().join("a/b/c");
    let mut kept = Keeper::open(&SaveDir::at(&deep).slot("otter").unwrap(), schema).unwrap();
    kept.set(shells, 1);
    kept.close().unwrap();
    assert!(deep.join("otter.keblin").is_file());
    fs::write(folder.path().join("file"), b"").unwrap();
    let below = SaveDir::at(folder.path().join("file/saves")).slot("otter").unwrap();
    assert!(matches!(
        below.save(&keblin::Progress::new(Arc::clone(schema)).snapshot(), "quit"),
        Err(SaveError::Disk(_))
    ));
}
