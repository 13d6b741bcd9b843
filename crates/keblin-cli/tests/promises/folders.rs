//! Whole folders of saves, including the golden and the broken files, and salvaging.

use std::fs;
use std::path::Path;

use serde_json::Value as Json;

use crate::process::{assert_fits, keblin, keblin_in, project};

const SCHEMA: &str = "data/golden/every_type.toml";

#[test]
fn what_is_said_of_each_broken_file_stands_beside_it() {
    let folder = project("data/broken");
    let mut names: Vec<String> = fs::read_dir(&folder)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    names.retain(|name| name.ends_with(".keblin"));
    names.sort();
    let schema = project(SCHEMA);
    let args = ["verify", "--schema", schema.to_str().unwrap()].into_iter();
    let args: Vec<&str> = args.chain(names.iter().map(String::as_str)).collect();
    let ran = keblin_in(&folder, &args);
    assert_eq!(ran.code, 1);
    assert_fits(&ran.out);
    if std::env::var_os("KEBLIN_TEST_OVERWRITE").is_some() {
        fs::write(folder.join("verify.txt"), &ran.out).unwrap();
    }
    let held = fs::read_to_string(folder.join("verify.txt")).unwrap();
    assert!(ran.out == held, "data/broken/verify.txt is not what the tool says:\n{}", ran.out);
}

#[test]
fn the_golden_files_show_what_they_showed_when_the_format_was_fixed() {
    for name in ["first_run", "every_type", "three_states", "sealed", "with_picture", "areas", "room"] {
        let path = format!("data/golden/format_1_{name}");
        let ran = keblin(&["show", "--json", "--schema", SCHEMA, &format!("{path}.keblin")]);
        assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{name}");
        assert_eq!(ran.out, fs::read_to_string(project(&format!("{path}.json"))).unwrap(), "{name}");
    }
}

#[test]
fn a_folder_is_verified_file_by_file_with_those_below_it_and_summed_up() {
    let folder = tempfile::tempdir().unwrap();
    let golden = |name: &str| fs::read(project(&format!("data/golden/format_1_{name}.keblin"))).unwrap();
    fs::create_dir_all(folder.path().join("saves/aside")).unwrap();
    let put = |path: &str, bytes: &[u8]| fs::write(folder.path().join(path), bytes).unwrap();
    for number in 0..40 {
        put(&format!("saves/slot_{number:02}.keblin"), &golden("every_type"));
    }
    put("saves/aside/device.keblin", &golden("device"));
    put("saves/slot_07.keblin", &golden("every_type")[..500]);
    put("saves/notes.txt", b"no save");
    let schema = project(SCHEMA);
    let args = |extra: &'static str| {
        ["verify", "--schema", schema.to_str().unwrap(), "saves", extra].map(String::from)
    };
    let run = |args: &[String]| {
        keblin_in(
            folder.path(),
            &args.iter().map(String::as_str).filter(|arg| !arg.is_empty()).collect::<Vec<_>>(),
        )
    };
    let ran = run(&args(""));
    assert_eq!((ran.code, ran.err.as_str()), (1, ""));
    assert_fits(&ran.out);
    let lines: Vec<&str> = ran.out.lines().collect();
    assert!(lines[0].starts_with("saves/slot_07.keblin: damaged: profile, byte "), "{}", ran.out);
    assert!(ran.out.contains("\n41 saves (1 of them in `aside`): 40 intact, 1 damaged\n"), "{}", ran.out);
    let json: Vec<Json> =
        run(&args("--json")).out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(json.len(), 41);
    let files: Vec<&str> = json.iter().map(|line| line["file"].as_str().unwrap()).collect();
    assert!(files.is_sorted() && files[0] == "saves/aside/device.keblin", "{files:?}");
    let bad: Vec<&Json> = json.iter().filter(|line| line["ok"] == false).collect();
    assert_eq!(bad.len(), 1);
    assert_eq!(bad[0]["findings"][0]["code"], "cut");
    fs::remove_file(folder.path().join("saves/slot_07.keblin")).unwrap();
    assert_eq!(run(&args("")).out, "40 saves (1 of them in `aside`): 40 intact\n");
}

#[test]
fn a_seal_is_checked_with_the_games_key() {
    let sealed = "data/golden/format_1_sealed.keblin";
    let with = |key: &str| keblin(&["verify", "--schema", SCHEMA, "--key", key, sealed]);
    let ran = with("data/golden/seal.key");
    assert_eq!(ran.code, 0);
    assert!(ran.out.ends_with("every digest\n    matches, and the seal matches\n"), "{}", ran.out);
    let ran = with("data/golden/every_type.toml");
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("[seal_broken]"), "{}", ran.out);
}

#[test]
fn areas_are_salvaged_too_and_one_that_is_damaged_is_named() {
    let folder = crate::versions::demo();
    let [hurt, out] = ["hurt.keblin", "saved.keblin"].map(|name| folder.path().join(name));
    let save = "frozen/saves/v4_a_gate_in_motion.keblin";
    assert_eq!(keblin_in(folder.path(), &["migrate", "--write", save]).code, 0);
    let mut bytes = fs::read(folder.path().join(save)).unwrap();
    let file = keblin::save::read(&bytes).unwrap();
    let west = file.sections.iter().find(|section| section.name == "area.west").unwrap().body_offset;
    bytes[west] ^= 0xff;
    fs::write(&hurt, &bytes).unwrap();
    let [hurt, out] = [&hurt, &out].map(|path| path.to_str().unwrap());
    let ran = keblin(&["salvage", "--schema", "demo/progress.toml", hurt, "--to", out]);
    assert_eq!((ran.code, ran.err.as_str()), (1, ""));
    let told = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(told.contains("area.west: not taken, none is intact; as its level has it"), "{told}");
    assert!(told.contains("areas: 2 taken"), "{told}");
    assert_eq!(keblin(&["verify", "--schema", "demo/progress.toml", out]).code, 0);
}

#[test]
fn what_is_whole_is_salvaged_into_a_save_that_says_so_and_nothing_is_overwritten() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("saved.keblin");
    let out = out.to_str().unwrap();
    let salvage = |file: &str| keblin(&["salvage", "--schema", SCHEMA, file, "--to", out]);
    let ran = salvage("data/golden/format_1_every_type.keblin");
    assert_eq!((ran.code, ran.out.as_str()), (2, ""));
    assert!(ran.err.contains("save 1 in it is intact"), "{}", ran.err);
    let ran = salvage("data/broken/run_changed.keblin");
    assert_eq!((ran.code, ran.err.as_str()), (1, ""));
    assert!(ran.out.contains("profile: taken from byte 64\n"), "{}", ran.out);
    assert!(ran.out.contains("run: not taken, none is intact; default values\n"), "{}", ran.out);
    let shown = keblin(&["show", "--json", "--schema", SCHEMA, out]).json();
    assert_eq!((&shown["fields"]["coppers"], &shown["fields"]["reeds"]), (&555.into(), &0.into()));
    assert_eq!((&shown["save"]["edited"], &shown["save"]["cause"]), (&true.into(), &"salvage".into()));
    let held = fs::read(out).unwrap();
    let ran = salvage("data/broken/run_changed.keblin");
    assert_eq!(ran.code, 2);
    assert!(
        ran.err.split_whitespace().collect::<Vec<_>>().join(" ").contains("nothing was overwritten"),
        "{}",
        ran.err
    );
    assert_eq!(fs::read(out).unwrap(), held);
    fs::remove_file(Path::new(out)).unwrap();
    let json =
        keblin(&["salvage", "--json", "--schema", SCHEMA, "data/broken/state_changed.keblin", "--to", out]);
    assert_eq!((json.code, &json.json()["sections"][1]["whole"]), (0, &1.into()));
}

#[test]
fn saves_of_another_declaration_of_the_same_version_are_set_aside_when_asked() {
    let folder = tempfile::tempdir().unwrap();
    let at = |path: &str| folder.path().join(path);
    let declared = "game = 'pond'\nversion = 1\n[fields]\nfrogs = { type = 'int', scope = 'profile' }\n";
    fs::write(at("progress.toml"), declared).unwrap();
    assert_eq!(keblin_in(folder.path(), &["freeze"]).code, 0);
    fs::create_dir(at("saves")).unwrap();
    fs::rename(at("frozen/v1.keblin"), at("saves/otter.keblin")).unwrap();
    fs::remove_dir_all(at("frozen")).unwrap();
    fs::write(at("progress.toml"), declared.replace("int", "bool")).unwrap();
    let ran = keblin_in(folder.path(), &["verify", "saves"]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("[redeclared]") && ran.out.contains("expected frogs as bool"), "{}", ran.out);
    assert!(ran.out.contains("1 of another declaration"), "{}", ran.out);
    assert!(at("saves/otter.keblin").exists());
    let ran = keblin_in(folder.path(), &["verify", "saves", "--set-aside"]);
    assert!(ran.out.contains("otter.redeclared-1.keblin"), "{}", ran.out);
    assert_fits(&ran.out);
    assert!(at("saves/aside/otter.redeclared-1.keblin").exists() && !at("saves/otter.keblin").exists());
    // What was set aside stays where it is.
    let again = keblin_in(folder.path(), &["verify", "saves", "--set-aside"]);
    assert_eq!((again.code, again.err.as_str()), (1, ""));
    assert!(!again.out.contains("set aside as"), "{}", again.out);
}
