//! The macros from outside: editing the declaration recompiles the game, every use of a renamed field fails then, and
//! building the macros needs few other crates. `.ci/games` does the first two with cargo and a game of its own.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;
use std::process::Command;

use crate::compiled::compile;
use crate::tables::{project, read};

const DECLARED: &str =
    "game = 'otter'\nversion = 1\n[fields.oil]\ntype = 'int'\nscope = 'run'\non_death = 'stays'\n";

const PROGRAM: &str = "keblin::schema!(otter, \"progress.toml\");\n\
    use otter::fields;\n\
    #[derive(keblin::Carry)]\n#[carry(otter)]\npub struct Otter {\n    pub oil: u32,\n}\n\
    pub fn burn(game: &mut otter::Progress) -> i64 {\n    game.add(fields::OIL, -1);\n    game.get(fields::OIL)\n}\n";

/// Returns whether a game compiles, what the compiler says, and the files that make cargo compile it again when they change.
fn check(folder: &Path) -> (bool, String, String) {
    let how = ["--crate-type=lib", "--emit=metadata,dep-info", "--out-dir=."];
    let output = compile(folder, Path::new("src/lib.rs"), folder, &how);
    let watched = fs::read_to_string(folder.join("program.d")).unwrap_or_default();
    (output.status.success(), String::from_utf8(output.stderr).unwrap(), watched)
}

/// Makes a package of a game that uses a crate of this project, with the versions of this project.
fn package(folder: &Path, uses: &str) {
    let path = project("crates").join(uses);
    let manifest = format!(
        "[package]\nname = \"otter\"\nversion = \"0.1.0\"\nedition = \"2024\"\n[workspace]\n\
        [dependencies]\n{uses} = {{ path = {path:?} }}\n"
    );
    fs::write(folder.join("Cargo.toml"), manifest).unwrap();
    fs::write(folder.join("Cargo.lock"), read("Cargo.lock")).unwrap();
    fs::create_dir(folder.join("src")).unwrap();
    fs::write(folder.join("src/lib.rs"), "").unwrap();
}

#[test]
fn an_edited_declaration_is_compiled_anew_and_every_use_of_a_renamed_field_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, text: &str| fs::write(folder.path().join(name), text).unwrap();
    fs::create_dir_all(folder.path().join("src")).unwrap();
    put("progress.toml", DECLARED);
    put("src/lib.rs", PROGRAM);
    let (compiles, said, watched) = check(folder.path());
    assert!(compiles, "{said}");
    let program = watched.lines().find(|line| line.contains(".rmeta:")).unwrap();
    assert!(program.contains("progress.toml"), "{watched}");
    put("progress.toml", &DECLARED.replace("fields.oil", "fields.fuel"));
    let (compiles, said, _) = check(folder.path());
    assert!(!compiles);
    let uses = ["src/lib.rs:6", "src/lib.rs:9", "src/lib.rs:10"];
    assert!(said.matches("cannot find value `OIL`").count() >= 3, "{said}");
    assert!(uses.iter().all(|place| said.contains(place)), "{said}");
    put("progress.toml", &DECLARED.replace("'run'", "'rum'"));
    let (compiles, said, _) = check(folder.path());
    assert!(!compiles && said.contains("error: progress.toml:5:9: "), "{said}");
}

/// Returns the crates that building a crate needs, including itself, in a game that uses one of this project. The project
/// itself is not asked: it has crates that nobody needs for its tests.
fn built_for(name: &str, uses: &str) -> BTreeSet<String> {
    let folder = tempfile::tempdir().unwrap();
    package(folder.path(), uses);
    let output = Command::new(env!("CARGO"))
        .args(["tree", "--offline", "-p", name, "-e", "normal,build", "--prefix", "none", "--format", "{p}"])
        .current_dir(folder.path())
        .output()
        .unwrap();
    assert!(output.status.success(), "{output:?}");
    let text = String::from_utf8(output.stdout).unwrap();
    text.lines().filter_map(|line| line.split(' ').next()).map(str::to_string).collect()
}

#[test]
fn the_macros_take_parsers_of_rust_and_toml_cbor_and_a_hash_and_nothing_else() {
    let mut allowed = built_for("toml", "keblin-macros");
    let ours = [
        "foldhash",
        "minicbor",
        "keblin-macros",
        "keblin-model",
        "keblin-schema",
        "syn",
        "quote",
        "proc-macro2",
    ]
    .map(str::to_string);
    // Crates that syn needs to recognise identifiers.
    allowed.extend(ours.into_iter().chain(["unicode-ident".to_string()]));
    let built = built_for("keblin-macros", "keblin-macros");
    assert!(built.contains("syn") && built.contains("toml"));
    assert_eq!(built.difference(&allowed).collect::<Vec<_>>(), Vec::<&String>::new());
}

#[test]
fn a_game_takes_what_seals_are_made_of_only_with_the_feature() {
    let built = built_for("keblin", "keblin");
    assert!(built.contains("blake3") && built.contains("minicbor"));
    let of_seals = ["coset", "hmac", "sha2"].map(str::to_string);
    assert!(of_seals.iter().all(|name| !built.contains(name)), "{built:?}");
}
