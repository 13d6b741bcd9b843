//! Values: what a write does, by keep rule and bounds.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::time::Duration;

use keblin::progress::journal::JOURNAL_ENTRIES;
use keblin::progress::{Change, Why};
use keblin::{Field, Notice, Progress, Schema, Time, Value};

use crate::tables::schema;

fn game() -> (Arc<Schema>, Progress) {
    let schema = schema(
        r#"
        game = "values"
        version = 1
        [fields]
        oil = { type = "int", scope = "run", default = 60, min = 0, max = 90, on_death = "stays" }
        free = { type = "int", scope = "profile" }
        coppers = { type = "int", scope = "profile", default = 120, min = 0 }
        name = { type = "text", scope = "profile", max_len = 4 }
        met = { type = "bool", scope = "profile", keep = "once" }
        best = { type = "int", scope = "profile", keep = "highest", min = 0, max = 100 }
        fastest = { type = "time", scope = "profile", keep = "lowest", min = "1ms" }
        air = { type = "time", scope = "run", default = "30s", max = "30s", min = "0s", on_death = "stays" }
        clock = { type = "time", scope = "level", counts = "playing", max = "10s", on_death = "stays" }
        [[levels]]
        id = "first"
        "#,
    );
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("first").unwrap()).unwrap();
    (schema, game)
}

fn int(schema: &Schema, id: &str) -> Field<i64> {
    schema.field(id).unwrap()
}

#[track_caller]
fn assert_changed(change: &Change, before: i64, after: i64, clamped: bool) {
    assert_eq!((&change.before, &change.after), (&Value::Int(before), &Value::Int(after)));
    assert_eq!((change.clamped, &change.refused), (clamped, &None));
}

#[test]
fn a_plain_value_stops_at_its_bounds_and_says_so() {
    let (schema, mut game) = game();
    let oil = int(&schema, "oil");
    assert_changed(&game.set(oil, 95), 60, 90, true);
    assert_changed(&game.add(oil, -100), 90, 0, true);
    assert_changed(&game.add(oil, 30), 0, 30, false);
    assert_changed(&game.add(oil, i64::MAX), 30, 90, true);
    assert_changed(&game.set(oil, i64::MIN), 90, 0, true);
}

#[test]
fn nothing_ever_wraps_around() {
    let (schema, mut game) = game();
    let free = int(&schema, "free");
    assert_changed(&game.set(free, i64::MAX), 0, i64::MAX, false);
    assert_changed(&game.add(free, 1), i64::MAX, i64::MAX, true);
    game.set(free, i64::MIN);
    assert_changed(&game.add(free, -1), i64::MIN, i64::MIN, true);
    let spent = game.spend(free, 1).unwrap_err();
    assert!(matches!(*spent.why, Why::NotEnough { .. }));
}

#[test]
fn spending_takes_all_or_nothing() {
    let (schema, mut game) = game();
    let coppers = int(&schema, "coppers");
    let refused = game.spend(coppers, 130).unwrap_err();
    assert_eq!(refused.to_string(), "coppers: cannot spend 130 of 120: at least 0 must remain");
    assert_eq!(game.get(coppers), 120);
    assert_changed(&game.spend(coppers, 120).unwrap(), 120, 0, false);
    let refused = game.spend(coppers, -1).unwrap_err();
    assert_eq!(refused.to_string(), "coppers: cannot spend -1: expected at least 0; to add, call `add`");
}

#[test]
fn a_record_keeps_the_better_value_and_an_equal_one_is_not_new() {
    let (schema, mut game) = game();
    let best: Field<Option<i64>> = schema.field("best").unwrap();
    let fastest: Field<Option<Time>> = schema.field("fastest").unwrap();
    game.drain_notices().for_each(drop);
    assert_eq!((game.get(best).option(), game.get(fastest).option()), (None, None));
    for (offered, kept) in [(0, 0), (7, 7), (5, 7), (7, 7), (9, 9)] {
        game.submit(best, offered);
        assert_eq!(game.get(best), Some(kept), "after {offered}");
    }
    for (offered, kept) in [(92_400, 92_400), (95_100, 92_400), (88_050, 88_050), (88_050, 88_050)] {
        game.submit(fastest, Time::from_millis(offered));
        assert_eq!(game.get(fastest), Some(Time::from_millis(kept)), "after {offered}");
    }
    let records = game.drain_notices().filter(|notice| matches!(notice, Notice::NewRecord(_))).count();
    assert_eq!(records, 3 + 2, "0, 7 and 9; 92.4 s and 88.05 s");
}

#[test]
fn a_record_out_of_bounds_is_refused_rather_than_clamped() {
    let (schema, mut game) = game();
    let best: Field<Option<i64>> = schema.field("best").unwrap();
    let fastest: Field<Option<Time>> = schema.field("fastest").unwrap();
    for offered in [-1, 101] {
        let change = game.submit(best, offered);
        let message = change.refused.unwrap().to_string();
        assert_eq!(message, format!("best: {offered} refused: expected 0 to 100"));
        assert_eq!(change.before, change.after);
    }
    for (offered, shown) in [(0, "0s"), (-5, "-5ms")] {
        let refused = game.submit(fastest, Time::from_millis(offered)).refused.unwrap();
        assert_eq!(refused.to_string(), format!("fastest: {shown} refused: expected at least 1ms"));
    }
    assert_eq!((game.get(best).option(), game.get(fastest).option()), (None, None));
    let refused = game.add(best, 1).refused.unwrap();
    assert_eq!(refused.to_string(), "best is unset: set it first");
}

#[test]
fn what_is_kept_once_never_turns_back() {
    let (schema, mut game) = game();
    let met: Field<bool> = schema.field("met").unwrap();
    assert!(!game.get(met));
    game.set(met, true);
    let change = game.set(met, false);
    assert_eq!((change.after, change.refused), (Value::Bool(true), None));
    assert!(game.get(met));
}

#[test]
fn a_text_has_at_most_its_characters() {
    let (schema, mut game) = game();
    let name: Field<String> = schema.field("name").unwrap();
    game.set(name, "Ötti".to_string());
    assert_eq!(game.get(name), "Ötti", "characters are counted, not bytes");
    let refused = game.set(name, "Ottie".to_string()).refused.unwrap();
    assert_eq!(refused.to_string(), "name: refused: expected at most 4 characters, but found 5");
    assert_eq!(game.get(name), "Ötti");
}

#[test]
fn clocks_count_real_time_in_play_and_stop_at_their_bound() {
    let (schema, mut game) = game();
    let clock: Field<Time> = schema.field("clock").unwrap();
    for (frames, frame) in [(60, 1.0 / 60.0), (30, 1.0 / 30.0), (1, 2.5)] {
        (0..frames).for_each(|_| game.tick(Duration::from_secs_f64(frame)));
    }
    let nanos = game.get(clock).as_nanos();
    assert!((nanos - 4_500_000_000).abs() < 100, "{nanos}: 90 frames are each rounded to a nanosecond");
    game.leave().unwrap();
    game.tick(Duration::from_secs(60));
    assert_eq!(game.get(clock).as_nanos(), nanos, "the map is not play");
    game.resume().unwrap();
    game.tick(Duration::MAX);
    assert_eq!(game.get(clock), Time::from_millis(10_000));
}

#[test]
fn times_can_be_added_and_spent() {
    let (schema, mut game) = game();
    let air: Field<Time> = schema.field("air").unwrap();
    game.spend(air, Time::from_millis(12_500)).unwrap();
    assert_eq!(game.get(air), Time::from_millis(17_500));
    let refused = game.spend(air, Time::from_millis(20_000)).unwrap_err();
    assert_eq!(refused.to_string(), "air: cannot spend 20s of 17.5s: at least 0s must remain");
    assert!(game.add(air, Time::from_millis(60_000)).clamped);
    assert_eq!(game.get(air), Time::from_millis(30_000));
}

#[test]
fn the_journal_says_what_changed_a_value_last_and_why() {
    let (schema, mut game) = game();
    let oil = int(&schema, "oil");
    game.add(oil, -10);
    game.add(oil, 0);
    game.spend(oil, 5).unwrap();
    let told: Vec<String> = game.journal().map(|entry| entry.text(&schema)).collect();
    assert_eq!(told[told.len() - 2..], ["oil: 60 -> 50 (add -10)", "oil: 50 -> 45 (spend 5)"]);
    assert_eq!(game.clone().journal().count(), 0, "a clone starts its own");
}

#[test]
fn the_journal_is_bounded_and_ticks_do_not_fill_it() {
    let (schema, mut game) = game();
    let before = game.journal().count();
    (0..1000).for_each(|_| game.tick(Duration::from_millis(1)));
    assert_eq!(game.journal().count(), before + 1, "a row of ticks is one entry a clock");
    let oil = int(&schema, "oil");
    (0..1000).for_each(|i| drop(game.set(oil, i % 7)));
    assert_eq!(game.journal().count(), JOURNAL_ENTRIES);
    let numbers: Vec<u64> = game.journal().map(|entry| entry.number).collect();
    assert!(numbers.windows(2).all(|pair| pair[1] == pair[0] + 1));
}

#[test]
#[should_panic = "a field handle was used with progress of another schema"]
fn a_handle_of_another_schema_is_a_mistake_in_the_program() {
    let (_, game) = game();
    let other = schema("game = 'other'\nversion = 1\n[fields]\noil = { type = 'int', scope = 'profile' }\n");
    let _ = game.get(other.field::<i64>("oil").unwrap());
}

#[test]
fn a_table_of_best_values_at_one_place_is_not_that_of_another() {
    let text = "game = 'reeds'\nversion = 1\ndifficulties = ['calm', 'wild']\n[fields.best]\ntype = 'int'\nscope = 'profile'\n\
                keep = 'highest'\nplaces = 2\nper = ['difficulty']\n";
    let schema = keblin::Schema::parse("progress.toml", text).unwrap().schema;
    let best = schema.field_per::<Option<i64>, _>("best").unwrap();
    let [calm, wild] = ["calm", "wild"].map(|id| best.at(schema.difficulty(id).unwrap()));
    let mut game = keblin::Progress::new(schema);
    for (field, values) in [(calm, [4, 3]), (wild, [8, 9])] {
        values.into_iter().for_each(|value| drop(game.submit(field, value)));
    }
    let held: Vec<String> = game.values().map(|held| held.value.to_string()).collect();
    assert_eq!(held, ["4", "3", "9", "8"]);
    assert_eq!((game.get(calm).option(), game.get(wild).option()), (Some(4), Some(9)));
}

#[test]
fn a_collection_takes_whatever_iterates_and_all_of_it_or_nothing() {
    let schema = schema(
        "game = 'otter'\nversion = 1\n[fields]\n\
         bag = { type = 'list', of = 'text', max_len = 6, max_items = 4, scope = 'profile' }\n\
         seen = { type = 'set', of = 'int', max_items = 9, scope = 'profile' }\n\
         prices = { type = 'map', key = 'text', of = 'int', max_len = 6, max_items = 9, scope = 'profile' }\n",
    );
    let bag: Field<Vec<String>> = schema.field("bag").unwrap();
    let seen: Field<BTreeSet<i64>> = schema.field("seen").unwrap();
    let prices: Field<BTreeMap<String, i64>> = schema.field("prices").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.set_items(bag, "reed shell".split(' ').map(String::from));
    game.extend(bag, ["oar".to_string()]);
    assert_eq!(format!("{:?}", game.get(bag)), r#"["reed", "shell", "oar"]"#);
    assert_eq!(game.get(bag).iter().collect::<Vec<_>>(), ["reed", "shell", "oar"]);
    let refused = game.extend(bag, ["rope", "lantern"].map(String::from)).refused.unwrap().to_string();
    assert!(refused.starts_with("bag: refused: "), "{refused}");
    assert_eq!(game.get(bag).len(), 3, "the rope did not go in alone");
    game.extend(seen, [5, 3].into_iter().chain(4..6));
    game.extend(seen, []);
    assert_eq!(game.get(seen).iter().collect::<Vec<_>>(), [3, 4, 5]);
    game.set_items(seen, [1, 1]);
    assert_eq!(game.get(seen).iter().collect::<Vec<_>>(), [1]);
    game.extend(prices, [("oar".to_string(), 3), ("reed".to_string(), 1)]);
    let change = game.extend(prices, BTreeMap::from([("oar".to_string(), 4)]));
    assert!(change.refused.is_none());
    assert_eq!(game.get(prices).iter().collect::<Vec<_>>(), [("oar", 4), ("reed", 1)]);
    let last = game.journal().next_back().unwrap().text(game.schema());
    assert!(last.contains("put"), "{last}");
}
