//! Running the tool as a process.

use std::path::{Path, PathBuf};
use std::process::Command;

use serde_json::Value as Json;

/// The result of running the tool.
pub(crate) struct Ran {
    pub(crate) code: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

impl Ran {
    #[track_caller]
    pub(crate) fn json(&self) -> Json {
        serde_json::from_str(&self.out).unwrap_or_else(|error| panic!("{error}: {}", self.out))
    }
}

pub(crate) fn project(path: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(path)
}

/// Runs the tool in the project's folder.
pub(crate) fn keblin(args: &[&str]) -> Ran {
    keblin_in(&project("."), args)
}

pub(crate) fn keblin_in(folder: &Path, args: &[&str]) -> Ran {
    let mut command = Command::new(env!("CARGO_BIN_EXE_keblin"));
    run(command.current_dir(folder).args(args))
}

pub(crate) fn run(command: &mut Command) -> Ran {
    let output = command.output().unwrap();
    Ran {
        code: output.status.code().unwrap(),
        out: String::from_utf8(output.stdout).unwrap(),
        err: String::from_utf8(output.stderr).unwrap(),
    }
}

/// Checks that every line fits a terminal of 80 columns.
#[track_caller]
pub(crate) fn assert_fits(text: &str) {
    for line in text.lines() {
        assert!(line.chars().count() <= 80, "{} columns: {line}", line.chars().count());
    }
}
