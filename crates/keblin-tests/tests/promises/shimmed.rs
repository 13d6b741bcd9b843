//! The real disk, with calls of the operating system that fail, return early, or are the last thing that the program
//! does: each call of a session, through a library that is loaded before the program. Without a C compiler the test
//! says so and tries nothing.

#![cfg(target_os = "linux")]

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Arc;

use keblin::progress::Erase;
use keblin::store::{OpenError, SaveError};
use keblin::{Field, Keeper, SaveDir, Schema};
use tempfile::TempDir;

use crate::keepers::GAME;
use crate::tables::{project, schema};

const FOLDER: &str = "KEBLIN_SHIM_FOLDER";

/// Saves of a session. The fourth erases the record.
const SAVES: i64 = 6;
const ERASED_AT: i64 = 4;

struct Fields {
    schema: Arc<Schema>,
    shells: Field<i64>,
    best: Field<Option<i64>>,
    volume: Field<i64>,
}

fn fields() -> Fields {
    let schema = schema(GAME);
    let (shells, best) = (schema.field("shells").unwrap(), schema.field("best").unwrap());
    Fields { volume: schema.field("volume").unwrap(), schema, shells, best }
}

/// The other process: plays a session and prints what was saved. As a test of its own it does nothing.
#[test]
fn the_session() {
    let Ok(folder) = std::env::var(FOLDER) else { return };
    let Fields { ref schema, shells, best, volume } = fields();
    let slot = SaveDir::at(folder).slot("otter").unwrap();
    let mut game = match Keeper::open(&slot, schema) {
        Ok(game) => game,
        Err(error) => {
            assert!(matches!(error, OpenError::Disk(_) | OpenError::InUse { .. }), "{error}");
            return println!("\nnot opened: {error}");
        }
    };
    let first = game.get(shells);
    println!("\nopened {first}");
    for number in first + 1..=first + SAVES {
        game.set(shells, number);
        game.submit(best, number);
        game.set(volume, number % 10);
        game.put_area("fens", Some(vec![u8::try_from(number % 251).unwrap(); 3000])).unwrap();
        if number == first + 2 {
            drop(game.pin("here"));
        }
        if number == first + ERASED_AT {
            game.erase(&Erase::Field(schema.field_named("best").unwrap().0), true).unwrap();
        }
        println!("\ntried {number}");
        match game.save_now() {
            Ok(_) => println!("\nsaved {number}"),
            Err(SaveError::Disk(error)) => println!("\nfailed: {error}"),
            Err(other) => panic!("{other}"),
        }
    }
    // A failure here was reported before.
    drop(game.close());
}

/// Returns the library, built if there is a compiler.
fn shim(folder: &Path) -> Option<PathBuf> {
    let library = folder.join("faults.so");
    let source = project("crates/keblin-tests/tests/shim/faults.c");
    let built = Command::new("cc")
        .args(["-shared", "-fPIC", "-O1", "-Wall", "-Werror", "-o"])
        .arg(&library)
        .arg(source)
        .arg("-ldl")
        .stderr(Stdio::inherit())
        .status();
    match built {
        Ok(status) => {
            assert!(status.success(), "the library was not built");
            Some(library)
        }
        Err(_) => None,
    }
}

fn session(library: &Path, folder: &Path) -> Command {
    let mut command = Command::new(std::env::current_exe().unwrap());
    command.args(["--exact", "shimmed::the_session", "--nocapture", "--test-threads=1"]);
    command.env("LD_PRELOAD", library).env(FOLDER, folder).env_remove("RUST_BACKTRACE");
    command.stdout(Stdio::piped()).stderr(Stdio::null());
    command
}

fn last(said: &str, what: &str) -> Option<i64> {
    said.lines().rev().find_map(|line| line.strip_prefix(what)?.parse().ok())
}

/// Returns a folder in which a session was played.
fn played(library: &Path) -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    let saves = folder.path().join("saves");
    assert!(session(library, &saves).status().unwrap().success());
    folder
}

/// Returns every call of a kind that a second session makes, by kind.
fn counts(library: &Path) -> Vec<(String, usize)> {
    let folder = played(library);
    let told = folder.path().join("counts");
    let mut command = session(library, &folder.path().join("saves"));
    assert!(command.env("KEBLIN_SHIM_COUNTS", &told).status().unwrap().success());
    let told = fs::read_to_string(told).unwrap();
    told.lines()
        .map(|line| {
            let (kind, count) = line.split_once(' ').unwrap();
            (kind.to_string(), count.parse().unwrap())
        })
        .collect()
}

/// Tries each of some calls in each way; returns how many there were, and how many sessions reported a failure.
fn try_calls(library: &Path, every: usize) -> [usize; 2] {
    let Fields { ref schema, shells, best, .. } = fields();
    let mut tried = 0;
    let start = played(library);
    let begun = SAVES;
    let mut told_of_failure = 0;
    for (kind, count) in counts(library) {
        let hows: &[&str] = match kind.as_str() {
            "write" => &["fail", "full", "short", "kill"],
            "read" => &["fail", "short", "kill"],
            _ => &["fail", "kill"],
        };
        for at in (1..=count).step_by(every) {
            for how in hows {
                let folder = tempfile::tempdir().unwrap();
                copy(start.path(), folder.path());
                let saves = folder.path().join("saves");
                let mut command = session(library, &saves);
                command.env("KEBLIN_SHIM_KIND", &kind).env("KEBLIN_SHIM_AT", at.to_string());
                let output = command.env("KEBLIN_SHIM_HOW", how).output().unwrap();
                let said = String::from_utf8(output.stdout).unwrap();
                let here = || format!("{kind} {at} of {count}, {how}:\n{said}");
                assert!(*how == "kill" || output.status.success(), "{}", here());
                told_of_failure += usize::from(said.contains("failed: ") || said.contains("not opened: "));
                let first = last(&said, "opened ").unwrap_or(begun);
                assert_eq!(first, begun, "one error must not lead to an older save: {}", here());
                let saved = last(&said, "saved ").unwrap_or(begun);
                let most = last(&said, "tried ").unwrap_or(saved);
                let slot = SaveDir::at(&saves).slot("otter").unwrap();
                let opened =
                    Keeper::open(&slot, schema).unwrap_or_else(|error| panic!("{error}\n{}", here()));
                let held = opened.get(shells);
                assert!((saved..=most).contains(&held), "{held} is there: {}", here());
                let area = opened.area("fens").unwrap();
                assert!(area.iter().all(|byte| i64::from(*byte) == held % 251), "a mixture: {}", here());
                // After an acknowledged erasure no file that can be opened contains the data.
                if saved >= begun + ERASED_AT {
                    let most = opened.get(best);
                    assert!(most.is_none_or(|best| best > begun + ERASED_AT), "{most:?}: {}", here());
                    for pin in opened.pins().unwrap() {
                        let pinned = slot.pinned(pin.name.as_str(), schema).unwrap();
                        let best = keblin::Progress::restored(pinned).get(best);
                        assert!(best.is_none(), "{best:?} in a pin: {}", here());
                    }
                }
                opened.close().unwrap();
                tried += 1;
            }
        }
    }
    assert!(told_of_failure > 0);
    [tried, told_of_failure]
}

fn copy(from: &Path, to: &Path) {
    for entry in fs::read_dir(from).unwrap().map(Result::unwrap) {
        let target = to.join(entry.file_name());
        if entry.path().is_dir() {
            fs::create_dir(&target).unwrap();
            copy(&entry.path(), &target);
        } else {
            fs::copy(entry.path(), target).unwrap();
        }
    }
}

#[test]
fn calls_of_a_session_that_fail_are_cut_short_or_are_the_last_lose_nothing_that_was_said_to_be_saved() {
    let folder = tempfile::tempdir().unwrap();
    let Some(library) = shim(folder.path()) else { return println!("no C compiler: nothing is tried") };
    let [tried, told] = try_calls(&library, 9);
    println!("{tried} sessions, {told} of them reported a failure");
    assert!(tried > 40);
}

#[test]
#[ignore = "every single call takes minutes"]
fn every_call_of_a_session_that_fails_is_cut_short_or_is_the_last_loses_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let Some(library) = shim(folder.path()) else { return println!("no C compiler: nothing is tried") };
    let [tried, told] = try_calls(&library, 1);
    println!("{tried} sessions, {told} of them reported a failure");
    assert!(tried > 400);
}
