//! Exploring as a library: the same result on any number of cores, within its budget, and promises that the planted faults
//! of the tool do not cover.

use std::fs;
use std::sync::atomic::{AtomicUsize, Ordering};

use keblin::explore::{BreachCode, Exploration, Explored, Pace, Proof, player_moves, survival_proof};

use crate::long::tries;
use crate::tables::{fen_post, project, read, schema};

keblin::schema!(demo, "../../demo/progress.toml");
keblin::rehearsals!(demo, "../../demo/rehearsals");

fn with_moves(states: usize, threads: usize) -> Explored {
    let schema = fen_post();
    let moves = player_moves("moves.txt", &read("demo/moves.txt"), &schema).unwrap();
    Exploration::of(&schema).moves(moves).states(states).threads(threads).run()
}

#[test]
fn one_core_finds_the_same_as_many() {
    let shown = |explored: &Explored| format!("{explored:?}");
    let states = tries(400, 1500);
    let one = with_moves(states, 1);
    one.must_find_nothing();
    for threads in [2, 3, 7] {
        assert_eq!(shown(&with_moves(states, threads)), shown(&one), "{threads}");
    }
    // With a fault, and its rehearsal.
    let explored = |threads| {
        let text =
            fs::read_to_string(project("data/lost/a_token_that_outlives_its_run/progress.toml")).unwrap();
        Exploration::of(&schema(&text)).threads(threads).run()
    };
    assert_eq!(explored(1).breaches.len(), 1);
    assert_eq!(shown(&explored(1)), shown(&explored(4)));
}

#[test]
fn it_keeps_to_its_budget_and_says_how_far_it_got() {
    let explored = with_moves(700, 2);
    assert!(explored.questions.iter().all(|question| question.states <= 700));
    let levels = explored.questions.iter().find(|question| question.name == "levels and unlocks").unwrap();
    assert_eq!((levels.states, levels.exhausted), (700, false));
    assert!(!explored.is_exhausted());
    assert!(explored.coverage.never.iter().any(|(what, proven)| what == "entered lantern_quay" && !proven));
    let few = Exploration::of(&fen_post()).steps(2).run();
    assert!(few.questions.iter().all(|question| question.depth <= 2 && !question.exhausted));
    // Whoever watches can end it.
    let seen = AtomicUsize::new(0);
    let watch = |pace: &Pace<'_>| {
        assert!(pace.place.0 <= pace.place.1 && pace.states > 0);
        seen.fetch_add(1, Ordering::Relaxed);
        false
    };
    let stopped = Exploration::of(&fen_post()).while_true(&watch).run();
    assert!(stopped.states() < 2000 && seen.load(Ordering::Relaxed) > 0);
}

/// Returns what is found in a declaration, as `CODE WHAT`.
fn found(text: &str) -> Vec<String> {
    let explored = Exploration::of(&schema(text)).run();
    assert_eq!(explored.unconfirmed, 0);
    explored.breaches.iter().map(keblin::explore::Breach::id).collect()
}

const GAME: &str = "game = 'otter'\nversion = 1\n[[levels]]\nid = 'weir'\n";

#[test]
fn states_with_the_same_records_in_other_places_are_told_apart() {
    let text = "game = 'otter'\nversion = 1\n[fields.best]\ntype = 'float'\nscope = 'profile'\nper = ['level']\n\
        keep = 'highest'\n[[levels]]\nid = 'weir'\n[[levels]]\nid = 'race'\n[[levels]]\nid = 'mill'\n\
        unlock = 'levels.weir.best == null && levels.race.best > 6.0 && levels.race.best < 9.0'\n";
    // The mill is out of reach after a record of the weir. If one of 6 there counted as one of 7 at the race, the mill would
    // never be open.
    assert_eq!(found(text), ["finished_shut mill", "dead_end mill"]);
}

#[test]
fn other_promises_are_held_too() {
    assert_eq!(found(GAME), [""; 0]);
    let lives = "game = 'otter'\nversion = 1\nautosave = ['begin']\n[[levels]]\nid = 'weir'\n[lives]\nfield = 'boats'\n\
        [fields.boats]\ntype = 'int'\nscope = 'run'\ndefault = 2\nmin = 0\non_retry = 'stays'\non_death = 'stays'\n";
    assert_eq!(found(lives), ["kill_loses die", "kill_loses finish"]);
    let saved = lives.replace("['begin']", "['begin', 'death', 'finish', 'run_end']");
    assert_eq!(found(&saved), [""; 0]);
    // A record too is for good.
    let record = "game = 'otter'\nversion = 1\nautosave = ['begin']\n[[levels]]\nid = 'weir'\n[fields.score]\ntype = 'int'\n\
        scope = 'run'\non_death = 'stays'\n[fields.best]\ntype = 'int'\nscope = 'profile'\nkeep = 'highest'\nfrom = 'score'\n\
        at = ['run_end']\n";
    assert_eq!(found(record), ["best_waits best", "kill_loses end_run", "kill_loses finish"]);
    let unlock = "[fields.coppers]\ntype = 'int'\nscope = 'profile'\n\
        [[unlocks]]\nid = 'net'\nwhen = 'coppers >= 20'\n";
    assert_eq!(found(&format!("{GAME}{unlock}")), ["rule_falls unlocked.net"]);
    assert_eq!(found(&format!("{GAME}{unlock}latch = true\n")), [""; 0]);
    let invariant = "[fields.coppers]\ntype = 'int'\nscope = 'profile'\n\
        [[invariants]]\nid = 'no_debts'\nholds = 'coppers >= 0'\n";
    assert_eq!(found(&format!("{GAME}{invariant}")), ["invariant_broken no_debts"]);
    let bounded = invariant.replace("'profile'\n", "'profile'\nmin = 0\n");
    assert_eq!(found(&format!("{GAME}{bounded}")), [""; 0]);
}

#[test]
fn what_two_copies_have_counted_apart_counts_once() {
    let amounts = "[fields.fish]\ntype = 'int'\nscope = 'profile'\nkeep = 'sum'\nmax = 40\n\
        [fields.coins]\ntype = 'int'\nscope = 'profile'\nkeep = 'balance'\ndefault = 30\nmin = 0\n\
        [[unlocks]]\nid = 'net'\nwhen = 'fish >= 20'\nlatch = true\n\
        [[unlocks]]\nid = 'horn'\nwhen = 'levels.weir.deaths > 0'\ncosts = { coins = 20 }\n";
    assert_eq!(found(&format!("{GAME}{amounts}")), [""; 0]);
}

#[test]
fn nothing_is_proven_where_values_are_not_tried() {
    // No move fills a lantern.
    let text = "game = 'otter'\nversion = 1\n[shapes.lantern.members]\noil = { type = 'int' }\n\
        [fields.held]\ntype = 'shape'\nof = 'lantern'\nscope = 'profile'\n\
        [[levels]]\nid = 'weir'\n[[levels]]\nid = 'mill'\nunlock = 'held.oil >= 3'\n";
    let explored = Exploration::of(&schema(text)).run();
    assert!(explored.breaches.is_empty() && !explored.is_exhausted(), "{explored:?}");
    assert!(explored.coverage.never.contains(&("open mill".to_string(), false)));
}

#[test]
fn values_are_tried_around_what_conditions_name() {
    for (field, rule) in [
        ("type = 'int'", "score == 1000"),
        ("type = 'float'", "score > 2.5 && score < 3.5"),
        ("type = 'time'", "score >= duration('90s') && score < duration('91s')"),
        ("type = 'date'", "score == date('2026-11-29')"),
        ("type = 'text'\nmax_len = 20", "score == 'otter'"),
        ("type = 'set'\nof = 'text'\nmax_len = 9\nmax_items = 9", "'net' in score && size(score) == 3"),
        ("type = 'map'\nof = 'int'\nkey = 'text'\nmax_len = 9\nmax_items = 9", "score.net == 2"),
        ("type = 'map'\nof = 'int'\nkey = 'text'\nmax_len = 9\nmax_items = 9", "score.net == 40"),
        ("type = 'list'\nof = 'int'\nmax_items = 9", "size(score) == 2"),
        ("type = 'int'\nkeep = 'sum'", "score >= 4"),
        ("type = 'int'\nkeep = 'highest'", "score != null && score >= 7"),
    ] {
        let text = format!(
            "game = 'otter'\nversion = 1\n[fields.score]\n{field}\nscope = 'profile'\n[[levels]]\nid = 'weir'\n\
             [[levels]]\nid = 'mill'\nunlock = \"{rule}\"\nlatch = true\n"
        );
        let explored = Exploration::of(&schema(&text)).run();
        assert!(explored.coverage.reached.contains(&"finished mill".to_string()), "{rule}: {explored:?}");
        assert!(explored.breaches.iter().all(|breach| breach.code != BreachCode::NeverReached), "{rule}");
    }
}

#[test]
fn numbers_at_the_ends_of_their_range_are_tried_without_an_overflow() {
    let mut tried = 0;
    for rule in [
        "score == 9223372036854775807",
        "score < -9223372036854775807",
        "totals.stars != 9223372036854775807",
        "size(bag) != 9223372036854775807",
        "levels.weir.deaths != 9223372036854775807",
    ] {
        let text = format!(
            "game = 'otter'\nversion = 1\n[fields.score]\ntype = 'int'\nscope = 'profile'\n[fields.bag]\ntype = 'list'\n\
             of = 'int'\nmax_items = 3\nscope = 'profile'\n[[levels]]\nid = 'weir'\nstars = 3\n[[unlocks]]\nid = 'net'\n\
             when = \"{rule}\"\nlatch = true\n"
        );
        // What can never be true may be refused; what is not is explored.
        let Ok(parsed) = keblin::Schema::parse("progress.toml", &text) else { continue };
        let explored = Exploration::of(&std::sync::Arc::new(parsed.schema)).states(500).run();
        assert!(explored.states() > 10, "{rule}");
        tried += 1;
    }
    assert!(tried >= 3, "{tried}");
}

#[test]
fn a_text_of_a_move_may_contain_what_ends_a_part() {
    let text = "game = 'otter'\nversion = 1\n[fields.note]\ntype = 'text'\nmax_len = 20\nscope = 'profile'\n\
        [[levels]]\nid = 'weir'\n[[levels]]\nid = 'mill'\nunlock = \"note == 'a;b'\"\nlatch = true\n";
    let schema = schema(text);
    let moves =
        player_moves("moves.txt", "note it: needs note != 'a;b'; set note \"a;b\"\n", &schema).unwrap();
    let explored = Exploration::of(&schema).moves(moves).run();
    assert!(explored.coverage.reached.contains(&"open mill".to_string()), "{explored:?}");
}

#[test]
fn the_survival_table_holds_for_every_game_here() {
    let mut tried = 0;
    for path in ["demo", "examples/games/arcade", "examples/games/journey", "examples/games/puzzle"] {
        for cell in survival_proof(&schema(&read(&format!("{path}/progress.toml")))) {
            assert!(!matches!(cell.result, Proof::Differs { .. }), "{path}: {cell:?}");
            tried += usize::from(cell.result == Proof::Holds);
        }
    }
    assert!(tried > 400, "{tried}");
}
