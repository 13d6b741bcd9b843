//! `demo`: what it shows, and that it leaves no files.

use std::fs;
use std::path::Path;
use std::process::Command;

use crate::process::{assert_fits, run};

fn is_empty(folder: &Path) -> bool {
    fs::read_dir(folder).unwrap().next().is_none()
}

#[test]
fn the_demo_shows_each_step_and_writes_nothing_outside_a_temporary_folder() {
    let (here, home, temporary) =
        (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let mut command = Command::new(env!("CARGO_BIN_EXE_keblin"));
    command.arg("demo").current_dir(here.path()).env("HOME", home.path()).env("TMPDIR", temporary.path());
    let ran = run(&mut command);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert_fits(&ran.out);
    for folder in [here.path(), home.path(), temporary.path()] {
        assert!(is_empty(folder), "{folder:?} is not as it was");
    }
    for shown in [
        "letters 0, oil 60, boats 4, best letters unset",
        "locked: finish Long Mere first",
        "boats left: 3, back to osier",
        "letters 9, oil 38, boats 3",
        "best_crossing unset -> 1m32.4s",
        "in Long Mere: letters 13, oil 38, boats 3",
        "best_letters unset -> 13",
        "stamps stay 3",
        "every digest matches",
        "aside/otter.damaged-1.keblin",
    ] {
        let flat = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(shown), "{shown:?} is not shown:\n{}", ran.out);
    }
    let lists: Vec<&str> =
        ran.out.lines().filter(|line| line.trim_start().starts_with("Reedgate ")).collect();
    assert_eq!(lists.len(), 2, "the route list before and after");
    assert!(lists[0].contains("☆☆☆") && lists[1].contains("★★★"));
}

#[cfg(target_os = "linux")]
#[test]
fn the_demo_says_when_there_is_no_room_for_its_folder() {
    let mut command = Command::new(env!("CARGO_BIN_EXE_keblin"));
    let ran = run(command.arg("demo").env("TMPDIR", "/nowhere/at/all"));
    assert_eq!(ran.code, 2);
    assert!(ran.err.starts_with("keblin: "), "{}", ran.err);
}
