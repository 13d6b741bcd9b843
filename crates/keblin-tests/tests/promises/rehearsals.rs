//! Rehearsals: those of the demo hold with their exact numbers, and fail if one number is changed, with the cause.

use std::collections::BTreeSet;
use std::fs;
use std::sync::Arc;

use keblin::rehearse::{FailureKind, Rehearsal, Report};
use keblin::{SaveDir, Schema, Value};

use crate::long::tries;
use crate::steps::{parsed, versions};
use crate::tables::{fen_post, project, read};

pub(crate) fn run(name: &str, text: &str) -> Report {
    let rehearsal = Rehearsal::parse_with(name, text, &fen_post(), build);
    rehearsal.unwrap_or_else(|findings| panic!("{findings}")).run()
}

/// Returns the demo's declaration with its past.
pub(crate) fn with_past() -> Arc<Schema> {
    let texts = ["frozen/v1.toml", "frozen/v2.toml", "frozen/v3.toml", "frozen/v4.toml", "progress.toml"];
    let texts = texts.map(|file| read(&format!("demo/{file}")));
    let steps = ["v2", "v3", "v4", "v5"].map(|step| read(&format!("demo/migrations/{step}.toml")));
    versions(&texts.each_ref().map(String::as_str), &steps.each_ref().map(String::as_str)).unwrap()
}

/// Returns the declaration of another build, named from the folder of the demo's rehearsals.
pub(crate) fn build(file: &str) -> Result<Arc<Schema>, String> {
    let path = project("demo/rehearsals").join(file);
    if !path.is_file() {
        return Err(format!("{file} cannot be read"));
    }
    let text = fs::read_to_string(path).unwrap();
    if file.ends_with("progress.toml") { Ok(with_past()) } else { Ok(Arc::new(parsed(&text))) }
}

#[track_caller]
pub(crate) fn failure(text: &str) -> (usize, FailureKind) {
    let report = run("test", text);
    let failure = report.failure.unwrap_or_else(|| panic!("it held: {text}"));
    (failure.line, failure.kind)
}

fn demo() -> Vec<(String, String)> {
    let mut found: Vec<(String, String)> = Vec::new();
    for entry in fs::read_dir(project("demo/rehearsals")).unwrap() {
        let path = entry.unwrap().path();
        found.push((
            path.file_name().unwrap().to_str().unwrap().to_string(),
            fs::read_to_string(&path).unwrap(),
        ));
    }
    found.sort();
    assert!(found.len() >= 3);
    found
}

#[test]
fn every_rehearsal_of_the_demo_holds() {
    for (name, text) in demo() {
        let report = run(&name, &text);
        assert!(report.failure.is_none(), "{name}: {:?}", report.failure);
        assert!(report.held > 10, "{name} expects next to nothing");
    }
}

/// A rehearsal has its own clock, also for its files, which decides which of two saves is the later one.
#[test]
fn every_rehearsal_gives_the_same_report_each_time() {
    let two = "begin neap\nquit\nfar launch\nfar set coppers 5\nfar quit\nlaunch\nset coppers 7\nquit\nsync from far\n\
               launch\nexpect coppers == 0\n";
    let reports = |name: &str, text: &str, times: usize| {
        let report = || {
            let report = run(name, text);
            format!("{:?} {:?} {}", report.steps, report.failure, report.held)
        };
        (0..times).map(|_| report()).collect::<BTreeSet<_>>().len()
    };
    assert_eq!(reports("two", two, 16), 1);
    for (name, text) in demo() {
        assert_eq!(reports(&name, &text, 2), 1, "{name}");
    }
}

/// Returns the places of separate numbers in a line.
fn numbers(line: &str) -> Vec<(usize, usize)> {
    let code = line.split('#').next().unwrap_or_default();
    // The name of a file is not a number.
    let code = if code.starts_with("schema ") { "" } else { code };
    let mut found: Vec<(usize, usize)> = Vec::new();
    for (at, c) in code.char_indices().filter(|(_, c)| c.is_ascii_digit()) {
        match found.last_mut() {
            Some((_, end)) if *end == at => *end = at + c.len_utf8(),
            _ => found.push((at, at + 1)),
        }
    }
    found
}

/// Rehearsals in which every number is checked later, also those of events. In the others a worse result should
/// change nothing, so another worse one changes nothing either.
const TIGHT: [&str; 3] = ["arrival_and_mooring.txt", "best_crossing.txt", "new_game_beside_a_saved_run.txt"];

#[test]
fn a_rehearsal_changed_by_one_number_fails_with_line_expected_actual_and_cause() {
    // Each is a whole rehearsal.
    let (one_in, mut seen) = (tries(3, 1), 0);
    let (mut expected, mut events, mut held, mut with_cause) = (0, 0, 0, 0);
    for (name, text) in demo() {
        for (index, line) in text.lines().enumerate() {
            for (start, end) in numbers(line) {
                seen += 1;
                if seen % one_in != 0 {
                    continue;
                }
                let number: i64 = line[start..end].parse().unwrap();
                let mut lines: Vec<String> = text.lines().map(str::to_string).collect();
                lines[index] = format!("{}{}{}", &line[..start], number + 1, &line[end..]);
                let report = run(&name, &lines.join("\n"));
                let place = format!("{name}:{}: {} -> {}", index + 1, line, lines[index]);
                let is_expected = line.contains("expect ") && line.contains(" == ");
                if line.find(" to the nearest ").is_some_and(|nearest| start > nearest) {
                    continue;
                }
                let Some(failure) = report.failure else {
                    // Another refused value is just as good.
                    let may_hold = line.starts_with("refused") || !TIGHT.contains(&name.as_str());
                    assert!(may_hold && !is_expected, "{place}: it held all the same");
                    held += 1;
                    continue;
                };
                *(if is_expected { &mut expected } else { &mut events }) += 1;
                assert!(
                    if is_expected { failure.line == index + 1 } else { failure.line > index },
                    "{place}"
                );
                match failure.kind {
                    FailureKind::Expectation { expected, actual, cause, .. } => {
                        assert_ne!(expected, actual.to_string(), "{place}");
                        with_cause += usize::from(cause.is_some_and(|cause| cause.line <= failure.line));
                    }
                    FailureKind::NotRefused
                    | FailureKind::Refused(_)
                    | FailureKind::Openness { .. }
                    | FailureKind::Shown { .. }
                    | FailureKind::Notices { .. }
                    | FailureKind::World(_) => {}
                    other => panic!("{place}: {other}"),
                }
            }
        }
    }
    println!(
        "{expected} expected numbers and {events} others changed and failed, {held} others held; {with_cause} with a cause"
    );
    assert!(expected > 100 / one_in && 2 * events > 3 * held);
    assert!(with_cause * 10 > expected * 7, "{with_cause} of {expected}");
}

#[test]
fn a_failed_expectation_names_what_changed_the_value_last() {
    let text =
        "suppose oil = 30\nbegin neap\nenter reedgate\nreach osier\nadd oil -10\ndie\nexpect boats == 2\n";
    let (line, kind) = failure(text);
    assert_eq!(line, 7);
    assert_eq!(
        kind.to_string(),
        "boats: expected 2, but found 3; line 6, `die`, last changed it: 4 -> 3 (death, from osier)"
    );
    let (_, kind) = failure(&text.replace("boats == 2", "oil == 20"));
    assert_eq!(
        kind.to_string(),
        "oil: expected 20, but found 30; line 6, `die`, last changed it: 20 -> 30 (death, from osier)"
    );
    let (_, kind) = failure("expect coppers == 1\n");
    assert_eq!(
        kind.to_string(),
        "coppers: expected 1, but found 120; nothing changed it: it still has its default"
    );
}

#[test]
fn a_cause_is_remembered_while_the_game_is_closed() {
    let (line, kind) = failure("begin neap\nenter reedgate\nadd oil -22\nquit\nlaunch\nexpect oil == 60\n");
    assert_eq!(line, 6);
    assert_eq!(
        kind.to_string(),
        "oil: expected 60, but found 38; line 3, `add oil -22`, last changed it: 60 -> 38 (add -22)"
    );
    let (_, kind) =
        failure("begin neap\nsave\nenter reedgate\nadd oil -22\nkill\nlaunch\nexpect oil == 38\n");
    assert_eq!(
        kind.to_string(),
        "oil: expected 38, but found 60; line 6, `launch`, last changed it: 38 -> 60 (as saved)"
    );
}

#[test]
fn a_quit_saves_and_a_kill_does_not() {
    let text = "begin neap\nenter reedgate\nadd letters 31\nsave\nadd letters 7\nkill\nlaunch\nexpect letters == 31\n\
                resume\nadd letters 9\nquit\nlaunch\nexpect letters == 40\n";
    assert!(run("test", text).failure.is_none());
    assert!(
        run("test", "kill\nlaunch\nexpect coppers == 120\n").failure.is_none(),
        "never saved is a first run"
    );
}

#[test]
fn what_should_be_refused_and_what_should_not_is_told_apart() {
    assert!(matches!(failure("refused begin neap\n"), (1, FailureKind::NotRefused)));
    let (line, kind) = failure("begin neap\nenter heron_holm\n");
    assert_eq!(
        (line, kind.to_string().as_str()),
        (2, "heron_holm is locked: black_sluice is not finished on neap; 8 stars needed, 0 held")
    );
    assert!(
        run("test", "begin neap\nrefused enter heron_holm\nrefused spend coppers 121\n").failure.is_none()
    );
    assert!(
        run("test", "begin\nenter reedgate\nrefused finish stars 4\nexpect phase == \"map\"\n")
            .failure
            .is_none()
    );
}

#[test]
fn a_finish_stands_when_a_record_refuses_its_value() {
    let text = "begin neap\nenter reedgate\nfinish stars 2\nexpect levels.reedgate.neap.stars == 2\n\
        expect levels.reedgate.neap.best_crossing == null\n";
    assert!(run("test", text).failure.is_none(), "a crossing of 0 ms is below the field's min");
}

#[test]
fn a_closed_game_takes_no_steps_and_a_running_one_is_not_launched_again() {
    for text in [
        "quit\nbegin neap\n",
        "quit\nexpect oil == 60\n",
        "kill\nkill\n",
        "quit\nsave\n",
        "quit\nrefused die\n",
    ] {
        assert!(matches!(failure(text), (2, FailureKind::Closed)), "{text}");
    }
    assert!(matches!(failure("launch\n"), (1, FailureKind::Running)));
}

#[test]
fn comparisons_and_unset_are_expected_as_in_conditions() {
    let text = "expect best_letters == null\nexpect oil >= 60\nexpect oil < 61\nexpect level != \"reedgate\"\n\
                submit best_letters 0\nexpect best_letters != null\nexpect best_letters == 0 # zero is not never\n\
                set coppers 7\nexpect coppers == 7\nexpect played == duration('0s')\n\
                suppose levels.reedgate.spring.finished = true\nbegin spring\nexpect levels.reedgate.finished\n";
    let report = run("test", text);
    assert!(report.failure.is_none(), "{:?}", report.failure);
    let (_, kind) = failure("expect best_letters == 0\n");
    let FailureKind::Expectation { actual, .. } = kind else { panic!() };
    assert_eq!(actual, Value::Unset);
}

#[test]
fn the_same_rehearsal_gives_the_same_report() {
    for (name, text) in demo() {
        assert_eq!(format!("{:?}", run(&name, &text)), format!("{:?}", run(&name, &text)));
    }
}

#[test]
fn a_line_that_is_no_step_is_told_with_its_place_all_at_once() {
    let text = "# faulty on purpose\n\
                bgin neap\n\
                begin nep\n\
                enter longmere\n\
                add oli 3\n\
                add oil three\n\
                reach wilow\n\
                tick -5ms\n\
                finish stamps 2\n\
                expect oil = 3\n\
                expect oil == true\n\
                set levels.reedgate.stars 3\n\
                suppose oil 3\n\
                die now\n\
                refused\n\
                expect level < \"x\"\n";
    let findings = Rehearsal::parse("faulty.txt", text, &fen_post()).unwrap_err();
    let told: Vec<String> = findings
        .list()
        .iter()
        .map(|finding| {
            let instead = finding.instead.as_ref().map(|instead| format!(" ({instead})")).unwrap_or_default();
            format!("{}: {}{instead}", findings.place(finding), finding.message)
        })
        .collect();
    assert_eq!(
        told,
        [
            "faulty.txt:2:1: `bgin` is not a step (did you mean `begin`?)",
            "faulty.txt:3:7: `nep` is not a declared difficulty (did you mean `neap`?)",
            "faulty.txt:4:7: `longmere` is not a declared level (did you mean `long_mere`?)",
            "faulty.txt:5:5: `oli` is not a declared field (did you mean `oil`?)",
            "faulty.txt:6:9: expected a whole number, but found `three`",
            "faulty.txt:7:7: `wilow` is not a declared checkpoint (did you mean `willow`?)",
            "faulty.txt:8:6: expected a positive time",
            "faulty.txt:9:8: expected `stars`, but found `stamps`",
            "faulty.txt:10:12: expected a name, a value or a sign, but found '=' (write `==` to compare)",
            "faulty.txt:11:15: expected a whole number, but found true or false",
            "faulty.txt:12:5: only fields can be written; facts follow from events (use `suppose`)",
            "faulty.txt:13:13: expected `=`, but found `3`",
            "faulty.txt:14:5: expected the end of the line, but found `now`",
            "faulty.txt:15:1: expected a step, but found the end of the line",
            "faulty.txt:16:8: expected a number or a time, but found a text",
        ]
    );
    let empty = Rehearsal::parse("empty.txt", "# nothing\n", &fen_post()).unwrap_err();
    assert!(empty.to_string().starts_with("empty.txt:1:1: error: this rehearsal does not have any steps"));
}

#[test]
fn a_script_in_the_middle_of_the_game_tells_what_went_wrong_and_touches_no_other_slot() {
    let text = fs::read_to_string(project("demo/rehearsals/one_route_to_its_end.txt")).unwrap();
    // The player's own slot is in its own folder, and stays the same to the byte.
    let own = tempfile::tempdir().unwrap();
    let schema = fen_post();
    let slot = SaveDir::at(own.path()).slot("otter").unwrap();
    let mut game = keblin::Progress::new(schema.clone());
    game.submit(schema.field::<Option<i64>>("best_letters").unwrap(), 44);
    slot.save(&game.snapshot(), "quit").unwrap();
    let before = fs::read(slot.path()).unwrap();
    let (first, second) = (run("test", &text), run("test", &text));
    assert!(first.failure.is_none(), "{:?}", first.failure);
    assert_eq!(format!("{first:?}"), format!("{second:?}"), "twice the same");
    assert_eq!(fs::read(slot.path()).unwrap(), before);
    // Boats 2 after the capsize: the step, both values, and what changed it.
    let (line, expected) =
        (text.lines().position(|line| line == "expect boats == 1").unwrap(), "expect boats == 2");
    let wrong: Vec<&str> =
        text.lines().enumerate().map(|(at, held)| if at == line { expected } else { held }).collect();
    let (at, kind) = failure(&wrong.join("\n"));
    assert_eq!(at, line + 1);
    assert_eq!(
        kind.to_string(),
        "boats: expected 2, but found 1; line 23, `die`, last changed it: 2 -> 1 (death, from birch)"
    );
}

#[test]
fn what_a_screen_shows_is_expected_with_its_reason() {
    for (text, expected) in [
        ("expect levels 8", "levels: expected 8, but found 7"),
        ("expect position heron_holm 4", "the position of heron_holm: expected 4, but found 5"),
        ("expect next reedgate", "the next level: expected reedgate, but found no finish before"),
        (
            "expect locked heron_holm because \"9 stars\"",
            "the reason why it is locked: expected 9 stars, but found black_sluice is not finished on neap; \
             8 stars needed, 0 held",
        ),
        ("expect erased \"oil\"", "what the last erase lists: expected oil, but found "),
    ] {
        assert_eq!(failure(text).1.to_string(), expected);
    }
    let clock = "begin neap\nenter reedgate\ntick 92.46s\nexpect route_clock == duration('92.4s') to the nearest 0.1s";
    assert!(failure(clock).1.to_string().starts_with("route_clock: expected 1m32.4s, but found 1m32.46s"));
    assert!(run("near", &clock.replace("92.46s", "92.35s")).failure.is_none());
    for text in [
        "expect oil >= 3 to the nearest 2",
        "expect oil == 3 to the nearest 0",
        "expect oil == 3 to the nearest x",
    ] {
        let findings = Rehearsal::parse("near", text, &fen_post()).unwrap_err().to_string();
        assert!(findings.contains("expected a positive number or time"), "{findings}");
    }
}

#[test]
fn what_was_expected_of_one_thing_does_not_count_again() {
    let once = "begin neap\nadd letters 5\nend_run\nexpect notice new_record best_letters once\n";
    for more in ["expect notice new_record never\n", "expect notice new_record best_letters never\n"] {
        let report = run("test", &format!("{once}{more}"));
        assert!(report.failure.is_none(), "{:?}", report.failure);
    }
    // All of them, then one by one.
    let all = once.replace(" best_letters once", " once");
    let report = run("test", &format!("{all}expect notice new_record best_letters once\n"));
    assert!(report.failure.is_none(), "{:?}", report.failure);
    let (line, kind) = failure(&format!("{once}expect notice new_record once\n"));
    assert!(line == 5 && matches!(kind, FailureKind::Notices { actual: 0, .. }), "{kind}");
}

#[test]
fn a_line_of_more_frames_than_anybody_plays_is_refused() {
    for line in ["feed death for 4000000000 frames", "tick 16ms 9223372036854775807 times"] {
        let found =
            Rehearsal::parse("test", &format!("begin\n{line}\n"), &fen_post()).unwrap_err().to_string();
        assert!(found.contains("at most 1000000, but found `"), "{found}");
    }
    assert!(Rehearsal::parse("test", "begin\ntick 16ms 1000000 times\n", &fen_post()).is_ok());
}
