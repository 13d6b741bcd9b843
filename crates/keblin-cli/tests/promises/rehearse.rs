//! `rehearse`.

use std::fs;

use crate::process::{assert_fits, keblin, keblin_in, project};

#[test]
fn every_rehearsal_of_the_demo_holds() {
    let files = ["arrival_and_mooring", "best_crossing", "new_game_beside_a_saved_run"]
        .map(|name| format!("demo/rehearsals/{name}.txt"));
    let mut args = vec!["rehearse", "--schema", "demo/progress.toml"];
    args.extend(files.iter().map(String::as_str));
    let ran = keblin(&args);
    assert_eq!((ran.code, ran.out.lines().count()), (0, 3), "{}", ran.out);
    assert_fits(&ran.out);
    args.push("--json");
    let lines: Vec<serde_json::Value> =
        keblin(&args).out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(lines.len(), 3);
    assert!(lines.iter().all(|line| line["ok"] == true && line["failure"].is_null()));
}

#[test]
fn folders_of_rehearsals_are_run_and_those_beside_the_declaration_if_none_are_named() {
    let all = fs::read_dir(project("demo/rehearsals")).unwrap().count();
    let of_a_folder = keblin(&["rehearse", "demo/rehearsals"]);
    assert_eq!((of_a_folder.code, of_a_folder.out.lines().count()), (0, all), "{}", of_a_folder.err);
    assert!(
        of_a_folder.out.starts_with("demo/rehearsals/a_lamp_at_the_mooring.txt: held"),
        "{}",
        of_a_folder.out
    );
    let none_named = keblin_in(&project("demo"), &["rehearse"]);
    assert_eq!(of_a_folder.out.replace("demo/", ""), none_named.out);
    let folder = tempfile::tempdir().unwrap();
    fs::copy(project("demo/progress.toml"), folder.path().join("progress.toml")).unwrap();
    let refused = |expected: &str| {
        let ran = keblin_in(folder.path(), &["rehearse"]);
        assert_eq!(
            (ran.code, ran.err.split_whitespace().collect::<Vec<_>>().join(" ").as_str()),
            (2, expected)
        );
    };
    refused(
        "keblin: progress.toml: expected a folder `rehearsals` next to it; create one, or name a rehearsal",
    );
    fs::create_dir(folder.path().join("rehearsals")).unwrap();
    refused("keblin: rehearsals: expected rehearsals in this folder, but found none that ends with .txt");
}

#[test]
fn a_rehearsal_that_cannot_be_read_stops_none_of_the_others() {
    let folder = tempfile::tempdir().unwrap();
    fs::copy(project("demo/progress.toml"), folder.path().join("progress.toml")).unwrap();
    let rehearsals = folder.path().join("rehearsals");
    fs::create_dir(&rehearsals).unwrap();
    fs::write(rehearsals.join("a.txt"), [b'b', 0xff]).unwrap();
    fs::write(rehearsals.join("b.txt"), "begin\nexpect letters == 0\n").unwrap();
    std::os::unix::fs::symlink(&rehearsals, rehearsals.join("c")).unwrap();
    let ran = keblin_in(folder.path(), &["rehearse"]);
    assert_eq!((ran.code, ran.out.as_str()), (2, "rehearsals/b.txt: held: 2 steps, 1 expected\n"));
    assert!(ran.err.contains("rehearsals/a.txt: expected a text in UTF-8"), "{}", ran.err);
    assert!(ran.err.contains("rehearsals/c"), "{}", ran.err);
}

#[test]
fn a_failure_is_shown_with_the_steps_before_it_and_its_cause() {
    let folder = tempfile::tempdir().unwrap();
    fs::copy(project("demo/progress.toml"), folder.path().join("progress.toml")).unwrap();
    let text =
        "begin neap\nenter reedgate\nreach osier\nadd oil -10\ndie\nexpect boats == 2\nexpect oil == 60\n";
    fs::write(folder.path().join("boats.txt"), text).unwrap();
    let ran = keblin_in(folder.path(), &["rehearse", "boats.txt"]);
    assert_eq!(ran.code, 1);
    assert_fits(&ran.out);
    assert!(ran.out.starts_with("boats.txt:6: failed after 5 steps\n"), "{}", ran.out);
    for line in [
        "     4  add oil -10",
        "          oil: 60 -> 50 (add -10)",
        "     6  expect boats == 2",
        "        expected boats: 2",
        "        actual   boats: 3",
        "        cause    line 5, `die`: 4 -> 3 (death, from osier)",
    ] {
        assert!(ran.out.lines().any(|found| found == line), "{line:?} is not in\n{}", ran.out);
    }
    let json = keblin_in(folder.path(), &["rehearse", "--json", "boats.txt"]).json();
    let failure = &json["failure"];
    assert_eq!(
        (&failure["line"], &failure["expected"], &failure["actual"]),
        (&6.into(), &"2".into(), &3.into())
    );
    assert_eq!(
        (&failure["cause"]["line"], &failure["cause"]["cause"]),
        (&5.into(), &"death, from osier".into())
    );
    let before = fs::read_dir(folder.path()).unwrap().count();
    assert_eq!(before, 2, "the slot it plays on is elsewhere");
}

#[test]
fn all_steps_are_shown_when_asked_for() {
    let file = "demo/rehearsals/best_crossing.txt";
    let ran = keblin(&["rehearse", "--schema", "demo/progress.toml", "--steps", file]);
    assert_eq!(ran.code, 0);
    assert_fits(&ran.out);
    let steps = fs::read_to_string(project(file)).unwrap();
    let steps = steps.lines().filter(|line| !line.is_empty() && !line.starts_with('#'));
    for step in steps {
        assert!(ran.out.contains(step), "{step}");
    }
}

#[test]
fn a_rehearsal_that_cannot_be_parsed_is_told_with_its_place() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("faulty.txt"), "begin neap\nentr reedgate\n").unwrap();
    let schema = project("demo/progress.toml");
    let args = ["rehearse", "--schema", schema.to_str().unwrap(), "faulty.txt"];
    let ran = keblin_in(folder.path(), &args);
    assert_eq!(ran.code, 1);
    assert!(ran.out.starts_with("faulty.txt:2:1: error: `entr` is not a step [bad_step]\n"), "{}", ran.out);
    assert!(ran.out.contains("= did you mean `enter`?"));
}
