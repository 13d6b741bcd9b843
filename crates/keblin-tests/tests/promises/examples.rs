//! The examples run and print what they should. The first program is the one in the README, and its save is still
//! there later.

use std::path::PathBuf;
use std::process::Command;

use crate::tables::read;

/// Returns the example as cargo has built it, next to this test.
fn example(name: &str) -> PathBuf {
    let test = std::env::current_exe().unwrap();
    test.parent()
        .unwrap()
        .parent()
        .unwrap()
        .join("examples")
        .join(format!("{name}{}", std::env::consts::EXE_SUFFIX))
}

#[test]
fn the_first_program_finds_its_save_again() {
    let folder = tempfile::tempdir().unwrap();
    let run = || {
        let output = Command::new(example("quickstart")).arg(folder.path()).output().unwrap();
        assert!(output.status.success(), "{output:?}");
        String::from_utf8(output.stdout).unwrap()
    };
    let lines = |text: &str| text.lines().map(str::to_string).collect::<Vec<_>>();
    assert_eq!(
        lines(&run())[..5],
        [
            "best catch so far: None",
            "weir is locked: brook is not finished",
            "life lost, back to log",
            "weir opened",
            "new record, best_catch: unset -> 4",
        ]
    );
    assert_eq!(lines(&run())[..2], ["best catch so far: Some(4)", "life lost, back to log"]);
}

#[test]
fn a_pin_is_gone_back_to_and_a_second_copy_may_look() {
    let folder = tempfile::tempdir().unwrap();
    let output = Command::new(example("slots_and_pins")).arg(folder.path()).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    assert_eq!(
        String::from_utf8(output.stdout).unwrap().lines().collect::<Vec<_>>(),
        [
            "oil 5 of the lamp, and the pins are:",
            "  at_the_stone, causeway",
            "back at the stone: oil 45",
            "the second copy: the slot is already open",
            "but it can look: oil 45",
            "new record, most_oil: unset -> 45",
            "jorid: None",
            "slot anke, saved because of quit",
            "slot jorid, saved because of quit",
        ]
    );
}

#[test]
fn a_save_of_a_year_ago_is_brought_along_once() {
    let folder = tempfile::tempdir().unwrap();
    let run = || {
        let output = Command::new(example("migrate")).arg(folder.path()).output().unwrap();
        assert!(output.status.success(), "{output:?}");
        String::from_utf8(output.stdout).unwrap()
    };
    let now = "lamp oil 60\nheron ford in 1m32.4s\n";
    let account = "version 1 -> 2\n  to version 2\n    letters: carried, was parcels\n    \
                   best_walk.heron_ford: changed 92.4 -> 1m32.4s, was walk.ford\n    lamp_oil: clamped 75 -> 60\n";
    assert_eq!(run(), format!("{account}letters 31\n{now}"));
    assert_eq!(run(), format!("letters 32\n{now}"));
}

#[test]
fn a_struct_is_carried_through_levels_and_what_is_left_out_is_named() {
    let output = Command::new(example("carry")).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    assert_eq!(
        String::from_utf8(output.stdout).unwrap().lines().collect::<Vec<_>>(),
        [
            "begun: oil 40, lit 0",
            "at the end of the quay: oil 8, lit 7",
            "after a fall: oil 28, lit 7",
            "at the market: oil 0, idle for 3.5 s",
            "quay never changes matches",
            "market never changes lamps_lit, matches",
        ]
    );
}

#[test]
fn the_tour_shows_a_frame_that_compiles_and_plays() {
    let (tour, program) = (read("docs/tour.md"), read("examples/tour.rs"));
    let (_, rest) = program.split_once("// The frame of docs/tour.md begins here.\n").unwrap();
    let (frame, _) = rest.split_once("// It ends here.\n").unwrap();
    assert!(tour.contains(frame), "docs/tour.md shows another frame than examples/tour.rs");
    assert!(tour.contains(&read("examples/tour.toml")), "docs/tour.md shows another tour.toml");
    assert!(frame.lines().count() < 45, "{} lines", frame.lines().count());
    let folder = tempfile::tempdir().unwrap();
    let output = Command::new(example("tour")).arg(folder.path()).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    let out = String::from_utf8(output.stdout).unwrap();
    assert_eq!(
        out.lines().collect::<Vec<_>>(),
        [
            "causeway: 0 stars",
            "weir: 2 stars needed, 0 held",
            "rest at the stone",
            "splash! 2 lanterns left",
            "most letters ever: 3",
            "causeway finished with 2 stars",
            "causeway: 2 stars",
            "weir: 0 stars",
        ]
    );
    assert!(tour.contains(&out), "docs/tour.md says that something else is printed");
}

#[test]
fn the_readme_shows_the_first_program_as_it_is() {
    let (readme, program) = (read("README.md"), read("examples/quickstart.rs"));
    let from = program.find("use keblin::SaveDir;").unwrap();
    assert!(readme.contains(&program[from..]), "README.md shows another program than examples/quickstart.rs");
    assert!(readme.contains(&read("examples/quickstart.toml")), "README.md shows another quickstart.toml");
    assert!((40..=60).contains(&program.lines().count()), "{} lines", program.lines().count());
}

#[test]
fn a_level_select_screen_shows_what_is_open_and_why_not() {
    let output = Command::new(example("level_select")).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    let lines: Vec<String> =
        String::from_utf8(output.stdout).unwrap().lines().map(|line| line.trim().to_string()).collect();
    assert_eq!(
        lines,
        [
            "The Brook           open",
            "The Weir            brook is not finished",
            "The Mill Pond       weir is not finished; 4 stars needed, 0 held",
            "a star is missing: fish: 5 needed, 3 held",
            "mill_pond is locked: weir is not finished; 4 stars needed, 2 held",
            "weir opened",
            "mill_pond opened",
            "swim_cap unlocked",
            "The Brook      **   finished",
            "The Weir       **   finished",
            "The Mill Pond       open",
        ]
    );
}

#[track_caller]
fn assert_shows(name: &str, lines: &[&str]) {
    let output = Command::new(example(name)).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    let text = String::from_utf8(output.stdout).unwrap();
    for line in lines {
        assert!(text.lines().any(|shown| shown == *line), "{name} does not show {line:?}:\n{text}");
    }
}

#[test]
fn a_signal_that_stays_on_for_a_second_takes_one_life() {
    let lines = [
        "back at log: breath 7, fish 2",
        "life lost, 2 left, back to log",
        "breath: 1 -> 7 (death, from log)",
    ];
    assert_shows("checkpoints_and_lives", &lines);
}

#[test]
fn a_worse_replay_spoils_no_record() {
    let lines = [
        "before: best None, brook None",
        "9 fish in 45s: no record",
        "the best runs: [9, 6, 4, 4]",
        "brook, calm: 21s",
        "fastest at weir, flood: 0s refused: expected at least 1ms",
    ];
    assert_shows("records", &lines);
}

#[test]
fn two_machines_that_have_both_played_offline_lose_nothing() {
    let lines = [
        "best_catch: ours [12, 9], theirs [9, 4] -> [12, 9, 4] (both)",
        "fish_in_all: ours 21, theirs 13 -> 25 (both)",
        "hat: ours \"reed\", theirs \"straw\" -> \"straw\" (theirs)",
        "notice: reconciled",
        "best catches: [12, 9, 4]",
        "fish in all: 25, hat: straw",
    ];
    assert_shows("two_machines", &lines);
}

#[test]
fn an_open_world_is_saved_in_mid_motion_and_comes_back_bit_for_bit() {
    let lines = [
        "through eight areas: 273919 bytes saved; 0 read and 547838 written in all",
        "one area changed: 40382 bytes saved; 0 read and 274021 written in all",
        "opened again: 10719 bytes read",
        "the moor recalled: 38904 bytes read",
        "715 boats on the moor, in mid-motion as they were: true",
        "letters 31, the new boat is still made 1: true",
    ];
    let output = Command::new(example("open_world")).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    let text = String::from_utf8(output.stdout).unwrap();
    assert_eq!(text.lines().take(6).collect::<Vec<_>>(), lines);
}

#[test]
fn a_moment_that_is_jumped_over_is_told_once() {
    let lines = [
        "eight more, past ten: moment ten_fish",
        "down and up again: nothing",
        "the cold takes 6: warmth 2 of 2",
        "the clock shows 2.5s",
        "past two seconds: moment dusk",
    ];
    assert_shows("clocks_and_moments", &lines);
}

#[test]
fn a_game_of_120_levels_shows_its_map_and_an_update_keeps_what_was_done() {
    let output = Command::new(example("puzzle")).output().unwrap();
    assert!(output.status.success(), "{output:?}");
    let text = String::from_utf8(output.stdout).unwrap();
    let lines: Vec<&str> = text.lines().collect();
    assert_eq!(
        lines[..8],
        [
            "resumed clay_10 after an update",
            "clay_07: 80 moves, par 40, 2 of 3 stars",
            "  then clay_08",
            "  then old_wheel, locked",
            "clay_07: 38 moves, par 40, 3 of 3 stars",
            "  then clay_08",
            "  then old_wheel",
            "clay_10: 52 moves, par 40, 2 of 3 stars",
        ]
    );
    assert!(lines.contains(&"The Clay Pit: 10 of 24 finished, 21 of 72 stars"), "{text}");
    assert!(lines.contains(
        &"The Slip House: 0 of 24 finished, 0 of 72 stars; shut: 32 stars in The Clay Pit needed, 21 held"
    ));
    assert_eq!(lines.last(), Some(&"master: 21 of 360"));
}
