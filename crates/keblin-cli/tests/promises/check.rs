//! `check` and `survival`.

use std::collections::BTreeSet;

use crate::process::{assert_fits, keblin, keblin_in, project};

#[test]
fn a_sound_declaration_is_fine() {
    let ran = keblin(&["check", "--schema", "demo/progress.toml"]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""));
    assert_eq!(
        ran.out,
        "demo/progress.toml: fen_post, version 5\n  12 fields: 1 of level scope, 6 of run scope, 3 of profile scope, 2 of device\n    scope\n  \
         7 levels with 10 checkpoints, on 2 difficulties\n  3 kinds of objects in 2 areas\n  nothing found\n  \
         demo/frozen/v1.keblin opens from version 1: 61 carried, 8 changed, 8 filled, 2\n      dropped\n  \
         demo/frozen/v2.keblin opens from version 2: 49 carried, 7 changed, 7 filled, 2\n      dropped\n  \
         demo/frozen/v3.keblin opens from version 3: 52 carried\n  \
         demo/frozen/v4.keblin opens from version 4: 26 carried\n  \
         demo/frozen/v5.keblin opens unchanged, version 5\n  \
         demo/frozen/saves/v1_every_route_done.keblin opens from version 1: 59 carried,\n      8 changed, 7 filled, 2 dropped\n  \
         demo/frozen/saves/v1_four_routes_done.keblin opens from version 1: 38 carried,\n      1 changed, 10 filled, 1 dropped\n  \
         demo/frozen/saves/v2_at_the_stake.keblin opens from version 2: 35 carried, 7\n      filled, 2 dropped\n  \
         demo/frozen/saves/v3_one_route_at_spring.keblin opens from version 3: 22\n      carried\n  \
         demo/frozen/saves/v4_a_gate_in_motion.keblin opens from version 4: 12 carried\n  \
         demo/frozen/saves/v5_coppers_of_two_machines.keblin opens unchanged, version 5\n"
    );
    let json = keblin(&["check", "--json", "--schema", "demo/progress.toml"]).json();
    assert_eq!((&json["ok"], &json["game"], &json["version"]), (&true.into(), &"fen_post".into(), &5.into()));
    assert!(json["findings"].as_array().unwrap().is_empty());
}

#[test]
fn every_fault_is_printed_with_its_place_and_counted() {
    let ran = keblin(&["check", "--schema", "data/faulty/misspelt.toml"]);
    assert_eq!(ran.code, 1);
    assert_fits(&ran.out);
    assert!(
        ran.out.starts_with("data/faulty/misspelt.toml:3:1: error: a declaration does not take the key"),
        "{}",
        ran.out
    );
    assert!(ran.out.contains(
        "    3 | dificulties = [\"neap\", \"spring\"]\n      | ^^^^^^^^^^^\n      = write `difficulties`\n"
    ));
    assert!(ran.out.ends_with("10 errors; fix the errors first\n"), "{}", ran.out);
    let json = keblin(&["check", "--json", "--schema", "data/faulty/misspelt.toml"]).json();
    let findings = json["findings"].as_array().unwrap();
    assert_eq!((findings.len(), &json["ok"]), (10, &false.into()));
    let first = &findings[0];
    assert_eq!(first["code"], "unknown_key");
    assert_eq!(first["where"], "data/faulty/misspelt.toml:3:1");
    assert_eq!(first["instead"], "write `difficulties`");
}

#[test]
fn no_fault_of_any_kind_is_printed_too_wide() {
    let mut codes = BTreeSet::new();
    for entry in std::fs::read_dir(project("data/faulty")).unwrap() {
        let path = entry.unwrap().path();
        if path.extension().is_some_and(|ending| ending == "toml") {
            let name = format!("data/faulty/{}", path.file_name().unwrap().to_str().unwrap());
            let ran = keblin(&["check", "--schema", &name]);
            assert_eq!(ran.code, 1, "{name}");
            assert_fits(&ran.out);
            codes.insert(name);
        }
    }
    assert!(codes.len() >= 9);
}

#[test]
fn a_long_line_is_shown_around_its_carets() {
    let folder = tempfile::tempdir().unwrap();
    let list = (0..60).map(|n| format!("\"checkpoint_{n}\"")).collect::<Vec<_>>().join(", ");
    let text = format!(
        "game = \"wide\"\nversion = 1\n[[levels]]\nid = \"a\"\ncheckpoints = [{list}, \"Bad One\"]\n"
    );
    std::fs::write(folder.path().join("progress.toml"), text).unwrap();
    let ran = keblin_in(folder.path(), &["check"]);
    assert_eq!(ran.code, 1);
    assert_fits(&ran.out);
    assert!(ran.out.contains("\"Bad One\"]\n"), "{}", ran.out);
    assert!(ran.out.contains(" ^^^^^^^^^\n"), "{}", ran.out);
}

#[test]
fn the_survival_table_says_what_each_event_does_to_each_field() {
    let ran = keblin(&["survival", "--schema", "demo/progress.toml"]);
    assert_eq!(ran.code, 0);
    assert_fits(&ran.out);
    let words = |name: &str| {
        let line = ran.out.lines().find(|line| line.trim().starts_with(name)).unwrap();
        line.split_whitespace().collect::<Vec<_>>().join(" ")
    };
    assert_eq!(words("oil "), "oil checkpoint* entry stays default stays");
    assert_eq!(words("boats"), "boats loses 1* stays* stays default stays");
    assert_eq!(words("route_clock"), "route_clock stays* default* default default stays");
    assert_eq!(words("coppers"), "coppers stays stays stays stays stays");
    let json = keblin(&["survival", "--json", "--schema", "demo/progress.toml"]).json();
    let row = |name: &str| ran.out.lines().find(|line| line.trim().starts_with(name)).unwrap();
    assert_eq!(
        (row("lamp").split_whitespace().nth(1), row("gate").split_whitespace().nth(1)),
        (Some("checkpoint*"), Some("stays"))
    );
    let death = |kind: &str| json["kinds"][kind]["moments"]["death"].clone();
    assert_eq!(death("lamp"), serde_json::json!({ "fate": "checkpoint", "override": true }));
    assert_eq!(death("gate"), serde_json::json!({ "fate": "stays", "override": false }));
    let oil = &json["survival"]["oil"];
    assert_eq!((&oil["scope"], &oil["moments"]["death"]["fate"]), (&"run".into(), &"checkpoint".into()));
    assert_eq!(oil["moments"]["death"]["override"], true);
    assert_eq!(oil["moments"]["retry"]["override"], false);
    assert_eq!(oil["moments"].as_object().unwrap().len(), 12);
    assert_eq!(json["survival"]["boats"]["lives"], true);
}

#[test]
fn a_field_that_nothing_names_is_a_hint_where_there_are_rehearsals_to_name_it() {
    let folder = tempfile::tempdir().unwrap();
    let text = std::fs::read_to_string(project("demo/progress.toml")).unwrap();
    std::fs::write(folder.path().join("progress.toml"), text.replace("version = 5", "version = 1")).unwrap();
    assert!(keblin_in(folder.path(), &["check"]).out.ends_with("nothing found\n"), "nothing to name it in");
    std::fs::create_dir(folder.path().join("rehearsals")).unwrap();
    std::fs::write(folder.path().join("rehearsals/one.txt"), "expect coppers == 120\nexpect satchel == []\n")
        .unwrap();
    let ran = keblin_in(folder.path(), &["check", "--json"]);
    assert_eq!(ran.code, 0, "a hint stops no build");
    let json = ran.json();
    let messages: Vec<&str> = json["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["message"].as_str().unwrap())
        .collect();
    assert_eq!(
        messages,
        [
            "no rule, record or rehearsal names `run_clock`",
            "no rule, record or rehearsal names `menu_page`",
            "no rule, record or rehearsal names `horn_volume`",
        ]
    );
}

#[test]
fn a_setting_that_is_not_kept_is_marked_in_the_survival_table() {
    let ran = keblin(&["survival", "--schema", "demo/progress.toml"]);
    let row = ran.out.lines().find(|line| line.contains("menu_page")).unwrap();
    assert!(row.trim_end().ends_with("default*"), "{row}");
    let json = keblin(&["survival", "--json", "--schema", "demo/progress.toml"]).json();
    let page = &json["survival"]["menu_page"]["moments"];
    assert_eq!((&page["reopen"]["fate"], &page["reopen"]["override"]), (&"default".into(), &true.into()));
    let volume = &json["survival"]["horn_volume"]["moments"];
    assert_eq!((&volume["reopen"]["fate"], &volume["erase"]["fate"]), (&"stays".into(), &"stays".into()));
}

#[test]
fn what_is_different_from_an_earlier_declaration_is_told_by_what_it_means_for_saves() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    let before = std::fs::read_to_string(project("demo/progress.toml")).unwrap();
    let before = before.replace("version = 5", "version = 1");
    let now = before.replace("id = \"bittern\"", "").replace("\"bittern\"", "\"heron\"");
    put("before.toml", &before);
    put("progress.toml", &now.replace("default = 120", "default = 100"));
    let check =
        |args: &[&str]| keblin_in(folder.path(), &[&["check", "--before", "before.toml"], args].concat());
    let ran = check(&[]);
    assert_eq!((ran.code, ran.err.as_str()), (1, ""));
    assert_fits(&ran.out);
    let (_, since) = ran.out.split_once("\n\n").unwrap();
    assert_eq!(
        since,
        "since before.toml, version 1\n  shape: older saves no longer load without a step\n    \
         checkpoint bittern of lantern_quay was removed; perhaps it is now heron\n  \
         growth: older saves load, and new values get their defaults\n    \
         checkpoint heron of lantern_quay is new\n  rule: saves are not affected\n    \
         field coppers: default 120 -> 100\n  \
         the shape changed but the version did not: set `version = 2`\n"
    );
    let json = check(&["--json"]).json();
    assert_eq!((&json["ok"], json["differences"].as_array().unwrap().len()), (&false.into(), 3));
    assert_eq!(json["differences"][2]["class"], "rule");
    put("progress.toml", &now.replace("version = 1", "version = 2"));
    let ran = check(&[]);
    assert!(ran.out.ends_with("version 1 -> 2: older saves need a step, migrations/v2.toml\n"));
    let told =
        "progress.toml:5:1: warning: version 1 is not frozen: its saves would be refused\n    [missing_step]";
    assert!(ran.code == 1 && ran.out.starts_with(told), "{}", ran.out);
    put("progress.toml", &before);
    assert!(check(&[]).out.ends_with("since before.toml, version 1: no difference\n"));
    put("before.toml", "game = 3\n");
    let ran = check(&[]);
    assert_eq!(ran.code, 2);
    assert!(
        ran.err.starts_with("keblin: before.toml:1:") && ran.err.contains("it cannot be compared"),
        "{}",
        ran.err
    );
    assert!(keblin(&["check", "--json", "--schema", "demo/progress.toml"]).json()["differences"].is_null());
}
