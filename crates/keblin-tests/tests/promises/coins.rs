//! `keep = "balance"`: coins that are earned and spent on several machines count once each, within their bounds.

use std::sync::Arc;
use std::time::Duration;

use keblin::progress::Why;
use keblin::reconcile::reconcile;
use keblin::verify::verify;
use keblin::{Field, Keeper, Progress, Schema};

use crate::tables::schema;

const GAME: &str = r#"
    game = "ferry"
    version = 1
    autosave = []
    [fields]
    coins = { type = "int", scope = "profile", keep = "balance", default = 50, min = 0, max = 60, from = "found", at = ["run_end"] }
    found = { type = "int", scope = "run", on_death = "stays" }
    [[levels]]
    id = "brook"
    [[unlocks]]
    id = "horn"
    costs = { coins = 40 }
"#;

fn ferry() -> (Arc<Schema>, Field<i64>) {
    let schema = schema(GAME);
    let coins = schema.field("coins").unwrap();
    (schema, coins)
}

/// Plays on a machine from a file on, and returns the file that it saves.
fn played(machine: u64, from: Option<&[u8]>, play: impl FnOnce(&mut Keeper)) -> Vec<u8> {
    let mut game = Keeper::from_bytes(&ferry().0, from).unwrap().on_machine(machine);
    play(&mut game);
    game.save_now().unwrap();
    game.take_due(1_000_000 + machine).unwrap().unwrap().bytes
}

/// Merges the files of machines, and returns the file that another save makes of them.
fn merged(files: &[&[u8]]) -> Vec<u8> {
    let (schema, _) = ferry();
    let of = |bytes: &&[u8]| verify(bytes, &schema).unwrap().snapshot().clone();
    let all = files.iter().map(of).reduce(|one, other| reconcile(&one, &other).unwrap().snapshot).unwrap();
    keblin::save::write(&all, &keblin::save::Stamp::first(2_000_000, "sync"))
}

fn coins(file: &[u8]) -> i64 {
    let (schema, coins) = ferry();
    verify(file, &schema).unwrap().into_progress().get(coins)
}

#[test]
fn what_two_machines_earn_and_spend_counts_once_each() {
    let (_, purse) = ferry();
    let base = played(1, None, |_| {});
    let laptop = played(1, Some(&base), |game| drop(game.spend(purse, 30).unwrap()));
    let desktop = played(2, Some(&base), |game| drop(game.add(purse, 10)));
    assert_eq!((coins(&laptop), coins(&desktop)), (20, 60));
    for files in [[&laptop[..], &desktop], [&desktop, &laptop]] {
        let both = merged(&files);
        assert_eq!(coins(&both), 30);
        // The same files once more.
        assert_eq!(coins(&merged(&[&both, &laptop, &desktop])), 30);
        // A value that is set counts as the difference.
        let set = played(1, Some(&both), |game| drop(game.set(purse, 35)));
        assert_eq!(coins(&merged(&[&desktop, &set])), 35);
    }
}

#[test]
fn coins_that_were_spent_twice_are_forgiven_when_the_player_next_uses_some() {
    let (schema, purse) = ferry();
    let horn = schema.unlock("horn").unwrap();
    let base = played(1, None, |_| {});
    let buys = |machine| played(machine, Some(&base), |game| drop(game.buy(horn).unwrap()));
    let spends = played(2, Some(&base), |game| drop(game.spend(purse, 30).unwrap()));
    let earns = played(3, Some(&base), |game| drop(game.add(purse, 10)));
    let both = merged(&[&buys(1), &spends]);
    assert!(verify(&both, &schema).unwrap().into_progress().is_unlocked(horn));
    // 50 less 40 less 30: 20 are missing.
    assert_eq!(coins(&both), 0);
    // As long as nobody uses the coins, those of a third machine count against them.
    assert_eq!(coins(&merged(&[&both, &earns])), 0);
    let more = played(1, Some(&both), |game| drop(game.add(purse, 5)));
    assert_eq!(coins(&more), 5);
    assert_eq!(coins(&merged(&[&more, &earns])), 15, "the 20 are forgiven once");
    let writers = verify(&more, &schema).unwrap().snapshot().writers();
    assert_eq!(writers.values[0].forgiven, keblin::Value::Int(20));
    // Two machines that forgive the same do not forgive twice.
    let other = played(2, Some(&both), |game| drop(game.add(purse, 7)));
    assert_eq!(coins(&merged(&[&more, &other])), 12);
}

#[test]
fn coins_beyond_the_most_are_gone_when_the_player_next_uses_some() {
    let (_, purse) = ferry();
    let base = played(1, None, |_| {});
    let earns = |machine| played(machine, Some(&base), |game| drop(game.add(purse, 10)));
    let both = merged(&[&earns(1), &earns(2)]);
    assert_eq!(coins(&both), 60);
    let spent = played(1, Some(&both), |game| drop(game.spend(purse, 15).unwrap()));
    assert_eq!(coins(&spent), 45);
    assert_eq!(coins(&merged(&[&spent, &both])), 45);
}

#[test]
fn coins_are_written_like_any_number_and_fed_by_what_a_run_has_found() {
    let (schema, purse) = ferry();
    let found = schema.field::<i64>("found").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    assert_eq!((game.set(purse, 20).after.number(), game.get(purse)), (Some(20), 20));
    let over = game.add(purse, 100);
    assert!(over.clamped && game.get(purse) == 60);
    let refused = game.spend(purse, 61).unwrap_err();
    assert!(matches!(*refused.why, Why::NotEnough { .. }), "{refused}");
    game.spend(purse, 55).unwrap();
    let pin = game.snapshot();
    game.begin(None).unwrap();
    game.add(found, 7);
    game.end_run().unwrap();
    assert_eq!(game.get(purse), 12);
    // A pin does not bring coins back that are spent.
    game.spend(purse, 12).unwrap();
    game.load(&pin, true).unwrap();
    assert_eq!(game.get(purse), 0);
}

#[test]
fn coins_of_a_save_that_arrives_late_meet_those_earned_and_spent_meanwhile() {
    let (schema, purse) = ferry();
    let saved = played(1, None, |game| drop(game.spend(purse, 40).unwrap()));
    let saved = verify(&saved, &schema).unwrap().snapshot().clone();
    for (write, then) in [(Some(45), 5), (None, 10)] {
        let mut game = Progress::awaiting(Arc::clone(&schema));
        write.into_iter().for_each(|coins| drop(game.set(purse, coins)));
        game.tick(Duration::from_secs(1));
        game.arrive(Some(saved.clone()));
        assert_eq!(game.get(purse), then);
    }
}
