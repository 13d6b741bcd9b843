//! `show` and `verify`.

use std::fs;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use keblin::{Keeper, Progress, SaveDir, Schema};
use tempfile::TempDir;

use crate::process::{Ran, assert_fits, keblin, keblin_in, project};

/// A folder with the demo's declaration and a save of it: a run in Long Mere on neap.
fn saved() -> (TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let text = fs::read_to_string(project("demo/progress.toml")).unwrap();
    fs::write(folder.path().join("progress.toml"), &text).unwrap();
    let schema = Arc::new(Schema::parse("progress.toml", &text).unwrap().schema);
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    game.tick(Duration::from_millis(92_400));
    game.add(schema.field::<i64>("letters").unwrap(), 31);
    game.finish_with_stars(2).unwrap();
    let long_mere = schema.level("long_mere").unwrap();
    game.enter(long_mere).unwrap();
    game.reach(schema.checkpoint(long_mere, "willow").unwrap()).unwrap();
    let saved = SaveDir::at(folder.path()).slot("otter").unwrap().save(&game.snapshot(), "quit").unwrap();
    (folder, saved.path)
}

fn in_folder(folder: &TempDir, args: &[&str]) -> Ran {
    keblin_in(folder.path(), args)
}

#[test]
fn show_prints_what_a_save_holds() {
    let (folder, _) = saved();
    let ran = in_folder(&folder, &["show", "otter.keblin"]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert_fits(&ran.out);
    let flat: Vec<String> =
        ran.out.lines().map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ")).collect();
    for line in [
        "otter.keblin: fen_post, version 5",
        "a run waits: Long Mere, checkpoint willow, neap",
        "letters 31",
        "coppers 120 default",
        "best_letters unset default",
        "best_crossing 1m32.4s reedgate, neap",
        "Reedgate ★★☆ 1 - finished",
        "Long Mere ☆☆☆ 1 - under way",
        "Otter Weir ☆☆☆ - - locked: finish Long Mere first",
    ] {
        assert!(flat.iter().any(|found| found == line), "{line:?} is not in\n{}", ran.out);
    }
}

#[test]
fn areas_that_states_share_are_shown_and_verified() {
    let (folder, _) = saved();
    let text = fs::read_to_string(project("demo/progress.toml")).unwrap();
    let schema = Arc::new(Schema::parse("progress.toml", &text).unwrap().schema);
    let slot = SaveDir::at(folder.path()).slot("heron").unwrap();
    let mut game = Keeper::open(&slot, &schema).unwrap();
    for round in 0..3 {
        game.put_area("fens", Some(vec![7; 2000])).unwrap();
        game.put_area("north", Some(vec![round; 300])).unwrap();
        game.save_now().unwrap();
    }
    drop(game);
    let ran = in_folder(&folder, &["show", "heron.keblin"]);
    let lines: Vec<&str> = ran.out.lines().map(str::trim).collect();
    let at = lines.iter().position(|line| *line == "areas of the world").unwrap();
    assert_eq!(lines[at + 1].split_whitespace().collect::<Vec<_>>(), ["fens", "2000", "bytes"]);
    let json = in_folder(&folder, &["show", "--json", "heron.keblin"]).json();
    assert_eq!(json["areas"], serde_json::json!({ "fens": 2000, "north": 300 }));
    let ran = in_folder(&folder, &["verify", "heron.keblin"]);
    assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
}

#[test]
fn show_as_json_has_every_field_and_level() {
    let (folder, _) = saved();
    let json = in_folder(&folder, &["show", "--json", "otter.keblin"]).json();
    assert_eq!((&json["game"], &json["version"]), (&"fen_post".into(), &5.into()));
    assert_eq!((&json["save"]["number"], &json["save"]["cause"]), (&1.into(), &"quit".into()));
    assert_eq!((&json["run"]["level"], &json["run"]["checkpoint"]), (&"long_mere".into(), &"willow".into()));
    let fields = &json["fields"];
    assert_eq!((&fields["letters"], &fields["best_letters"]), (&31.into(), &serde_json::Value::Null));
    assert_eq!(fields["best_crossing"]["reedgate"]["neap"], "1m32.4s");
    assert!(fields["best_crossing"]["lantern_quay"]["spring"].is_null());
    assert_eq!(fields["satchel"], serde_json::json!([]));
    assert_eq!(fields.as_object().unwrap().len(), 10, "settings are in no slot");
    let level = &json["levels"]["reedgate"]["neap"];
    assert_eq!(
        (&level["finished"], &level["stars"], &level["open"]),
        (&true.into(), &2.into(), &true.into())
    );
    assert_eq!(json["levels"]["otter_weir"]["neap"]["lock"][0]["what"], "levels.long_mere.finished");
}

#[test]
fn verify_tells_a_whole_save_from_a_damaged_one() {
    let (folder, path) = saved();
    let bytes = fs::read(&path).unwrap();
    let mut spoilt = bytes.clone();
    spoilt[bytes.len() / 2] ^= 1;
    fs::write(folder.path().join("flipped.keblin"), &spoilt).unwrap();
    fs::write(folder.path().join("cut.keblin"), &bytes[..bytes.len() - 1]).unwrap();
    fs::write(folder.path().join("empty.keblin"), b"").unwrap();
    let whole = in_folder(&folder, &["verify", "otter.keblin"]);
    assert_eq!(whole.code, 0);
    assert_eq!(
        whole.out,
        format!("otter.keblin: intact: save 1, {} bytes, every digest matches\n", bytes.len())
    );
    let all = in_folder(&folder, &["verify", "otter.keblin", "flipped.keblin", "cut.keblin", "empty.keblin"]);
    assert_eq!(all.code, 1);
    assert_fits(&all.out);
    assert!(all.out.contains("\nflipped.keblin: damaged: ") && all.out.contains("[digest]"), "{}", all.out);
    assert!(
        all.out.contains("\nempty.keblin: damaged: file, byte 0: the file is empty [empty]\n"),
        "{}",
        all.out
    );
    let json = in_folder(&folder, &["verify", "--json", "otter.keblin", "cut.keblin"]);
    let lines: Vec<serde_json::Value> =
        json.out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!((&lines[0]["ok"], &lines[1]["ok"]), (&true.into(), &false.into()));
    assert_eq!(lines[1]["findings"][0]["code"], "cut");
    assert!(lines[1]["findings"][0]["where"].as_str().unwrap().starts_with("state, byte "));
    assert_eq!(fs::read(&path).unwrap(), bytes, "the tool only reads");
}

#[test]
fn a_save_of_another_game_is_refused_and_not_called_damaged() {
    let (folder, _) = saved();
    let schema = project("examples/quickstart.toml");
    let ran = in_folder(&folder, &["verify", "--schema", schema.to_str().unwrap(), "otter.keblin"]);
    assert_eq!(ran.code, 1);
    let flat = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        flat.contains("refused: header, byte 0: expected a save of the game \"otter_brook\", but found one of \"fen_post\""),
        "{flat}"
    );
    let ran = in_folder(&folder, &["show", "--schema", schema.to_str().unwrap(), "otter.keblin"]);
    assert_eq!((ran.code, ran.out.as_str()), (2, ""));
}

#[test]
fn a_file_that_is_not_there_could_not_be_done() {
    let ran = keblin(&["verify", "--schema", "demo/progress.toml", "nowhere.keblin"]);
    assert_eq!((ran.code, ran.err.as_str()), (2, "keblin: nowhere.keblin: file not found\n"));
}

#[test]
fn the_settings_of_a_device_are_shown_and_migrated() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("device.keblin");
    let text = fs::read_to_string(project("demo/frozen/v2.toml")).unwrap();
    let earlier = keblin::Schema::parse("v2.toml", &text).unwrap().schema;
    let settings = keblin::Progress::new(earlier).snapshot();
    let bytes = keblin::save::write_device(&settings, &keblin::save::Stamp::first(0, "settings"));
    fs::write(&path, &bytes).unwrap();
    let file = path.display().to_string();
    let with = |args: &[&str]| {
        let schema = ["--schema", "demo/progress.toml"];
        keblin(&[args, &[file.as_str()], &schema].concat())
    };
    let shown = with(&["show"]);
    assert_eq!((shown.code, shown.err.as_str()), (0, ""));
    assert!(shown.out.contains("settings of this device, save 1"), "{}", shown.out);
    assert!(shown.out.contains("volume"), "{}", shown.out);
    assert!(!shown.out.contains("letters"), "no value of a slot: {}", shown.out);
    let json = with(&["show", "--json"]).json();
    assert!(json["settings"]["horn_volume"] == 7 && json["save"]["number"] == 1, "{json}");

    let asked = with(&["migrate"]);
    assert!(asked.code == 0 && asked.out.contains("version 2 -> 5: settings of a device"), "{}", asked.out);
    assert_eq!(fs::read(&path).unwrap(), bytes, "nothing is written without --write");
    let written = with(&["migrate", "--write", "--json"]).json();
    assert_eq!((&written["from"], &written["to"], &written["written"]), (&2.into(), &5.into(), &true.into()));
    assert_eq!(fs::read(written["aside"].as_str().unwrap()).unwrap(), bytes, "the earlier file is kept");
    assert!(with(&["migrate"]).out.contains("as it is"));
}
