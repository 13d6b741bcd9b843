//! `keblin new`: the first files of a game are sound, and the program is one.

use std::fs;
use std::path::Path;
use std::process::Command;

use crate::compiled::compile;
use crate::process::{keblin, keblin_in};

#[test]
fn a_new_game_is_checked_rehearsed_compiled_and_remembers() {
    let folder = tempfile::tempdir().unwrap();
    let made = keblin_in(folder.path(), &["new", "Otter Brook"]);
    assert_eq!((made.code, made.err.as_str()), (0, ""));
    assert!(made.out.contains("  cd \"Otter Brook\"\n  keblin check\n  keblin rehearse\n  cargo run\n"));
    let game = folder.path().join("Otter Brook");
    let check = keblin_in(&game, &["check"]);
    assert!(
        check.out.contains("otter_brook, version 1") && check.out.contains("nothing found"),
        "{}",
        check.out
    );
    let rehearsed = keblin_in(&game, &["rehearse"]);
    assert_eq!(rehearsed.code, 0, "{}", rehearsed.out);
    assert!(rehearsed.out.contains("first_run.txt: held"));
    // `.ci/games` compiles it with cargo.
    let program = game.join(format!("game{}", std::env::consts::EXE_SUFFIX));
    let compiled = compile(&game, Path::new("src/main.rs"), &game, &["-o", program.to_str().unwrap()]);
    assert_eq!(String::from_utf8_lossy(&compiled.stderr), "", "the program compiles without a warning");
    let run = || {
        let output = Command::new(&program).current_dir(&game).output().unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8(output.stdout).unwrap()
    };
    assert_eq!(
        run().lines().collect::<Vec<_>>(),
        [
            "best score so far: None",
            "The Meadow: open",
            "The Mill: locked",
            "a life lost, left: Some(2)",
            "new record, best_score: unset -> 100",
            "mill opened",
        ]
    );
    let again = run();
    let lines: Vec<_> = again.lines().collect();
    assert_eq!(lines[..3], ["best score so far: Some(100)", "The Meadow: open", "The Mill: open"]);
    assert!(!again.contains("new record"));
}

#[test]
fn what_is_there_is_left_as_it_is() {
    let folder = tempfile::tempdir().unwrap();
    fs::create_dir(folder.path().join("src")).unwrap();
    fs::write(folder.path().join("Cargo.toml"), "[package]\nname = \"mine\"\n").unwrap();
    fs::write(folder.path().join("src/main.rs"), "fn main() {}\n").unwrap();
    let made = keblin_in(folder.path(), &["new", "."]);
    assert_eq!((made.code, made.err.as_str()), (0, ""));
    assert_eq!(fs::read_to_string(folder.path().join("src/main.rs")).unwrap(), "fn main() {}\n");
    assert!(made.out.contains("./src/main.rs: was there, and is left as it is"), "{}", made.out);
    assert!(made.out.contains("./progress.toml: written"), "{}", made.out);
    assert!(made.out.contains("cargo add --path"), "{}", made.out);
    assert!(made.out.contains("schema!(game, \"progress.toml\")"), "{}", made.out);

    let again = keblin_in(folder.path(), &["new", ".", "--json"]).json();
    let left = again["files"].as_array().unwrap();
    assert!(left.len() == 4 && left.iter().all(|file| file["done"] == "left"), "{again}");
}

#[test]
fn the_game_is_named_for_its_folder() {
    let folder = tempfile::tempdir().unwrap();
    for (name, id) in [("Fen-Walk", "fen_walk"), ("2048", "my_game"), ("--", "my_game"), ("Übung", "bung")] {
        let path = folder.path().join(name);
        let made = keblin(&["new", "--json", "--", &path.display().to_string()]);
        assert_eq!((made.json()["game"].as_str(), made.code), (Some(id), 0), "{name}");
        assert_eq!(keblin_in(&path, &["check"]).code, 0, "{name}");
    }
}

#[test]
fn a_folder_that_cannot_be_made_is_named() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("game"), "a file").unwrap();
    let made = keblin_in(folder.path(), &["new", "game"]);
    assert_eq!(made.code, 2);
    assert!(made.err.starts_with("keblin: game: "), "{}", made.err);
    let made = keblin_in(folder.path(), &["new", "other", "--schema", "progress.toml"]);
    assert_eq!((made.code, made.err.contains("leave --schema out")), (2, true), "{}", made.err);
}
