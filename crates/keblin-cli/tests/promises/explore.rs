//! `explore`: planted faults are found, each with a rehearsal that fails for the same reason.

use std::fs;
use std::path::Path;

use serde_json::Value as Json;

use crate::process::{Ran, assert_fits, keblin, keblin_in, project};

/// Each planted fault, what it is called, and what it is about.
const LOST: [(&str, &str, &str); 15] = [
    ("a_best_that_only_a_lost_run_feeds", "best_waits", "best"),
    ("a_circle_through_stars", "never_reached", "mill"),
    ("a_difficulty_without_the_last_level", "not_on_difficulty", "mill"),
    ("a_key_that_is_not_saved", "lost_on_reload", "has_key"),
    ("a_latch_that_blocks_another", "dead_end", "unlocked.river_cloak"),
    ("a_life_that_a_retry_gives_back", "life_given_back", "boats"),
    ("a_moment_that_never_comes", "never_reported", "bare_hands"),
    ("a_purse_that_eats_coppers", "bound_takes", "coppers"),
    ("a_record_that_a_lost_run_misses", "best_missed", "most_letters"),
    ("a_rule_that_shuts_a_finished_level", "finished_shut", "mill"),
    ("a_shop_that_locks_the_last_level", "dead_end", "far_bank"),
    ("a_step_that_gives_too_much", "step_gives", "unlocked.ferry_pass"),
    ("a_token_that_outlives_its_run", "carried_over", "tokens"),
    ("two_copies_that_each_choose", "invariant_broken", "one_guild"),
    ("two_journals_that_lose_an_entry", "meeting_loses", "journal"),
];

fn declaration(name: &str) -> String {
    project(&format!("data/lost/{name}/progress.toml")).display().to_string()
}

fn json(ran: &Ran) -> Json {
    serde_json::from_str(&ran.out).unwrap()
}

#[test]
fn every_planted_fault_is_found_and_its_rehearsal_fails_for_the_same_reason() {
    let folders = fs::read_dir(project("data/lost")).unwrap().count();
    assert_eq!(folders, LOST.len(), "every folder of data/lost is in the list");
    for (name, code, about) in LOST {
        let to = tempfile::tempdir().unwrap();
        let scripts = to.path().join("found");
        let schema = declaration(name);
        let args =
            ["explore", "--versions", "--schema", &schema, "--to", scripts.to_str().unwrap(), "--json"];
        let ran = keblin(&args);
        assert_eq!((ran.code, ran.err.as_str()), (1, ""), "{name}: {}", ran.out);
        let found = json(&ran);
        assert_eq!(found["exhausted"], true, "{name}");
        let breaches = found["breaches"].as_array().unwrap();
        let breach = breaches.iter().find(|breach| breach["code"] == code && breach["what"] == about);
        let breach = breach.unwrap_or_else(|| panic!("{name}: {breaches:?}"));
        // The circle shuts out the mill and the cup.
        assert!(breaches.iter().all(|other| other["code"] == code), "{name} has one fault: {breaches:?}");
        let steps = breach["script"].as_array().unwrap();
        assert!(steps.len() <= 12, "{name}: {steps:?}");
        let file = scripts.join(format!("{code}_{about}.txt"));
        let rehearsed = keblin(&["rehearse", "--schema", &schema, file.to_str().unwrap(), "--json"]);
        assert_eq!(rehearsed.code, 1, "{name}: {}", rehearsed.out);
        // The same again changes nothing.
        assert_eq!(keblin(&args).code, 1, "{name}");
        let failure = json(&rehearsed)["failure"].clone();
        let text = fs::read_to_string(&file).unwrap();
        assert_eq!(failure["line"].as_u64(), Some(text.lines().count() as u64), "{name}: {failure}");
    }
}

/// How a rehearsal fails: at its last line or before, and with what; without what came before.
fn failure(schema: &str, lines: &[String]) -> Json {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("found.txt");
    fs::write(&file, lines.join("\n")).unwrap();
    let ran = keblin(&["rehearse", "--schema", schema, file.to_str().unwrap(), "--json"]);
    let mut failure = json(&ran).get("failure").cloned().unwrap_or_default();
    if let Some(failure) = failure.as_object_mut() {
        let line = failure.remove("line").and_then(|line| line.as_u64());
        failure.insert("is_last".to_string(), (line == Some(lines.len() as u64)).into());
        failure.remove("cause");
    }
    failure
}

#[test]
fn no_step_of_a_found_rehearsal_can_be_left_out() {
    let mut tried = 0;
    // That something can never be reached, or that a run is over, is more than a rehearsal can say; one with other
    // builds or another machine is not made shorter.
    let beyond = [
        "carried_over",
        "best_missed",
        "best_waits",
        "dead_end",
        "never_reached",
        "never_reported",
        "step_gives",
        "meeting_loses",
    ];
    let said = |code: &str| !beyond.contains(&code);
    for (name, code, about) in LOST.into_iter().filter(|(_, code, _)| said(code)) {
        let schema = declaration(name);
        let ran = keblin(&["explore", "--schema", &schema, "--json"]);
        let breaches = json(&ran)["breaches"].as_array().unwrap().clone();
        let breach = breaches.into_iter().find(|one| one["code"] == code && one["what"] == about).unwrap();
        let lines: Vec<String> = breach["script"]
            .as_array()
            .unwrap()
            .iter()
            .map(|line| line.as_str().unwrap().to_string())
            .collect();
        let fails = failure(&schema, &lines);
        assert!(fails.is_object(), "{name}");
        for left_out in (0..lines.len() - 1).filter(|index| !lines[*index].starts_with("expect")) {
            let mut fewer = lines.clone();
            fewer.remove(left_out);
            assert_ne!(failure(&schema, &fewer), fails, "{name}: `{}` could be left out", lines[left_out]);
            tried += 1;
        }
    }
    assert!(tried > 12, "{tried}");
}

#[test]
fn nothing_is_found_in_the_demo() {
    let ran = keblin(&[
        "explore",
        "--schema",
        &project("demo/progress.toml").display().to_string(),
        "--states",
        "3000",
    ]);
    assert_eq!((ran.code, ran.err.as_str()), (0, ""), "{}", ran.out);
    assert_fits(&ran.out);
    assert!(ran.out.contains("nothing found") && ran.out.contains("all states"), "{}", ran.out);
    assert!(ran.out.contains("not told apart, because nothing reads them"), "{}", ran.out);
}

/// A folder with a planted fault, which a test may change.
fn copy_of(name: &str) -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    for file in ["progress.toml", "moves.txt"] {
        let from = project(&format!("data/lost/{name}")).join(file);
        if from.is_file() {
            fs::copy(from, folder.path().join(file)).unwrap();
        }
    }
    folder
}

fn change(folder: &Path, file: &str, from: &str, to: &str) {
    let path = folder.join(file);
    let text = fs::read_to_string(&path).unwrap();
    assert!(text.contains(from), "{text}");
    fs::write(path, text.replacen(from, to, 1)).unwrap();
}

#[test]
fn a_fault_that_is_mended_is_not_found_any_more() {
    for (name, file, from, to) in [
        ("a_best_that_only_a_lost_run_feeds", "progress.toml", "\"run_end\"", "\"finish\", \"run_end\""),
        ("a_circle_through_stars", "progress.toml", "levels.mill.stars", "levels.weir.stars"),
        ("a_difficulty_without_the_last_level", "progress.toml", " && difficulty == 'calm'", ""),
        ("a_key_that_is_not_saved", "progress.toml", "durable = false\n", ""),
        ("a_latch_that_blocks_another", "progress.toml", " && !unlocked.reed_cloak", ""),
        ("a_life_that_a_retry_gives_back", "moves.txt", "; set boats 3", ""),
        ("a_moment_that_never_comes", "progress.toml", "!unlocked.net", "unlocked.net"),
        ("a_purse_that_eats_coppers", "moves.txt", "purse == 100;", "purse == 100 && coppers <= 50;"),
        (
            "a_record_that_a_lost_run_misses",
            "progress.toml",
            "at = [\"finish\"]",
            "at = [\"finish\", \"run_end\"]",
        ),
        (
            "a_rule_that_shuts_a_finished_level",
            "progress.toml",
            "coppers >= 20\"",
            "coppers >= 20\"\nlatch = true",
        ),
        (
            "a_shop_that_locks_the_last_level",
            "moves.txt",
            "\n",
            "\nearn: needs coppers < 60; add coppers 20\n",
        ),
        ("a_token_that_outlives_its_run", "progress.toml", "on_new_run = \"stays\"\n", ""),
        (
            "two_journals_that_lose_an_entry",
            "progress.toml",
            "type = \"set\"",
            "type = \"set\"\nkeep = \"union\"",
        ),
    ] {
        let folder = copy_of(name);
        change(folder.path(), file, from, to);
        let ran = keblin_in(folder.path(), &["explore", "--states", "20000"]);
        assert_eq!(ran.code, 0, "{name}: {}{}", ran.out, ran.err);
    }
}

#[test]
fn what_is_accepted_with_a_reason_is_not_reported_again() {
    let folder = copy_of("a_rule_that_shuts_a_finished_level");
    let accept = |text: &str| {
        fs::write(folder.path().join("accepted.txt"), text).unwrap();
        keblin_in(folder.path(), &["explore", "--accept", "accepted.txt"])
    };
    let ran = accept("# known\nfinished_shut mill: the toll is meant\ndead_end weir: an old one\n");
    assert_eq!(ran.code, 0, "{}", ran.out);
    assert!(ran.out.contains("nothing found, 1 accepted"), "{}", ran.out);
    assert!(ran.out.contains("accepted, but not found any more: dead_end weir"), "{}", ran.out);
    for text in ["finished_shut mill\n", "finished_shut mill:  \n", "\nmill: a reason\n"] {
        let ran = accept(text);
        assert_eq!(ran.code, 2, "{}", ran.out);
        assert!(ran.err.contains("expected `CODE WHAT: REASON`"), "{}", ran.err);
    }
}

#[test]
fn a_mistake_in_what_a_player_can_do_has_its_place() {
    for (text, place, expected) in [
        ("earn add coppers 20\n", "moves.txt:1:1", "expected the name of a move, and `:`"),
        ("earn: add copper 20\n", "moves.txt:1:11", "did you mean `coppers`?"),
        ("\nearn: needs coppers > ; add coppers 20\n", "moves.txt:2:", "expected"),
        ("earn: needs coppers < 40\n", "moves.txt:1:1", "does not change anything"),
        ("earn: quit\n", "moves.txt:1:7", "a player cannot do this"),
        ("earn: add coppers 20;; spend coppers 1\n", "moves.txt:1:22", "between two `;`"),
        ("earn: add coppers 20\nearn: add coppers 30\n", "moves.txt:2:1", "is the name of another move"),
    ] {
        let folder = copy_of("a_rule_that_shuts_a_finished_level");
        fs::write(folder.path().join("moves.txt"), text).unwrap();
        let ran = keblin_in(folder.path(), &["explore"]);
        assert_eq!(ran.code, 1, "{text}: {}{}", ran.out, ran.err);
        assert!(ran.out.contains(place), "{place} is not in\n{}", ran.out);
        let flat: String = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(expected), "{expected} is not in\n{}", ran.out);
        let ran = keblin_in(folder.path(), &["explore", "--json"]);
        assert_eq!(json(&ran)["ok"], false);
    }
}

#[test]
fn it_starts_from_the_end_of_a_rehearsal() {
    let folder = copy_of("a_rule_that_shuts_a_finished_level");
    let from = |text: &str| {
        fs::write(folder.path().join("start.txt"), text).unwrap();
        keblin_in(folder.path(), &["explore", "--from", "start.txt", "--json"])
    };
    let ran = from("begin\nadd coppers 20\nenter mill\nfinish\n");
    let found = json(&ran);
    let script = found["breaches"][0]["script"].as_array().unwrap();
    assert_eq!(script.len(), 8, "{script:?}");
    assert_eq!((script[0].as_str(), script[3].as_str()), (Some("begin"), Some("finish")));
    for (text, expected) in [("begin\nquit\n", "ends with the game closed"), ("finish\n", "line 1 fails")] {
        let ran = from(text);
        assert_eq!(ran.code, 2, "{}", ran.out);
        assert!(ran.err.split_whitespace().collect::<Vec<_>>().join(" ").contains(expected), "{}", ran.err);
    }
    let ran = from("begin mill\n");
    assert_eq!((ran.code, json(&ran)["ok"].as_bool()), (1, Some(false)), "{}", ran.err);
}

#[test]
fn it_starts_from_a_save() {
    let folder = tempfile::tempdir().unwrap();
    for file in ["progress.toml", "moves.txt"] {
        fs::copy(project("demo").join(file), folder.path().join(file)).unwrap();
    }
    change(
        folder.path(),
        "moves.txt",
        "# What",
        "swap the lamp back: needs oil_cap == 90; set oil_cap 60\n# What",
    );
    let save = project("demo/frozen/saves/v5_coppers_of_two_machines.keblin");
    fs::copy(save, folder.path().join("slot.keblin")).unwrap();
    let args = ["explore", "--from", "slot.keblin", "--to", "deep/found", "--states", "4000", "--json"];
    let found = json(&keblin_in(folder.path(), &args));
    let script = found["breaches"][0]["script"].as_array().unwrap();
    assert_eq!((script[1].as_str(), script[2].as_str()), (Some("given slot.keblin"), Some("launch")));
    // The save is found from the folder of the rehearsal too.
    let ran = keblin_in(folder.path(), &["rehearse", "deep/found"]);
    assert_eq!(ran.code, 1, "{}", ran.err);
    assert!(
        ran.out.contains("expected 80, but found 60") || ran.out.contains("actual   oil: 60"),
        "{}",
        ran.out
    );
    let missing = keblin_in(folder.path(), &["explore", "--from", "missing.keblin"]);
    assert_ne!(missing.code, 0);
}

#[test]
fn the_survival_table_is_tried_cell_by_cell() {
    let schema = project("demo/progress.toml").display().to_string();
    let ran = keblin(&["survival", "--proof", "--schema", &schema]);
    assert_eq!(ran.code, 0, "{}", ran.out);
    assert_fits(&ran.out);
    assert!(ran.out.contains("152 of 152 cells are as the table says"), "{}", ran.out);
    let ran = keblin(&["survival", "--proof", "--json", "--schema", &schema]);
    let proof = json(&ran)["proof"].as_array().unwrap().clone();
    assert!(proof.iter().all(|cell| cell["result"] != "differs"));
    let of = |field: &str, moment: &str| {
        proof.iter().find(|cell| cell["field"] == field && cell["moment"] == moment).unwrap().clone()
    };
    assert_eq!(of("oil", "death")["result"], "holds");
    assert_eq!(of("lamp", "death")["fate"], "checkpoint");
    assert_eq!(of("oil", "death_elsewhere")["why"], "checkpoints last as long as a level");
}
