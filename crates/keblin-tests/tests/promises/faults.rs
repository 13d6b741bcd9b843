//! The tests notice when the library is broken. Each fault is chosen in the environment of this very program, which then runs
//! one test that must fail. `KEBLIN_FAULT=NoSync cargo test` tries one fault on all tests.

use std::env;
use std::process::Command;
use std::sync::atomic::{AtomicUsize, Ordering};

/// The law of merging.
const MACHINES: &str = "machines::every_amount_counts_once_and_nothing_is_lost_however_machines_are_synced";

/// Each fault of `keblin/src/broken.rs`, and a test that notices it.
const NOTICED: [(&str, &str); 32] = [
    ("NoSync", "exchanged::a_file_exchanged_in_the_middle_of_a_save_is_seen_and_the_save_is_published_again"),
    ("NoSync", "explored::one_core_finds_the_same_as_many"),
    (
        "NoFolderSync",
        "power::a_power_cut_after_any_call_leaves_the_last_acknowledged_state_or_the_one_being_written",
    ),
    (
        "AppendAfterFailure",
        "power::a_power_cut_after_any_call_leaves_the_last_acknowledged_state_or_the_one_being_written",
    ),
    ("NoPrevious", "exchanged::killed_while_something_is_erased_the_next_save_erases_the_copy_too"),
    (
        "ExchangeUnseen",
        "exchanged::a_file_exchanged_in_the_middle_of_a_save_is_seen_and_the_save_is_published_again",
    ),
    ("CopyUnverified", "exchanged::a_rotten_byte_never_becomes_the_copy_before"),
    (
        "NoMeeting",
        "exchanged::a_strangers_file_put_in_place_while_the_game_was_closed_meets_ours_and_neither_is_lost",
    ),
    ("AmountsAdded", MACHINES),
    ("AmountsAdded", "explored::what_two_copies_have_counted_apart_counts_once"),
    ("WritesForgotten", MACHINES),
    ("EntriesByValue", MACHINES),
    ("ErasureUncounted", MACHINES),
    ("OwnForgotten", MACHINES),
    ("OwnForgotten", "two_machines::no_amount_counts_twice_however_two_machines_are_synced"),
    ("ErasuresForgotten", "published::publishing_does_with_the_files_that_are_there_what_the_table_says"),
    (
        "OlderBecomesCopy",
        "exchanged::an_older_one_of_ours_put_back_gives_way_to_the_copy_wherever_a_save_is_cut_off",
    ),
    ("SharedSlot", "given_up::a_second_keeper_of_a_slot_is_refused_in_the_same_program_too"),
    // Exploring and the survival table see what a game would lose.
    ("ReloadForgets", "explored::other_promises_are_held_too"),
    ("RetryResets", "explored::other_promises_are_held_too"),
    ("KeepInverted", "explored::other_promises_are_held_too"),
    ("DeathTwice", "explored::other_promises_are_held_too"),
    ("LockNotAsked", "explored::one_core_finds_the_same_as_many"),
    ("EntryNotCopied", "explored::the_survival_table_holds_for_every_game_here"),
    ("AreaNotCopied", "explored::the_survival_table_holds_for_every_game_here"),
    ("AreaNotCopied", "world_laws::whatever_is_done_every_object_is_where_it_was_left"),
    ("AreaForgotten", "world_laws::whatever_is_done_every_object_is_where_it_was_left"),
    ("AnyColumn", "world::a_damaged_area_is_a_typed_error_and_is_left_as_it_is"),
    ("PartsForgotten", "growth::an_older_build_keeps_what_a_newer_one_has_saved_however_it_has_grown"),
    ("VisitForgotten", "growth::an_older_build_keeps_what_a_newer_one_has_saved_however_it_has_grown"),
    ("ObjectPartsForgotten", "growth_world::an_older_build_keeps_what_a_newer_one_has_saved_of_the_world"),
    ("IdsGivenAgain", "world::a_save_in_mid_motion_comes_back_to_the_same_instant"),
];

/// Runs a test with a fault; returns what is wrong about that, if something is.
fn unnoticed((fault, test): (&str, &str)) -> Option<String> {
    let output = Command::new(env::current_exe().unwrap())
        .args(["--exact", test])
        .env("KEBLIN_FAULT", fault)
        .env("RUST_BACKTRACE", "0")
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&output.stdout);
    // A program that does not start, or does not find the test, did not notice the fault.
    let noticed = said.contains("test result: FAILED. 0 passed; 1 failed");
    (!noticed).then(|| format!("{fault} is not noticed by {test}:\n{said}"))
}

#[test]
fn each_fault_of_the_library_is_noticed_by_a_test() {
    let next = AtomicUsize::new(0);
    let try_some = || {
        let mut wrong = Vec::new();
        while let Some(one) = NOTICED.get(next.fetch_add(1, Ordering::Relaxed)) {
            wrong.extend(unnoticed(*one));
        }
        wrong
    };
    let wrong = std::thread::scope(|threads| {
        let other = threads.spawn(try_some);
        let mut wrong = try_some();
        wrong.extend(other.join().unwrap());
        wrong
    });
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn every_fault_that_exists_is_tried() {
    let source = crate::tables::read("crates/keblin/src/broken.rs");
    let declared = source.split_once("enum Broken {").unwrap().1.split_once("\n}").unwrap().0;
    let faults = declared.lines().map(|line| line.trim().trim_end_matches(','));
    let faults: Vec<&str> = faults.filter(|line| !line.is_empty() && !line.starts_with("//")).collect();
    assert!(faults.len() >= 20, "{faults:?}");
    let is_tried = |fault: &&&str| NOTICED.iter().any(|(tried, _)| tried == *fault);
    assert_eq!(faults.iter().filter(|fault| !is_tried(fault)).collect::<Vec<_>>(), Vec::<&&str>::new());
}
