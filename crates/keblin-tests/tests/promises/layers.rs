//! Layers: which module may import which, in both crates. Below the store there is no disk, clock or thread; clippy
//! checks that (see `clippy.toml`), and these tests check the direction of imports.

use std::fs;
use std::path::{Path, PathBuf};

use crate::tables::project;

/// Each stage and the stages of this crate it may use, lowest first.
const MAY_USE: [(&str, &[&str]); 16] = [
    ("grammar", &[]),
    ("snapshot", &["broken", "grammar"]),
    ("broken", &[]),
    ("world", &["broken", "grammar", "snapshot"]),
    ("account", &[]),
    ("fullness", &[]),
    ("spans", &[]),
    ("progress", &["broken", "grammar", "snapshot", "world", "account", "fullness"]),
    ("save", &["broken", "grammar", "snapshot", "fullness"]),
    ("migrate", &["grammar", "snapshot", "world", "account", "spans", "progress", "save"]),
    ("verify", &["snapshot", "world", "save", "progress", "migrate"]),
    ("store", &["broken", "snapshot", "fullness", "spans", "save", "verify", "progress"]),
    ("game", &["snapshot", "save", "progress", "store"]),
    ("error", &["snapshot", "world", "save", "progress", "migrate", "store", "game"]),
    ("rehearse", &["snapshot", "save", "verify", "world", "progress", "store"]),
    ("explore", &["snapshot", "save", "migrate", "verify", "progress", "rehearse"]),
];

pub(crate) fn rust_files(folder: &Path) -> Vec<PathBuf> {
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

/// The stages of a crate that declarations pass in order: each may use those before it.
struct InOrder {
    krate: &'static str,
    stages: &'static [&'static str],
    /// How often the stages use each other, at the least.
    uses: usize,
}

const IN_ORDER: [InOrder; 2] = [
    InOrder {
        krate: "crates/keblin-model",
        stages: &[
            "order", "text", "value", "program", "model", "embed", "limits", "clamp", "survival", "names",
            "versions", "key", "typed", "lookup", "named", "readable",
        ],
        uses: 100,
    },
    InOrder {
        krate: "crates/keblin-schema",
        stages: &["text", "condition", "declare", "versions"],
        uses: 50,
    },
];

/// What each crate's front re-exports without a stage's name, by its stage.
const FRONT: [(&str, &str); 5] = [
    ("Progress", "progress"),
    ("Notice", "progress"),
    ("Keeper", "store"),
    ("words", "text"),
    ("debug_as_display", "text"),
];

fn stage_of(name: &str) -> &str {
    FRONT.iter().find(|(front, _)| *front == name).map_or(name, |(_, of)| of)
}

/// Returns the names after `crate::` in a file, with what they are imported from: `crate::text::name` as `text`.
fn used(text: &str) -> Vec<String> {
    let code: Vec<&str> = text.lines().filter(|line| !line.trim_start().starts_with("//")).collect();
    let code = code.join("\n");
    let word = |rest: &str| rest.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect::<String>();
    let mut names = Vec::new();
    for rest in code.split("crate::").skip(1) {
        match rest.strip_prefix('{').and_then(|rest| rest.split(';').next()) {
            // Those at the outer level of `use crate::{…}`.
            Some(list) => {
                let mut depth = 0_i32;
                for item in list.split_inclusive(['{', '}', ',']) {
                    let name = item.trim().trim_end_matches(['{', '}', ',']);
                    if depth == 0 && !name.is_empty() {
                        names.push(word(name));
                    }
                    depth += i32::from(item.ends_with('{')) - i32::from(item.ends_with('}'));
                }
            }
            None => names.push(word(rest)),
        }
    }
    names
}

/// Returns every file of a crate except its front: its path, its stage, and the names it uses from the crate.
fn files_of(krate: &str) -> Vec<(PathBuf, String, Vec<String>)> {
    let src = project(krate).join("src");
    let files = rust_files(&src).into_iter().filter(|path| !path.ends_with("lib.rs"));
    files
        .map(|path| {
            let inside = path.strip_prefix(&src).unwrap().to_path_buf();
            let stage = inside.iter().next().unwrap().to_str().unwrap().trim_end_matches(".rs").to_string();
            let uses = used(&fs::read_to_string(&path).unwrap());
            (inside, stage, uses)
        })
        .collect()
}

#[test]
fn no_stage_uses_one_above_it() {
    let (mut uses, mut stages) = (0, Vec::new());
    for (inside, stage, names) in files_of("crates/keblin") {
        let (_, may) =
            MAY_USE.iter().find(|(name, _)| *name == stage).unwrap_or_else(|| panic!("{stage} has no layer"));
        for name in names {
            let used = stage_of(&name);
            assert!(used == stage || may.contains(&used), "{inside:?} uses {name}");
            uses += 1;
        }
        stages.push(stage);
    }
    assert!(uses > 20, "{uses}");
    assert!(MAY_USE.iter().all(|(stage, _)| stages.iter().any(|seen| seen == stage)));
}

#[test]
fn a_declaration_passes_the_stages_in_one_direction() {
    for InOrder { krate, stages, uses } in IN_ORDER {
        let front = fs::read_to_string(project(krate).join("src/lib.rs")).unwrap();
        // What the front takes from the crate below comes before all stages.
        let at = |stage: &str| stages.iter().position(|known| *known == stage).map(|at| at + 1);
        let (mut used, mut seen) = (0, Vec::new());
        for (inside, stage, names) in files_of(krate) {
            let own = at(&stage).unwrap_or_else(|| panic!("{stage} is not a stage"));
            for name in names {
                let from = at(stage_of(&name)).unwrap_or(0);
                assert!(from > 0 || front.contains(&name), "{inside:?} uses {name}, which is nowhere");
                assert!(from <= own, "{inside:?} uses {name}, which comes later");
                used += 1;
            }
            seen.push(stage);
        }
        assert!(used > uses, "{krate}: {used}");
        assert!(stages.iter().all(|stage| seen.iter().any(|seen| seen == stage)), "{krate}");
        // A newcomer who opens the front reads them in this order.
        let places: Vec<usize> =
            stages.iter().map(|stage| front.find(&format!("mod {stage};")).unwrap()).collect();
        assert!(places.is_sorted(), "{places:?}");
    }
}

#[test]
fn values_and_facts_change_in_one_place() {
    let mut files = 0;
    for path in rust_files(&project("crates/keblin/src/progress")) {
        let text: String = fs::read_to_string(&path).unwrap().split_whitespace().collect();
        let ways = ["get_mut", "iter_mut", "split_off", "truncate", "extend", "clone_from", "fill", "swap"];
        // Merging makes a new state; it changes no game.
        if path.ends_with("history/merge.rs") || path.ends_with("history/merge_facts.rs") {
            continue;
        }
        let written = |what: &str| ways.iter().any(|way| text.contains(&format!("self.state.{what}.{way}(")));
        let writes = written("cells") || written("facts") || text.contains("self.state=");
        assert_eq!(writes, path.ends_with("put.rs"), "{path:?}");
        files += 1;
    }
    assert!(files > 20, "{files}");
}

#[test]
fn the_lower_crates_and_the_macros_know_nothing_of_those_above() {
    let order = ["keblin-model", "keblin-schema", "keblin-macros", "keblin"];
    for (at, krate) in order.iter().enumerate() {
        let manifest = fs::read_to_string(project(&format!("crates/{krate}/Cargo.toml"))).unwrap();
        let named = |other: &str| {
            manifest
                .lines()
                .any(|line| line.starts_with(&format!("{other}.")) || line.starts_with(&format!("{other} =")))
        };
        assert!(order[at..].iter().all(|above| !named(above)), "{krate}");
    }
}

#[test]
fn a_game_without_features_does_not_compile_what_reads_declarations() {
    let manifest = fs::read_to_string(project("crates/keblin/Cargo.toml")).unwrap();
    assert!(manifest.contains("keblin-schema = { workspace = true, optional = true }"));
    assert!(!manifest.contains("\ndefault ="), "no feature is on by itself");
}
