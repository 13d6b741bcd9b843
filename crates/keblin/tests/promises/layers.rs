//! Layers: who may import whom. Below the store there is no disk, no clock and no thread; clippy holds that (see
//! `clippy.toml`), and this test holds the direction of imports.

use std::fs;
use std::path::{Path, PathBuf};

use crate::tables::project;

/// Each stage and the stages of this crate it may use, lowest first.
const MAY_USE: [(&str, &[&str]); 10] = [
    ("snapshot", &[]),
    ("account", &[]),
    ("fullness", &[]),
    ("progress", &["snapshot", "account", "fullness"]),
    ("save", &["snapshot", "fullness"]),
    ("migrate", &["snapshot", "account", "progress", "save"]),
    ("verify", &["snapshot", "save", "progress", "migrate"]),
    ("store", &["snapshot", "fullness", "save", "verify", "progress"]),
    ("game", &["snapshot", "save", "progress", "store"]),
    ("rehearse", &["snapshot", "save", "verify", "progress", "store"]),
];

fn rust_files(folder: &Path) -> Vec<PathBuf> {
    let mut files = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        match path.is_dir() {
            true => files.extend(rust_files(&path)),
            false => files.extend(path.extension().is_some_and(|ending| ending == "rs").then_some(path)),
        }
    }
    files
}

/// The stages named behind `crate::` in a file.
fn used(text: &str) -> Vec<String> {
    let code: Vec<&str> = text.lines().filter(|line| !line.trim_start().starts_with("//")).collect();
    let code = code.join("\n");
    let names = code.split("crate::").skip(1);
    let word = |rest: &str| rest.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect::<String>();
    names.map(word).collect()
}

#[test]
fn no_stage_uses_one_above_it() {
    let src = project("crates/keblin/src");
    let (mut uses, mut stages) = (0, Vec::new());
    for path in rust_files(&src).into_iter().filter(|path| !path.ends_with("lib.rs")) {
        let inside = path.strip_prefix(&src).unwrap();
        let stage = inside.iter().next().unwrap().to_str().unwrap().trim_end_matches(".rs");
        let (_, may) =
            MAY_USE.iter().find(|(name, _)| *name == stage).unwrap_or_else(|| panic!("{stage} has no layer"));
        for name in used(&fs::read_to_string(&path).unwrap()).iter().filter(|name| *name != stage) {
            let is_front = ["Progress", "Notice", "Keeper"].contains(&name.as_str());
            assert!(
                may.contains(&name.as_str()) || is_front && may.contains(&"progress"),
                "{inside:?} uses {name}"
            );
            uses += 1;
        }
        stages.push(stage.to_string());
    }
    assert!(uses > 20, "{uses}");
    assert!(MAY_USE.iter().all(|(stage, _)| stages.iter().any(|seen| seen == stage)));
}

#[test]
fn the_lower_crate_and_the_macros_know_nothing_of_the_library() {
    for manifest in ["crates/keblin-schema/Cargo.toml", "crates/keblin-macros/Cargo.toml"] {
        let text = fs::read_to_string(project(manifest)).unwrap();
        let depends = text.lines().any(|line| line.starts_with("keblin.") || line.starts_with("keblin ="));
        assert!(!depends, "{manifest}");
    }
}

#[test]
fn only_the_command_line_prints() {
    for folder in ["crates/keblin/src", "crates/keblin-schema/src"] {
        for path in rust_files(&project(folder)) {
            let text = fs::read_to_string(&path).unwrap();
            for word in ["println!", "eprintln!", "print!("] {
                assert!(!text.contains(word), "{path:?} prints");
            }
        }
    }
}
