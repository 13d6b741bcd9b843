//! Frames: signals, clocks, data that arrives late, events as values, and looking at progress.

use std::sync::Arc;
use std::time::Duration;

use keblin::progress::{Event, Fed, Outcome, Signal};
use keblin::{Field, Notice, Progress, Schema, Time, Value};

use crate::tables::{fen_post, schema};

fn in_long_mere() -> (Arc<Schema>, Progress) {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    game.suppose_asked(
        &keblin::condition::names::named(&schema, "levels.reedgate.neap.finished").unwrap(),
        Value::Bool(true),
    )
    .unwrap();
    game.begin(None).unwrap();
    game.enter(schema.level("long_mere").unwrap()).unwrap();
    (schema, game)
}

#[test]
fn feeds_of_one_signal_between_two_ticks_count_together() {
    let (_, mut game) = in_long_mere();
    let frame = Duration::from_millis(16);
    let lever = Signal::Own("lever");
    assert_eq!(game.feed(lever, false).unwrap(), Fed::Nothing);
    assert_eq!(game.feed(lever, true).unwrap(), Fed::Happened, "one system says yes, another no");
    assert_eq!(game.feed(lever, false).unwrap(), Fed::Nothing);
    game.tick(frame);
    assert_eq!(game.feed(lever, true).unwrap(), Fed::Nothing, "it was true in the frame before");
    game.tick(frame);
    game.tick(frame);
    assert_eq!(game.feed(lever, true).unwrap(), Fed::Happened, "a frame in which nobody fed it lies between");
}

#[test]
fn signals_are_armed_by_what_begins_and_not_by_frames_while_down() {
    let (schema, mut game) = in_long_mere();
    let frame = Duration::from_millis(16);
    assert!(matches!(game.feed(Signal::Death, true).unwrap(), Fed::Died(Some(_))));
    (0..9).for_each(|_| game.tick(frame));
    game.respawn().unwrap();
    assert_eq!(game.feed(Signal::Death, true).unwrap(), Fed::Nothing, "nine frames, all of them down");
    game.tick(frame);
    game.leave().unwrap();
    game.resume().unwrap();
    assert!(matches!(game.feed(Signal::Death, true).unwrap(), Fed::Died(Some(_))), "a resume arms it");
    let mut copy = Progress::restored(game.snapshot());
    copy.resume().unwrap();
    assert!(matches!(copy.feed(Signal::Death, true).unwrap(), Fed::Died(Some(_))), "marks are not saved");
    assert!(matches!(game.feed(Signal::Finish, true).unwrap(), Fed::Finished(None)), "not while down");
    assert_eq!(schema.level("long_mere").ok(), game.level());
}

#[test]
fn frames_of_any_length_add_up_to_real_time() {
    let (schema, mut game) = in_long_mere();
    let clock: Field<Time> = schema.field("route_clock").unwrap();
    (0..60).for_each(|_| game.tick_secs(1.0 / 60.0));
    (0..30).for_each(|_| game.tick_secs(1.0 / 30.0));
    game.tick_secs(2.5);
    assert_eq!(game.get(clock), Time::from_millis(4500), "to the nanosecond");
    for nonsense in [-1.0, f64::NAN, f64::INFINITY] {
        game.tick_secs(nonsense);
    }
    game.pause(true);
    game.tick_secs(60.0);
    assert_eq!((game.get(clock), game.is_paused()), (Time::from_millis(4500), true));
    game.pause(false);
    game.tick_secs(0.5);
    assert_eq!(game.get(clock), Time::from_millis(5000));
}

#[test]
fn a_pause_ends_with_the_visit_and_lasts_through_a_loading_screen_and_a_retry() {
    let (schema, _) = in_long_mere();
    let next = schema.level("long_mere").unwrap();
    let after = |leave: &dyn Fn(&mut Progress)| {
        let (_, mut game) = in_long_mere();
        game.pause(true);
        leave(&mut game);
        game.is_paused()
    };
    assert!(after(&|game| _ = game.retry().unwrap()));
    assert!(after(&|game| _ = game.die()), "a life is left");
    assert!(!after(&|game| _ = game.leave().unwrap()));
    assert!(!after(&|game| _ = game.finish().unwrap()));
    assert!(!after(&|game| _ = game.end_run().unwrap()));
    assert!(!after(&|game| _ = game.begin_replacing(None)));
    let (_, mut game) = in_long_mere();
    let held = game.snapshot();
    game.pause(true);
    game.load(&held, true).unwrap();
    assert!(!game.is_paused());
    game.leave().unwrap();
    game.pause(true);
    game.enter(next).unwrap();
    assert!(game.is_paused(), "a loading screen that began on the map");
}

const LATE: &str = r#"
    game = "late"
    version = 1
    [fields]
    coppers = { type = "int", scope = "profile", default = 120, min = 0 }
    name = { type = "text", scope = "profile", max_len = 9 }
    best = { type = "int", scope = "profile", keep = "highest" }
    walked = { type = "int", scope = "profile", keep = "sum" }
    oil = { type = "int", scope = "run", default = 60, on_death = "stays" }
    [[levels]]
    id = "brook"
    stars = 3
    [[levels]]
    id = "weir"
    unlock = "levels.brook.finished"
"#;

fn saved_before() -> (Arc<Schema>, keblin::Snapshot) {
    let schema = schema(LATE);
    let int = |id: &str| schema.field::<i64>(id).unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.set(int("coppers"), 300);
    game.set(schema.field::<String>("name").unwrap(), "Otter".into());
    game.submit(schema.field::<Option<i64>>("best").unwrap(), 44);
    game.add(int("walked"), 1000);
    game.begin(None).unwrap();
    game.enter(schema.level("brook").unwrap()).unwrap();
    game.tick(Duration::from_secs(100));
    game.set(int("oil"), 5);
    (Arc::clone(&schema), game.snapshot())
}

#[test]
fn data_that_arrives_late_neither_loses_nor_is_lost() {
    let (schema, saved) = saved_before();
    let int = |id: &str| schema.field::<i64>(id).unwrap();
    let best: Field<Option<i64>> = schema.field("best").unwrap();
    let mut game = Progress::awaiting(Arc::clone(&schema));
    assert!(!game.is_ready());
    game.submit(best, 10);
    game.set(int("coppers"), 7);
    game.add(int("walked"), 5);
    assert_eq!(game.drain_notices().count(), 0, "neither first run nor a record of 10 is reported");
    game.arrive(Some(saved));
    assert_eq!(game.get(best), Some(44), "what was submitted meanwhile did not beat it");
    assert_eq!(game.get(int("coppers")), 7, "what was set meanwhile stands");
    assert_eq!(
        game.get(schema.field::<String>("name").unwrap()),
        "Otter",
        "what was not touched is as saved"
    );
    assert_eq!(game.get(int("walked")), 1005, "what gains, gains on top");
    assert_eq!(game.get(int("oil")), 5, "and the run waits");
    assert_eq!(game.drain_notices().collect::<Vec<_>>(), [Notice::Restored, Notice::Ready]);
    assert!(game.resume_point().is_some() && game.is_ready());
}

#[test]
fn a_run_begun_while_the_data_was_on_its_way_stays() {
    let (schema, saved) = saved_before();
    let brook = schema.level("brook").unwrap();
    let mut game = Progress::awaiting(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(brook).unwrap();
    game.tick(Duration::from_secs(2));
    game.finish_with_stars(2).unwrap();
    game.submit(schema.field::<Option<i64>>("best").unwrap(), 50);
    game.drain_notices().for_each(drop);
    game.arrive(Some(saved));
    assert_eq!(game.get(schema.field::<i64>("oil").unwrap()), 60);
    let facts = game.facts(brook, None);
    assert_eq!((facts.finished, facts.stars, facts.attempts), (true, 2, 2), "both visits count");
    let told: Vec<&str> = game.drain_notices().map(|notice| notice.word()).collect();
    assert_eq!(told, ["restored", "opened", "new_record", "run_over", "ready"], "now that it is sure");
    let mut first = Progress::awaiting(Arc::clone(&schema));
    first.arrive(None);
    assert_eq!(first.drain_notices().collect::<Vec<_>>(), [Notice::FirstRun, Notice::Ready]);
}

#[test]
fn events_are_values_that_do_what_their_methods_do() {
    let schema = fen_post();
    let (oil, letters): (Field<Value>, Field<Value>) =
        (schema.field("oil").unwrap(), schema.field("letters").unwrap());
    let reedgate = schema.level("reedgate").unwrap();
    let osier = schema.checkpoint(reedgate, "osier").unwrap();
    let queue = [
        Event::Begin { difficulty: None, replacing: false },
        Event::Enter(reedgate),
        Event::Add(oil, Value::Int(-10)),
        Event::Reach(osier),
        Event::Set(letters, Value::Int(3)),
        Event::Tick(Duration::from_secs(3)),
        Event::Feed(Signal::Death, true),
        Event::Respawn,
        Event::Finish(Some(2)),
    ];
    let mut game = Progress::new(Arc::clone(&schema));
    for event in &queue {
        game.apply(event).unwrap_or_else(|refused| panic!("{event:?}: {refused}"));
    }
    let mut by_hand = Progress::new(Arc::clone(&schema));
    by_hand.begin(None).unwrap();
    by_hand.enter(reedgate).unwrap();
    by_hand.add(schema.field::<i64>("oil").unwrap(), -10);
    by_hand.reach(osier).unwrap();
    by_hand.set(schema.field::<i64>("letters").unwrap(), 3);
    by_hand.tick(Duration::from_secs(3));
    by_hand.die();
    by_hand.respawn().unwrap();
    by_hand.finish_with_stars(2).unwrap();
    assert!(game.snapshot() == by_hand.snapshot());
    let Outcome::Changed(change) = game.apply(&Event::Set(oil, Value::text("full"))).unwrap() else {
        panic!("a write answers with its change")
    };
    assert_eq!(change.refused.unwrap().to_string(), "oil: refused: expected an int, but found \"full\"");
    assert!(game.apply(&Event::Respawn).is_err());
}

#[test]
fn every_value_can_be_looked_at_with_its_place_and_copies() {
    let (schema, mut game) = in_long_mere();
    assert_eq!(game.values().count(), schema.cell_count);
    let best: Vec<String> = game
        .values()
        .filter(|held| held.field.name.as_str() == "best_crossing")
        .map(|held| schema.place_text(&held.field.per, held.at))
        .collect();
    assert_eq!(
        (best.len(), best[0].as_str(), best[13].as_str()),
        (14, "reedgate, neap", "lantern_quay, spring")
    );
    let oil: Field<i64> = schema.field("oil").unwrap();
    game.add(oil, -10);
    game.reach(schema.checkpoint(schema.level("long_mere").unwrap(), "willow").unwrap()).unwrap();
    game.add(oil, -10);
    let line = |game: &Progress| {
        let lines = game.overlay();
        lines.iter().find(|line| line.name == "oil").unwrap().to_string()
    };
    assert_eq!(line(&game), "oil 40 (checkpoint 50, entry 60) unsaved");
    game.note_written(game.snapshot());
    assert_eq!(line(&game), "oil 40 (checkpoint 50, entry 60)");
    assert!(game.overlay().iter().any(|line| line.to_string() == "coppers 120 default"));
}

#[test]
fn a_level_that_takes_no_part_in_what_is_carried_is_named() {
    let (schema, mut game) = in_long_mere();
    game.watch_coverage();
    let (oil, letters): (Field<i64>, Field<i64>) =
        (schema.field("oil").unwrap(), schema.field("letters").unwrap());
    game.add(oil, -1);
    let _ = (game.get(oil), game.get(letters));
    game.finish().unwrap();
    game.enter(schema.level("otter_weir").unwrap()).unwrap();
    let _ = game.get(letters);
    let covered = game.coverage();
    let names = |names: &[keblin::Name]| names.iter().map(ToString::to_string).collect::<Vec<_>>();
    assert_eq!(covered.len(), 2, "only what was played");
    assert_eq!(names(&covered[0].never_read), ["oil_cap", "satchel", "boats", "run_clock"]);
    assert_eq!(names(&covered[0].never_changed), ["letters", "oil_cap", "satchel", "boats", "run_clock"]);
    assert_eq!(names(&covered[1].never_read), ["oil", "oil_cap", "satchel", "boats", "run_clock"]);
    assert!(names(&covered[1].never_changed).contains(&"oil".to_string()));
}

#[test]
#[should_panic(expected = "a value call was refused, and progress is strict: oil: refused: expected an int")]
fn strict_progress_does_not_pass_over_a_refusal() {
    let (schema, mut game) = in_long_mere();
    game.strict();
    game.set(schema.field::<Value>("oil").unwrap(), Value::Bool(true));
}

#[test]
fn twenty_values_fed_every_frame_allocate_nothing() {
    let mut text = "game = 'fed'\nversion = 1\n[[levels]]\nid = 'brook'\n".to_string();
    for number in 0..20 {
        let kind = ["int", "float", "time", "bool", "vec3"][number % 5];
        text += &format!("[fields.value_{number}]\ntype = '{kind}'\nscope = 'run'\non_death = 'stays'\n");
    }
    let schema = schema(&text);
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("brook").unwrap()).unwrap();
    let handle = |number: usize| schema.field::<Value>(&format!("value_{number}")).unwrap();
    let handles: Vec<Field<Value>> = (0..20).map(handle).collect();
    let part = |number: f32| keblin::value::Part::new(number).unwrap();
    let frame = |game: &mut Progress, frame: u16| {
        for (number, handle) in handles.iter().enumerate() {
            let value = match number % 5 {
                0 => Value::Int(frame.into()),
                1 => Value::float(frame.into()).unwrap(),
                2 => Value::Time(Time::from_millis(frame.into())),
                3 => Value::Bool(frame.is_multiple_of(2)),
                _ => Value::Vec3([part(frame.into()), part(0.5), part(-1.0)]),
            };
            game.set(*handle, value);
        }
        let _ = game.feed(Signal::Death, false);
        game.tick_secs(1.0 / 60.0);
    };
    // The journal fills its ring first; after that it needs no more memory.
    (0..50).for_each(|number| frame(&mut game, number));
    let counted = allocation_counter::measure(|| (0..10_000).for_each(|number| frame(&mut game, number)));
    assert_eq!(counted.count_total, 0);
}
