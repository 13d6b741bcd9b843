//! Code that must not compile, and the compiler's messages: each mistake is a program in `tests/ui` with its message
//! next to it, which says what to write. `KEBLIN_TEST_OVERWRITE=1` writes the messages again.

use std::env;
use std::fs;
use std::path::PathBuf;
use std::sync::LazyLock;

use regex::Regex;

use crate::compiled::{compile, workspace};

/// Lines that say nothing about the mistake.
const NOISE: [&str; 3] =
    ["error: aborting due to", "For more information about", "Some errors have detailed"];
/// The place of a message in another file, and the line numbers next to the code of such a place.
static PLACE: LazyLock<Regex> = LazyLock::new(|| Regex::new(r"^ *(-->|:::) (.*?)(:\d+:\d+)?$").unwrap());
static GUTTER: LazyLock<Regex> = LazyLock::new(|| Regex::new(r"^ *\d* (\||=)").unwrap());
/// Where the sources of the standard library are.
static RUST: LazyLock<Regex> =
    LazyLock::new(|| Regex::new(r"/rustc/[0-9a-f]+/library|/[^ ]*/rustlib/src/rust/library").unwrap());

/// Returns what the compiler says, without what changes when the library or the standard library moves a line.
fn told(said: &str) -> String {
    let mut said = said.replace(&format!("{}/", workspace().display()), "$WORKSPACE/");
    for ours in ["$WORKSPACE/crates/keblin-tests/", "crates/keblin-tests/", "crates/keblin/"] {
        said = said.replace(ours, "");
    }
    let lines: Vec<&str> =
        said.lines().filter(|line| !NOISE.iter().any(|noise| line.starts_with(noise))).collect();
    let is_start = |line: &&str| line.starts_with("error") || line.starts_with("warning");
    let messages = lines.chunk_by(|_, next| !is_start(next));
    let mut told: Vec<String> = messages.flat_map(message).collect();
    told.dedup_by(|line, before| line.is_empty() && before.is_empty());
    RUST.replace_all(told.join("\n").trim_end(), "$$RUST").into_owned() + "\n"
}

/// Returns the lines of one message. The line numbers of other files are left out, also the room that the compiler makes for
/// them.
fn message(lines: &[&str]) -> Vec<String> {
    let mut is_ours = true;
    let mut places = Vec::new();
    for line in lines {
        let place = PLACE.captures(line).map(|place| place[2].starts_with("tests/ui/"));
        // A suggestion without a place is about the program.
        is_ours = place.unwrap_or(is_ours || line.starts_with("help:"));
        places.push((is_ours, place.is_some()));
    }
    let digits = |line: &&str| {
        line.trim_start().split(' ').next().filter(|number| number.parse::<u32>().is_ok()).map(str::len)
    };
    let ours = lines.iter().zip(&places).filter(|(_, (is_ours, _))| *is_ours);
    let room = ours.filter_map(|(line, _)| digits(line)).max().unwrap_or(1);
    let made = lines.iter().find_map(|line| line.find("--> ")).unwrap_or(room);
    let spare = " ".repeat(made.saturating_sub(room));
    let all = lines.iter().zip(&places).map(|(line, (is_ours, is_place))| match (is_ours, is_place) {
        (false, true) => PLACE.replace(line, " $1 $2").into_owned(),
        (false, false) => GUTTER.replace(line, "  $1").into_owned(),
        (true, _) => line.strip_prefix(spare.as_str()).unwrap_or(line).trim_end().to_string(),
    });
    all.collect()
}

#[test]
fn every_mistake_with_a_name_is_told_while_the_game_is_compiled() {
    let package = workspace().join("crates/keblin-tests");
    let entries = fs::read_dir(package.join("tests/ui")).unwrap();
    let mut programs: Vec<PathBuf> = entries.map(|entry| entry.unwrap().path()).collect();
    programs.retain(|path| path.extension().is_some_and(|ending| ending == "rs"));
    programs.sort();
    assert!(programs.len() >= 45, "{}", programs.len());
    let out = tempfile::tempdir().unwrap();
    let out = format!("--out-dir={}", out.path().display());
    let wrong = |program: &PathBuf| {
        let within = program.strip_prefix(workspace()).unwrap();
        let how = ["--emit=metadata", "--verbose", "--diagnostic-width=140", "-Adead_code", &out];
        let compiled = compile(&package, within, &workspace(), &how);
        let said = told(&String::from_utf8(compiled.stderr).unwrap());
        let beside = program.with_extension("stderr");
        if env::var_os("KEBLIN_TEST_OVERWRITE").is_some() {
            fs::write(&beside, &said).unwrap();
        }
        let expected = fs::read_to_string(&beside).unwrap_or_default();
        match compiled.status.success() {
            true => Some(format!("{} compiles", within.display())),
            false => (said != expected).then(|| format!("{}:\n{said}", within.display())),
        }
    };
    let (first, second) = programs.split_at(programs.len() / 2);
    let wrong: Vec<String> = std::thread::scope(|threads| {
        let other = threads.spawn(|| second.iter().filter_map(wrong).collect::<Vec<_>>());
        first.iter().filter_map(wrong).chain(other.join().unwrap()).collect()
    });
    assert!(wrong.is_empty(), "{} programs have other messages:\n\n{}", wrong.len(), wrong.join("\n"));
}
