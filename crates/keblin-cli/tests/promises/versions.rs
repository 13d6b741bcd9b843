//! `freeze`, `migrate`, and what `check` reports about versions.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;

use serde_json::Value as Json;

use crate::process::{assert_fits, keblin, keblin_in, project};

const BEFORE: &str =
    "game = \"reeds\"\nversion = 1\n\n[fields.oil]\ntype = \"int\"\nscope = \"profile\"\ndefault = 7\n";

/// A copy of the demo's declaration and everything next to it, to be changed.
pub(crate) fn demo() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    for file in files_below(&project("demo")) {
        let to = folder.path().join(file.strip_prefix(project("demo")).unwrap());
        fs::create_dir_all(to.parent().unwrap()).unwrap();
        fs::copy(&file, to).unwrap();
    }
    folder
}

fn files_below(folder: &Path) -> Vec<PathBuf> {
    let mut files = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() { files.extend(files_below(&path)) } else { files.push(path) }
    }
    files.sort();
    files
}

fn edit(path: &Path, from: &str, to: &str) {
    let text = fs::read_to_string(path).unwrap();
    assert!(text.contains(from), "{from}");
    fs::write(path, text.replacen(from, to, 1)).unwrap();
}

#[test]
fn saves_of_every_version_show_what_is_kept_beside_them() {
    let saves = files_below(&project("demo/frozen/saves"));
    let saves: Vec<_> = saves.iter().filter(|path| path.extension().unwrap() == "keblin").collect();
    assert!(saves.len() >= 4);
    for save in saves {
        let ran = keblin(&["show", "--json", "--schema", "demo/progress.toml", save.to_str().unwrap()]);
        assert_eq!((ran.code, ran.err.as_str()), (0, ""));
        let expected = fs::read_to_string(save.with_extension("json")).unwrap();
        assert!(ran.out == expected, "{save:?} shows\n{}", ran.out);
        assert_eq!(keblin(&["verify", "--schema", "demo/progress.toml", save.to_str().unwrap()]).code, 0);
    }
}

#[test]
fn a_version_is_frozen_grows_and_may_not_change_its_shape() {
    let folder = tempfile::tempdir().unwrap();
    let at = |path: &str| folder.path().join(path);
    fs::write(at("progress.toml"), BEFORE).unwrap();
    let run = |args: &[&str]| keblin_in(folder.path(), args);
    let ran = run(&["freeze"]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert_fits(&ran.out);
    assert!(ran.out.starts_with("frozen/v1.toml: written\nfrozen/v1.keblin: written\n"), "{}", ran.out);
    let frozen = fs::read_to_string(at("frozen/v1.toml")).unwrap();
    assert!(frozen.starts_with("# What version 1 of reeds declared"), "{frozen}");
    let json = run(&["freeze", "--json"]).json();
    assert_eq!((&json["version"], &json["files"][1]["done"]), (&1.into(), &"as_it_was".into()));
    // It grows: a hint, until it is frozen again, and the previous one is kept.
    edit(
        &at("progress.toml"),
        "default = 7\n",
        "default = 7\n[fields.fish]\ntype = \"int\"\nscope = \"profile\"\n",
    );
    let ran = run(&["check"]);
    assert_eq!(ran.code, 0);
    assert!(ran.out.contains("hint: version 1 has grown since it was frozen"), "{}", ran.out);
    let ran = run(&["freeze"]);
    assert!(ran.out.contains("written anew; the previous one is now"), "{}", ran.out);
    assert_eq!(fs::read_to_string(at("frozen/aside/v1.before-1.toml")).unwrap(), frozen);
    assert!(!run(&["check"]).out.contains("has grown"));
    // Its shape changes: reported, with text to paste, and `freeze` refuses.
    edit(&at("progress.toml"), "[fields.oil]", "[fields.oils]");
    let ran = run(&["check"]);
    assert_eq!(ran.code, 1);
    assert_fits(&ran.out);
    for told in [
        "progress.toml:2:1: error: the shape of version 1 changed after it was frozen",
        "set `version = 2` and create migrations/v2.toml",
        "        [fields.oils]\n        from = \"oil\"\n",
        "migrations/v2.toml: error: field oil of version 1 was removed",
    ] {
        assert!(ran.out.contains(told), "{told}\n{}", ran.out);
    }
    let ran = run(&["freeze"]);
    assert_eq!(ran.code, 2);
    assert!(
        ran.err.contains("it has errors, and only a version without errors can be\nfrozen"),
        "{}",
        ran.err
    );
    edit(&at("progress.toml"), "version = 1", "version = 2");
    fs::create_dir(at("migrations")).unwrap();
    fs::write(at("migrations/v2.toml"), "[fields.oils]\nfrom = \"oil\"\n").unwrap();
    let ran = run(&["check"]);
    assert_eq!(ran.code, 0, "{}", ran.out);
    assert!(ran.out.contains("  frozen/v1.keblin opens from version 1: 2 carried\n"), "{}", ran.out);
    // A lost sample is made again from the frozen text.
    fs::remove_file(at("frozen/v1.keblin")).unwrap();
    assert!(run(&["check"]).out.contains("the sample is missing; `keblin freeze` makes it"));
    assert!(run(&["freeze"]).out.starts_with("frozen/v1.keblin: written\nfrozen/v2.toml: written\n"));
    assert_eq!(run(&["check"]).code, 0);
    // Its shape changes again: the step that players already have is not part of the advice.
    edit(&at("progress.toml"), "[fields.oils]", "[fields.lamp_oil]");
    let ran = run(&["check"]);
    assert!(ran.out.contains("        [fields.lamp_oil]\n        from = \"oils\"\n"), "{}", ran.out);
    assert!(!ran.out.contains("migrations/v2.toml"), "{}", ran.out);
    assert!(ran.out.contains("  2 errors\n"), "{}", ran.out);
}

/// Every step, every table of one, every frozen version: whatever is removed or changed, `check` names it.
#[test]
fn whatever_is_taken_away_or_changed_check_names_it() {
    assert_eq!(keblin(&["check", "--schema", "demo/progress.toml"]).code, 0);
    let mut tried = 0;
    let mut told_of = |change: &dyn Fn(&Path), named: &str| {
        let folder = demo();
        change(folder.path());
        let ran = keblin_in(folder.path(), &["check"]);
        assert_eq!(ran.code, 1, "{named} was not missed:\n{}", ran.out);
        let said = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(said.contains(named), "{named} is not named:\n{}", ran.out);
        assert_fits(&ran.out);
        let json = keblin_in(folder.path(), &["check", "--json"]).json();
        assert_eq!(json["ok"], false);
        tried += 1;
    };
    for file in
        ["migrations/v2.toml", "migrations/v3.toml", "frozen/v1.toml", "frozen/v2.toml", "frozen/v1.keblin"]
    {
        told_of(&|demo| fs::remove_file(demo.join(file)).unwrap(), file);
    }
    // Every table of a step, and everything that is dropped.
    for file in ["migrations/v2.toml", "migrations/v3.toml"] {
        let text = fs::read_to_string(project("demo").join(file)).unwrap();
        let tables = text.split("\n\n").filter(|table| table.starts_with('['));
        // Computed values leave no trace in the declarations.
        for table in tables.filter(|table| !table.starts_with("[unlocks")) {
            let name = table.split(['[', ']']).nth(1).unwrap().rsplit('.').next().unwrap();
            let named = match name {
                "facts" => "level_facts_per",
                "best_crossing" => "crossing",
                "fog_lamp" => "lamp",
                "letters" => "parcels",
                "reedgate" => "reed_gate",
                same => same,
            };
            told_of(&|demo| edit(&demo.join(file), table, ""), named);
        }
        for line in text.lines().filter(|line| line.starts_with("drop = ")) {
            for dropped in line.split('"').filter(|part| part.contains('.')) {
                let named = dropped.rsplit('.').next().unwrap();
                told_of(&|demo| edit(&demo.join(file), &format!("\"{dropped}\""), "\"nothing\""), named);
            }
        }
    }
    // Every key of a frozen version that affects its shape.
    for (file, from, to, named) in [
        ("v1", "max = 99", "max = 98", "field oil: max 99 -> 98"),
        ("v1", "[fields.parcels]", "[fields.packets]", "parcels"),
        (
            "v1",
            "scope = \"profile\"\nmin = 0\nmax = 7",
            "scope = \"run\"\nmin = 0\nmax = 7",
            "field routes_done: scope profile -> run",
        ),
        ("v1", "keep = \"lowest\"", "keep = \"highest\"", "field crossing: keep lowest -> highest"),
        ("v1", "\"iron_pole\"]", "\"iron_hook\"]", "iron_pole"),
        ("v2", "type = \"float\"", "type = \"int\"", "crossing"),
        ("v2", "\"stake\", ", "", "stake"),
        ("v2", "per = [\"level\"]\n", "", "crossing"),
        ("v2", "id = \"reedgate\"", "id = \"reedgates\"", "reedgate"),
        ("v2", "max_items = 2", "max_items = 1", "field tools: max_items 2 -> 1"),
        ("v3", "max = \"oil_cap\"", "max = 70", "field oil: max oil_cap -> 70"),
        ("v3", "\"neap\", ", "", "difficulties"),
    ] {
        told_of(&|demo| edit(&demo.join(format!("frozen/{file}.toml")), from, to), named);
    }
    // A real save that no longer opens.
    told_of(
        &|demo| fs::write(demo.join("frozen/saves/cut.keblin"), b"\xd9\xd9\xf7").unwrap(),
        "frozen/saves/cut.keblin",
    );
    assert!(tried >= 29, "{tried}");
}

#[test]
fn migrate_says_what_would_become_of_each_value_and_writes_only_when_told() {
    let folder = demo();
    let run = |args: &[&str]| keblin_in(folder.path(), &[&["migrate"], args].concat());
    let save = "frozen/saves/v1_four_routes_done.keblin";
    let before = fs::read(folder.path().join(save)).unwrap();
    let ran = run(&[save]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert_fits(&ran.out);
    for told in [
        ": version 1 -> 5: 38 carried, 1 changed,\n    10 filled, 1 dropped\n  to version 2\n",
        "letters (was parcels), oil, coppers, routes_done, crossing, tools\n    filled: boats 4\n  to version 3\n",
        "    best_crossing.long_mere.neap: changed 92.4 -> 1m32.4s, was\n      crossing.long_mere\n    routes_done: dropped 4\n",
        "    filled: levels.reedgate.neap.finished true,",
        "Nothing was written; `--write` does it",
    ] {
        assert!(ran.out.contains(told), "{told}\n{}", ran.out);
    }
    assert_eq!(fs::read(folder.path().join(save)).unwrap(), before);
    let json = run(&["--json", save]).json();
    assert_eq!((&json["from"], &json["to"], &json["written"]), (&1.into(), &5.into(), &false.into()));
    let crossing =
        json["account"].as_array().unwrap().iter().find(|entry| entry["fate"] == "changed").unwrap();
    assert_eq!((&crossing["before"], &crossing["now"]), (&92.4.into(), &"1m32.4s".into()));
    let ran = run(&["--write", save]);
    assert_eq!(ran.code, 0);
    let aside = "frozen/saves/aside/v1_four_routes_done.version_1-1.keblin";
    assert!(ran.out.contains(aside), "{}", ran.out);
    assert_eq!(fs::read(folder.path().join(aside)).unwrap(), before);
    let shown = keblin_in(folder.path(), &["show", "--json", save]).json();
    let expected = fs::read_to_string(folder.path().join(save).with_extension("json")).unwrap();
    let expected: Json = serde_json::from_str(&expected).unwrap();
    assert_eq!((&shown["fields"], &shown["levels"]), (&expected["fields"], &expected["levels"]));
    assert_eq!((&shown["save"]["number"], &shown["save"]["cause"]), (&10.into(), &"migrate".into()));
    let again = run(&["--write", save]);
    assert!(
        again.code == 0 && again.out.ends_with("v1_four_routes_done.keblin: as it is: version 5\n"),
        "{}",
        again.out
    );
}

/// A folder of saves of every version, cut off half-way: the second run does the rest and nothing else.
#[test]
fn a_folder_is_brought_to_this_version_and_goes_on_where_it_was_cut_off() {
    let folder = demo();
    let saves = folder.path().join("players");
    fs::create_dir(&saves).unwrap();
    let of = |name: &str| fs::read(folder.path().join(format!("frozen/saves/{name}.keblin"))).unwrap();
    for number in 0..30 {
        let name = ["v1_four_routes_done", "v2_at_the_stake", "v5_coppers_of_two_machines"][number % 3];
        fs::write(saves.join(format!("player_{number:02}.keblin")), of(name)).unwrap();
    }
    fs::write(saves.join("torn.keblin"), &of("v2_at_the_stake")[..300]).unwrap();
    let verified = keblin_in(folder.path(), &["verify", "players"]).out;
    assert!(verified.contains("\n31 saves: 30 intact (20 of an earlier version), 1 damaged\n"), "{verified}");
    assert_eq!(verified.matches("players/").count(), 1, "only the torn one is worth a line");
    let run = |args: &[&str]| keblin_in(folder.path(), &[&["migrate"], args].concat());
    let first: Vec<String> = (0..15).map(|number| format!("players/player_{number:02}.keblin")).collect();
    let first: Vec<&str> = ["--write"].into_iter().chain(first.iter().map(String::as_str)).collect();
    assert!(run(&first).out.contains(
        "version 5: 10 written, 5 already of this version\nThe earlier saves are in folders `aside`"
    ));
    let ran = run(&["players"]);
    assert_eq!(ran.code, 1, "one is torn");
    assert!(ran.out.contains("players/torn.keblin: left untouched: "), "{}", ran.out);
    assert!(
        ran.out.contains("version 5: 10 would be migrated, 20 already of this version, 1 left untouched\n"),
        "{}",
        ran.out
    );
    let lines = run(&["--json", "--write", "players"]).out;
    let lines: Vec<Json> = lines.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(lines.len(), 31);
    assert_eq!(lines.iter().filter(|line| line["written"] == true).count(), 10);
    assert_eq!(lines[30]["findings"][0]["severity"], "error");
    assert!(
        run(&["--write", "players"])
            .out
            .ends_with("version 5: 30 already of this version, 1 left untouched\n")
    );
    assert_eq!(files_below(&saves.join("aside")).len(), 20, "each original once");
    assert_eq!(fs::read(saves.join("torn.keblin")).unwrap().len(), 300);
    // A file that cannot be written is reported, and the others are written.
    fs::write(saves.join("b_file.keblin"), of("v1_four_routes_done")).unwrap();
    fs::write(folder.path().join("elsewhere"), of("v1_four_routes_done")).unwrap();
    std::os::unix::fs::symlink(folder.path().join("elsewhere"), saves.join("a_file.keblin")).unwrap();
    let ran = run(&["--write", "players"]);
    assert_eq!(ran.code, 2);
    assert!(
        ran.err.starts_with("keblin: players/a_file.keblin: this is a link") && ran.err.lines().count() == 2,
        "{}",
        ran.err
    );
    assert!(
        ran.out.contains("version 5: 1 written, 30 already of this version, 1 left untouched\n"),
        "{}",
        ran.out
    );
    assert_eq!(fs::read(saves.join("a_file.keblin")).unwrap(), of("v1_four_routes_done"));
    fs::remove_file(saves.join("a_file.keblin")).unwrap();
    fs::rename(folder.path().join("elsewhere"), saves.join("a_file.keblin")).unwrap();
    assert!(run(&["--write", "players"]).out.contains("version 5: 1 written, 31 already of this version"));
    assert_eq!(files_below(&saves.join("aside")).len(), 22, "still each original once");
    fs::remove_dir_all(saves.join("aside")).unwrap();
    assert_eq!(keblin_in(folder.path(), &["verify", "players", "players/none.keblin"]).code, 2);
}

#[test]
fn a_seal_needs_its_key_to_be_written_anew() {
    let folder = tempfile::tempdir().unwrap();
    let golden = |name: &str| project(&format!("data/golden/{name}"));
    let declared = fs::read_to_string(golden("every_type.toml")).unwrap();
    let version = declared.lines().find(|line| line.starts_with("version")).unwrap();
    let put = |path: &str, text: &str| {
        let path = folder.path().join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    };
    let number: u32 = version.split('=').nth(1).unwrap().trim().parse().unwrap();
    put(&format!("frozen/v{number}.toml"), &declared);
    put("progress.toml", &declared.replace(version, &format!("version = {}", number + 1)));
    fs::copy(golden("format_1_sealed.keblin"), folder.path().join("sealed.keblin")).unwrap();
    let run =
        |args: &[&str]| keblin_in(folder.path(), &[&["migrate", "--write", "sealed.keblin"], args].concat());
    let ran = run(&[]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("left untouched: it is sealed") && ran.out.contains("--key"), "{}", ran.out);
    let key = golden("seal.key");
    let ran = run(&["--key", key.to_str().unwrap()]);
    assert_eq!(ran.code, 0, "{}", ran.out);
    let verified = keblin_in(folder.path(), &["verify", "--key", key.to_str().unwrap(), "sealed.keblin"]);
    assert!(verified.out.contains("and the seal"), "{}", verified.out);
}

/// The tool reports what it cannot try, and continues; settings, which samples do not have, are tried too.
#[test]
fn check_tries_settings_and_says_what_only_the_game_can_try() {
    let folder = tempfile::tempdir().unwrap();
    let put = |path: &str, text: &str| {
        let path = folder.path().join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    };
    let run = |args: &[&str]| keblin_in(folder.path(), args);
    let horn = |most: u8| {
        format!("[fields.horn]\ntype = \"int\"\nscope = \"device\"\nmin = 0\nmax = {most}\ndefault = 0\n")
    };
    put("progress.toml", &format!("{BEFORE}\n{}", horn(10)));
    assert_eq!(run(&["freeze"]).code, 0);
    let now = BEFORE.replace("version = 1", "version = 2");
    let rank = "[fields.rank]\ntype = \"text\"\nmax_len = 9\nscope = \"profile\"\n";
    put("progress.toml", &format!("{now}\n{}\n{rank}", horn(1)));
    let of_code = "[fields.rank]\nby = \"code\"\n";
    put("migrations/v2.toml", &format!("[fields.horn]\nmax = 1\nmisfit = \"nearest\"\n\n{of_code}"));
    let ran = run(&["check"]);
    assert_eq!(ran.code, 0, "{}", ran.out);
    assert_fits(&ran.out);
    let told = "  frozen/v1.keblin not tried: in the step to version 2, rank needs the game's\n      own code: open the save in the game\n";
    assert!(ran.out.contains(told), "{}", ran.out);
    let sample = &run(&["check", "--json"]).json()["samples"][0];
    assert_eq!((&sample["ok"], sample["left_to_game"].is_string()), (&true.into(), true));
    let migrated = run(&["migrate", "frozen/v1.keblin"]);
    assert!(migrated.code == 1 && migrated.out.contains("[needs_game]"), "{}", migrated.out);
    put("migrations/v2.toml", &format!("[fields.horn]\nmax = 1\nmisfit = \"refuse\"\n\n{of_code}"));
    let ran = run(&["check"]);
    assert_eq!(ran.code, 1);
    assert!(ran.out.contains("error: settings of the device would get their defaults:"), "{}", ran.out);
}

/// Killed at any moment, and started again until it is done: no save is lost or damaged, and every original is kept.
#[test]
fn a_migration_that_is_killed_again_and_again_comes_to_its_end() {
    const SAVES: usize = 240;
    let folder = demo();
    let players = folder.path().join("players");
    fs::create_dir(&players).unwrap();
    let of = |name: &str| fs::read(folder.path().join(format!("frozen/saves/{name}.keblin"))).unwrap();
    let before = [of("v1_four_routes_done"), of("v2_at_the_stake")];
    for number in 0..SAVES {
        fs::write(players.join(format!("p{number:03}.keblin")), &before[number % 2]).unwrap();
    }
    let brought = || {
        let json = keblin_in(folder.path(), &["migrate", "--json", "players"]).out;
        json.lines().filter(|line| line.contains("\"from\":5")).count()
    };
    let (mut kills, mut last, mut is_over) = (0, 0, false);
    // Until one run completes: it removes what the earlier ones have left.
    while !is_over {
        let mut child = Command::new(env!("CARGO_BIN_EXE_keblin"))
            .current_dir(folder.path())
            .args(["migrate", "--write", "players"])
            .stdout(Stdio::null())
            .spawn()
            .unwrap();
        // Longer each time, so that it completes on any machine.
        std::thread::sleep(Duration::from_millis(5 + 7 * (kills % 9) + 3 * kills));
        is_over = child.try_wait().unwrap().is_some();
        child.kill().unwrap();
        child.wait().unwrap();
        let now = brought();
        assert!(now >= last && (!is_over || now == SAVES), "{now} after {last}");
        (kills, last) = (kills + u64::from(!is_over), now);
    }
    println!("{kills} kills");
    assert!(kills >= 1, "it was done before it was killed");
    let verified = keblin_in(folder.path(), &["verify", "players"]);
    let kept = files_below(&players.join("aside"));
    assert!(verified.code == 0 && kept.len() >= SAVES, "{}", verified.out);
    let other = kept.iter().filter(|kept| !before.contains(&fs::read(kept).unwrap()));
    assert_eq!(other.collect::<Vec<_>>(), Vec::<&PathBuf>::new(), "each as it was");
    let names: std::collections::BTreeSet<_> =
        kept.iter().map(|kept| kept.file_name().unwrap().to_string_lossy()[..4].to_string()).collect();
    assert_eq!(names.len(), SAVES, "of every one");
    assert_eq!(fs::read_dir(&players).unwrap().count(), SAVES + 1, "and nothing half-way is left");
}
