//! Sums and unions that the engine feeds: what a level or a run collected goes to the profile once, at the goal.

use std::sync::Arc;

use std::collections::BTreeSet;

use keblin::progress::Why;
use keblin::reconcile::reconcile;
use keblin::rehearse::Rehearsal;
use keblin::save::write;
use keblin::verify::verify;
use keblin::{Field, Progress, Schema, Snapshot};

use crate::round_trip::stamp;
use crate::steps::parsed;

const DIG: &str = "game = 'dig'\nversion = 1\n\
    [fields]\n\
    shards = { type = 'int', scope = 'level', on_death = 'stays' }\n\
    all_shards = { type = 'int', scope = 'profile', keep = 'sum', max = 100, from = 'shards', at = ['finish'] }\n\
    shards_here = { type = 'int', scope = 'profile', keep = 'sum', per = ['level'], from = 'shards', at = ['finish'] }\n\
    bag = { type = 'set', of = 'text', max_len = 9, max_items = 3, scope = 'level', on_death = 'stays' }\n\
    found = { type = 'set', of = 'text', max_len = 9, max_items = 2, scope = 'profile', keep = 'union', from = 'bag', at = ['finish'] }\n\
    buckets = { type = 'int', scope = 'run', on_death = 'stays' }\n\
    all_buckets = { type = 'int', scope = 'profile', keep = 'sum', from = 'buckets', at = ['run_end'] }\n\
    [[levels]]\nid = 'pit'\n[[levels]]\nid = 'ditch'\n";

fn dig() -> (Arc<Schema>, Progress) {
    let schema = Arc::new(parsed(DIG));
    (Arc::clone(&schema), Progress::new(schema))
}

#[test]
fn what_a_level_collected_counts_at_the_goal_and_once() {
    let (schema, mut game) = dig();
    let [shards, all]: [Field<i64>; 2] = ["shards", "all_shards"].map(|name| schema.field(name).unwrap());
    let here = schema.field_per::<i64, _>("shards_here").unwrap();
    let [pit, ditch] = ["pit", "ditch"].map(|name| schema.level(name).unwrap());
    game.begin_replacing(None);
    game.enter(pit).unwrap();
    game.add(shards, 7);
    game.leave().unwrap();
    assert_eq!(game.get(all), 0, "not before the goal");
    game.resume().unwrap();
    game.add(shards, 2);
    assert!(game.finish().unwrap().unwrap().records.is_empty(), "a sum is not a record");
    assert_eq!((game.get(all), game.get(here.at(pit)), game.get(here.at(ditch))), (9, 9, 0));
    // Given up: what was collected does not count.
    game.enter(ditch).unwrap();
    game.add(shards, 5);
    game.enter(pit).unwrap();
    game.add(shards, 95);
    game.finish().unwrap();
    assert_eq!(game.get(all), 100, "it stops at its bound");
    assert_eq!(game.get(here.at(pit)), 104);
    // A negative amount is refused, and the finish stands.
    game.enter(ditch).unwrap();
    game.add(shards, -1);
    let finished = game.finish().unwrap().unwrap();
    let why: Vec<&Why> = finished.refused.iter().map(|refused| refused.why.as_ref()).collect();
    assert!(matches!(why[..], [Why::OnlyGains { .. }, Why::OnlyGains { .. }]), "{why:?}");
    assert_eq!(game.get(all), 100);
}

#[test]
fn a_union_takes_a_set_whole_or_says_why_not() {
    let (schema, mut game) = dig();
    let [bag, found]: [Field<BTreeSet<String>>; 2] = ["bag", "found"].map(|name| schema.field(name).unwrap());
    game.begin_replacing(None);
    for (level, items) in [("pit", &["cup"][..]), ("ditch", &["cup", "comb"])] {
        game.enter(schema.level(level).unwrap()).unwrap();
        for item in items {
            game.insert(bag, item.to_string());
        }
        assert_eq!(game.finish().unwrap().unwrap().refused, []);
    }
    let held = |game: &Progress| game.get(found).iter().map(str::to_string).collect::<Vec<_>>();
    assert_eq!(held(&game), ["comb", "cup"]);
    game.enter(schema.level("pit").unwrap()).unwrap();
    game.insert(bag, "coin".to_string());
    let refused = game.finish().unwrap().unwrap().refused;
    assert_eq!(refused[0].to_string(), "found: refused: expected at most 2 items, but found 3");
    assert_eq!(held(&game), ["comb", "cup"]);
    let file = write(&game.snapshot(), &stamp(1));
    assert_eq!(
        verify(&file, &schema).unwrap().findings(),
        [],
        "sums of levels that were never finished are zero"
    );
}

#[test]
fn each_end_of_a_run_adds_what_the_run_held_once() {
    let (schema, mut game) = dig();
    let [buckets, all]: [Field<i64>; 2] = ["buckets", "all_buckets"].map(|name| schema.field(name).unwrap());
    game.begin_replacing(None);
    game.add(buckets, 4);
    game.begin_replacing(None);
    assert_eq!((game.get(buckets), game.get(all)), (0, 4));
    game.add(buckets, 3);
    game.end_run().unwrap();
    assert_eq!(game.end_run().unwrap(), None);
    assert_eq!(game.get(all), 7);
}

/// Two copies of a game play the same run. The run that goes on counts when it ends, and the other one feeds no sum: it may go
/// on elsewhere.
#[test]
fn a_run_that_gives_way_feeds_no_sum_in_any_order() {
    let (schema, mut game) = dig();
    let [buckets, all]: [Field<i64>; 2] = ["buckets", "all_buckets"].map(|name| schema.field(name).unwrap());
    game.begin_replacing(None);
    game.add(buckets, 10);
    let base = game.snapshot();
    let on = |by: i64| {
        let mut game = Progress::restored(base.clone());
        game.resume().unwrap();
        game.add(buckets, by);
        game.snapshot()
    };
    let (ours, theirs) = (on(5), on(7));
    let total = |snapshot: Snapshot| {
        let mut game = Progress::restored(snapshot);
        game.end_run().unwrap();
        game.get(all)
    };
    let [one, other] = [[&ours, &theirs], [&theirs, &ours]].map(|[one, other]| {
        let met = reconcile(one, other).unwrap().snapshot;
        let again = reconcile(&met, &ours).unwrap().snapshot;
        assert_eq!(write(&again, &stamp(1)), write(&met, &stamp(1)));
        total(met)
    });
    assert_eq!(one, other);
    assert!([15, 17].contains(&one), "{one}");
}

#[test]
fn a_sum_is_fed_only_from_what_counts_once() {
    let told = |field: &str| {
        let text = format!("{DIG}[fields.tally]\ntype = 'int'\nscope = 'profile'\nkeep = 'sum'\n{field}\n");
        match Schema::parse("progress.toml", &text) {
            Ok(_) => String::new(),
            Err(error) => error.to_string(),
        }
    };
    for (field, message) in [
        (
            "from = 'buckets'\nat = ['finish']",
            "`buckets` outlives a level, so each finish would count it again",
        ),
        ("from = 'shards'\nat = ['run_end']", "`shards` does not have run scope"),
        ("from = 'shards'\nat = ['finish', 'run_end']", "`shards` does not have run scope"),
        ("from = 'all_shards'\nat = ['finish']", "`all_shards` outlives a level"),
        ("from = 'bag'\nat = ['finish']", "`bag` is a set of text, but this field is an int"),
        ("from = 'tally'\nat = ['finish']", "a field cannot be fed from itself"),
        ("from = 'shards'", "a field with `from` needs `at`"),
    ] {
        let told = told(field);
        assert!(told.contains(message), "{field}: {told}");
    }
    assert_eq!(told("from = 'shards'\nat = ['finish']"), "");
}

#[test]
fn a_rehearsal_shows_that_what_was_collected_counts_at_the_goal() {
    let schema = Arc::new(parsed(DIG));
    let text = "begin\nenter pit\nadd shards 3\nquit\nlaunch\nresume\nexpect all_shards == 0\n\
                finish\nexpect all_shards == 3\nexpect levels.pit.shards_here == 3\nkill\nlaunch\nexpect all_shards == 3\n";
    let failure = Rehearsal::parse("dig", text, &schema).unwrap().run().failure;
    assert!(failure.is_none(), "{failure:?}");
}
