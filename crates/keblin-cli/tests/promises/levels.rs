//! Levels by the dozen in the tool: what each comes to, and finished ones that an update shuts.

use std::fs;
use std::path::Path;
use std::sync::Arc;

use keblin::save::{Stamp, write};
use keblin::{Progress, Schema};

use crate::process::{assert_fits, keblin, keblin_in, project};

const KILN: &str = "game = 'kiln'\nversion = 1\n[level_constants]\npar = { type = 'time', default = '90s' }\n\
    [[chapters]]\nid = 'clay'\ntitle = 'The Clay Pit'\n\
    levels = { prefix = 'clay_', count = 3, unlock = 'previous.finished', stars = 3 }\n\
    [[chapters]]\nid = 'slip'\nunlock = 'chapters.clay.stars >= 4'\nlevels = { prefix = 'slip_', count = 2 }\n";
const SECRET: &str = "[[levels]]\nid = 'secret'\nafter = 'clay_01'\n";

fn put(folder: &Path, name: &str, text: &str) {
    fs::write(folder.join(name), text).unwrap();
}

#[test]
fn levels_says_what_each_level_comes_to() {
    let folder = tempfile::tempdir().unwrap();
    let secret =
        format!("{SECRET}counted = false\nunlock = 'previous.stars >= 3'\npar = '2m'\nnext = ['slip_01']\n");
    put(folder.path(), "progress.toml", &format!("{KILN}{secret}"));
    let ran = keblin_in(folder.path(), &["levels"]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert_fits(&ran.out);
    let row = |at: usize| -> Vec<String> {
        ran.out
            .lines()
            .nth(at)
            .unwrap()
            .split("  ")
            .map(str::trim)
            .filter(|cell| !cell.is_empty())
            .map(str::to_string)
            .collect()
    };
    assert_eq!(row(0), ["The levels of kiln, version 1"]);
    assert_eq!(row(2), ["level", "stars", "par", "opens if", "next"]);
    assert_eq!(row(3), ["The Clay Pit", "9"]);
    assert_eq!(row(4), ["1", "clay_01", "3", "1m30s"]);
    assert_eq!(row(5), ["-", "secret", "2m", "previous.stars >= 3", "slip_01"]);
    assert_eq!(row(6), ["2", "clay_02", "3", "1m30s", "previous.finished"]);
    assert_eq!(row(8), ["slip", "0", "chapters.clay.stars >= 4"]);
    assert!(ran.out.ends_with("5 levels with 9 stars; 1 more does not count\n"), "{}", ran.out);
    let json = keblin_in(folder.path(), &["levels", "--json"]).json();
    assert_eq!(json["chapters"][1]["levels"], 2);
    let secret = &json["levels"][1];
    assert_eq!(
        (&secret["id"], &secret["place"], &secret["chapter"]),
        (&"secret".into(), &serde_json::Value::Null, &"clay".into())
    );
    assert_eq!((&secret["constants"]["par"], &secret["next"][0]), (&"2m".into(), &"slip_01".into()));
    assert_eq!(json["levels"][2]["next"][0], "clay_03");
    assert!(keblin(&["--schema", "demo/progress.toml", "levels"]).out.ends_with("7 levels with 21 stars\n"));
}

/// Saves in which the player has finished some levels of the chapter.
fn saves(folder: &Path, finished: &[&[&str]]) {
    let schema = Arc::new(Schema::parse("progress.toml", KILN).unwrap().schema);
    fs::create_dir_all(folder.join("frozen/saves")).unwrap();
    for (index, levels) in finished.iter().enumerate() {
        let mut game = Progress::new(Arc::clone(&schema));
        game.begin(None).unwrap();
        for level in *levels {
            game.enter(schema.level(level).unwrap()).unwrap();
            game.finish_with_stars(2).unwrap();
        }
        let bytes = write(&game.snapshot(), &Stamp::first(1, "finish"));
        fs::write(folder.join(format!("frozen/saves/player_{index}.keblin")), bytes).unwrap();
    }
}

#[test]
fn a_finished_level_that_an_update_shuts_is_a_warning_with_the_number_of_saves() {
    let folder = tempfile::tempdir().unwrap();
    let folder = folder.path();
    saves(folder, &[&["clay_01"], &["clay_01", "clay_02"], &["clay_01", "clay_02", "clay_03"]]);
    put(folder, "before.toml", KILN);
    // A level was put in: the one after it now waits for it.
    put(folder, "progress.toml", &format!("{KILN}{SECRET}"));
    let ran = keblin_in(folder, &["check", "--before", "before.toml"]);
    assert_eq!((ran.code, ran.err.as_str()), (1, ""));
    assert_fits(&ran.out);
    let said = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    let expected = "warning: profile.clay_02.finished: the level is finished, but its rule shuts it now: secret is not \
        finished; `latch = true` keeps it open (in 2 of 3 saves)";
    assert!(said.contains(expected), "{}", ran.out);
    assert!(!said.contains("clay_03"), "the one before it is finished");
    let json = keblin_in(folder, &["check", "--before", "before.toml", "--json"]).json();
    assert_eq!(
        (&json["ok"], &json["shut"][0]["saves"], &json["shut"][0]["of"]),
        (&false.into(), &2.into(), &3.into())
    );
    // With the new level out of the count, nothing is shut.
    put(folder, "progress.toml", &format!("{KILN}{SECRET}counted = false\n"));
    let ran = keblin_in(folder, &["check", "--before", "before.toml"]);
    assert_eq!((ran.code, ran.out.contains("warning")), (0, false), "{}", ran.out);
}

#[test]
fn migrate_warns_of_a_finished_level_that_the_new_version_shuts() {
    let folder = tempfile::tempdir().unwrap();
    let folder = folder.path();
    saves(folder, &[&["clay_01", "clay_02"]]);
    put(folder, "progress.toml", KILN);
    assert_eq!(keblin_in(folder, &["freeze"]).code, 0);
    put(folder, "progress.toml", &format!("{KILN}{SECRET}").replace("version = 1", "version = 2"));
    let ran = keblin_in(folder, &["migrate", "frozen/saves/player_0.keblin"]);
    assert!(ran.code == 1 && ran.out.contains("[finished_shut]"), "{}{}", ran.out, ran.err);
    assert!(ran.out.contains("secret is not"), "{}", ran.out);
    // A finished level was open, so it stays open if it latches from now on.
    let latched = format!("{KILN}{SECRET}").replace("stars = 3 }", "stars = 3, latch = true }");
    put(folder, "progress.toml", &latched.replace("version = 1", "version = 2"));
    let ran = keblin_in(folder, &["migrate", "frozen/saves/player_0.keblin"]);
    assert!(ran.code == 0 && !ran.out.contains("[finished_shut]"), "{}", ran.out);
}

/// Each game in `examples/games` is sound, its saves of earlier versions open, and its rehearsals hold.
#[test]
fn the_example_games_are_sound_and_their_rehearsals_hold() {
    let games = std::fs::read_dir(project("examples/games")).unwrap().map(|game| game.unwrap().path());
    for folder in games {
        let ran = keblin_in(&folder, &["check"]);
        assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{}", ran.out);
        assert!(ran.out.contains("nothing found") && ran.out.contains("opens from version 1"), "{}", ran.out);
        let ran = keblin_in(&folder, &["rehearse"]);
        assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{}", ran.out);
        assert!(ran.out.lines().count() >= 3, "{}", ran.out);
    }
}
