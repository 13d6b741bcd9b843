//! Rules: stars and unlocks, which rules are evaluated again and when, and that evaluating allocates nothing.

use std::hint::black_box;
use std::sync::Arc;
use std::time::Duration;

use keblin::progress::{Erase, Progress};
use keblin::save::write;
use keblin::verify::verify;
use keblin::{Field, Notice, Schema};
use proptest::prelude::*;

use crate::round_trip::{events, play, stamp};
use crate::tables::{fen_post, read, schema};

const STARS: &str = r#"
    game = "rated"
    version = 1
    [fields]
    letters = { type = "int", scope = "run", min = 0, on_death = "stays" }
    clock = { type = "time", scope = "level", counts = "playing", on_death = "stays" }
    [[levels]]
    id = "first"
    stars = ["true", "letters >= 6", "clock <= duration('90s')"]
    [[levels]]
    id = "second"
    stars = 2
"#;

/// Finishes the first level with some letters after some seconds; returns the rating, and which stars were earned.
fn finish(game: &mut Progress, letters: i64, seconds: u64) -> (u8, Vec<bool>) {
    let schema = Arc::clone(game.schema());
    game.begin_replacing(None);
    game.enter(schema.level("first").unwrap()).unwrap();
    game.set(schema.field::<i64>("letters").unwrap(), letters);
    game.tick(Duration::from_secs(seconds));
    let finished = game.finish().unwrap().unwrap();
    (finished.stars, finished.star_rules.iter().map(|star| star.held).collect())
}

#[test]
fn stars_by_rules_are_how_many_hold_in_the_best_attempt() {
    let mut game = Progress::new(schema(STARS));
    assert_eq!(finish(&mut game, 0, 100), (1, vec![true, false, false]));
    assert_eq!(finish(&mut game, 6, 100), (2, vec![true, true, false]));
    assert_eq!(finish(&mut game, 0, 90), (2, vec![true, false, true]), "two others do not make a third");
    assert_eq!(finish(&mut game, 9, 30), (3, vec![true, true, true]));
    assert_eq!(finish(&mut game, 0, 100).0, 3, "a worse attempt changes nothing");
}

#[test]
fn stars_can_be_collected_one_by_one_and_survive_closing() {
    let schema = schema(&STARS.replace("version = 1", "version = 1\n    stars_by = 'each'"));
    let mut game = Progress::new(Arc::clone(&schema));
    assert_eq!(finish(&mut game, 6, 100).0, 2);
    let bytes = write(&game.snapshot(), &stamp(1));
    let mut game = verify(&bytes, &schema).unwrap().into_progress();
    assert_eq!(finish(&mut game, 0, 60).0, 3, "the second of this attempt and the third of that one");
    let first = schema.level("first").unwrap();
    game.erase(&Erase::Level(first, None), true).unwrap();
    assert_eq!(game.facts(first, None), keblin::snapshot::LevelFacts::default());
    assert_eq!(finish(&mut game, 0, 60).0, 2, "what was erased is collected anew");
}

#[test]
fn a_finish_says_why_a_star_was_not_given_and_refuses_one_that_is_not_the_games_to_give() {
    let schema = schema(STARS);
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("first").unwrap()).unwrap();
    game.tick(Duration::from_secs(100));
    let finished = game.finish_with_stars(3).unwrap().unwrap();
    let why: Vec<String> =
        finished.star_rules.iter().flat_map(|star| &star.parts).map(|part| part.text(&schema)).collect();
    assert_eq!(why[1..], ["letters: 6 needed, 0 held", "clock: at most 1m30s needed, 1m40s held"]);
    assert_eq!(
        finished.refused[0].to_string(),
        "stars at first: 3 refused: the level's rules decide them; finish without stars"
    );
    assert_eq!(finished.stars, 1, "the rules have decided all the same");
}

const UNLOCKS: &str = r#"
    game = "opens"
    version = 1
    [fields]
    coppers = { type = "int", scope = "profile", min = 0 }
    idle = { type = "int", scope = "profile" }
    [[unlocks]]
    id = "night_mode"
    when = "unlocked.fog_lamp && unlocked.iron_pole"
    [[unlocks]]
    id = "fog_lamp"
    when = "coppers >= 10"
    latch = true
    [[unlocks]]
    id = "iron_pole"
    when = "coppers >= 20"
    [[levels]]
    id = "first"
    [[levels]]
    id = "secret"
    unlock = "unlocked.night_mode || levels.first.finished"
"#;

fn told(game: &mut Progress) -> Vec<String> {
    let schema = Arc::clone(game.schema());
    let news =
        game.drain_notices().filter(|notice| matches!(notice, Notice::Unlocked(_) | Notice::Opened { .. }));
    news.map(|notice| notice.text(&schema)).collect()
}

#[test]
fn unlocks_open_each_other_and_levels_and_each_is_told_once() {
    let schema = schema(UNLOCKS);
    let coppers: Field<i64> = schema.field("coppers").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.set(coppers, 9);
    assert!(told(&mut game).is_empty());
    game.set(coppers, 25);
    assert_eq!(
        told(&mut game),
        ["fog_lamp unlocked", "iron_pole unlocked", "night_mode unlocked", "secret opened"]
    );
    game.set(coppers, 30);
    assert!(told(&mut game).is_empty(), "still given is nothing new");
    game.set(coppers, 0);
    let given = |game: &Progress, id| game.is_unlocked(schema.unlock(id).unwrap());
    assert!(given(&game, "fog_lamp"), "a latched one is never taken back");
    assert!(!given(&game, "iron_pole") && !given(&game, "night_mode"));
    assert!(!game.is_open(schema.level("secret").unwrap(), None));
    let why: Vec<String> = game
        .why_not_unlocked(schema.unlock("night_mode").unwrap())
        .iter()
        .filter(|part| !part.met)
        .map(|part| part.text(&schema))
        .collect();
    assert_eq!(why, ["iron_pole is not unlocked"]);
    let mut again = verify(&write(&game.snapshot(), &stamp(1)), &schema).unwrap().into_progress();
    assert!(given(&again, "fog_lamp") && !given(&again, "iron_pole"));
    assert!(told(&mut again).is_empty(), "an old unlock is not reported after opening");
    again.erase(&Erase::Profile, true).unwrap();
    assert!(!given(&again, "fog_lamp"));
}

#[test]
fn rules_that_take_each_other_back_come_to_rest() {
    let text =
        UNLOCKS.replace("unlocked.fog_lamp && unlocked.iron_pole", "!unlocked.iron_pole && coppers > 0");
    let schema = schema(&text.replace("\"coppers >= 20\"", "\"!unlocked.night_mode && coppers > 0\""));
    let mut game = Progress::new(Arc::clone(&schema));
    game.set(schema.field::<i64>("coppers").unwrap(), 5);
    assert!(game.rules_asked() < 50);
}

#[test]
fn only_rules_that_name_what_has_changed_are_asked_again() {
    let schema = schema(UNLOCKS);
    let (coppers, idle): (Field<i64>, Field<i64>) =
        (schema.field("coppers").unwrap(), schema.field("idle").unwrap());
    let mut game = Progress::new(Arc::clone(&schema));
    for value in 1..100 {
        game.set(idle, value);
    }
    assert_eq!(game.rules_asked(), 0, "no rule names this");
    game.set(coppers, 1);
    assert_eq!(game.rules_asked(), 2, "two rules name it, and what they give has not changed");
    game.set(coppers, 1);
    assert_eq!(game.rules_asked(), 2, "an equal value is not a change");
    game.set(coppers, 10);
    assert_eq!(game.rules_asked(), 2 + 2 + 1, "the lamp is given, and one rule names it");
}

#[test]
fn evaluating_and_writing_allocate_nothing() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    let rules = [
        "oil > 3 && letters < 5 || boats == 4",
        "totals.all.stars >= 8",
        "phase in ['map', 'playing']",
        "size(difficulty) > 2",
    ];
    let programs = rules.map(|rule| keblin::condition::compile(&schema, rule).unwrap());
    let counted = allocation_counter::measure(|| {
        for _ in 0..1000 {
            for program in &programs {
                black_box(program.holds(black_box(&game), 0));
            }
        }
    });
    assert_eq!(counted.count_total, 0, "evaluating");
    let (oil, clock_frames): (Field<i64>, u32) = (schema.field("oil").unwrap(), 1000);
    game.add(oil, -1);
    // The journal fills its ring first; after that it needs no more memory.
    (0..600).for_each(|_| drop(game.add(oil, 1)));
    (0..600).for_each(|i| drop(game.set(oil, i % 50)));
    let mut lists = 0;
    let counted = allocation_counter::measure(|| {
        for frame in 0..clock_frames {
            game.tick(Duration::from_millis(16));
            game.set(oil, i64::from(frame % 60));
            black_box(game.get(oil));
            // A game takes its notices; otherwise they would pile up.
            lists += u64::from(game.drain_notices().len() > 0);
        }
    });
    assert!((1..100).contains(&lists), "the lamp goes out now and then: {lists}");
    assert_eq!(counted.count_total, lists, "nothing but a list where there are notices");
}

/// The demo's declaration with its levels in another order.
fn reordered(order: &[usize]) -> Arc<Schema> {
    let text = read("demo/progress.toml");
    let (head, rest) = text.split_once("[[levels]]").unwrap();
    let (levels, unlocks) = rest.split_once("[[unlocks]]").unwrap();
    let levels: Vec<&str> = levels.split("[[levels]]").collect();
    let levels: Vec<String> = order.iter().map(|index| format!("[[levels]]{}", levels[*index])).collect();
    schema(&format!("{head}{}[[unlocks]]{unlocks}", levels.join("\n")))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn what_is_open_does_not_depend_on_the_order_of_the_declaration(
        order in Just((0..7_usize).collect::<Vec<_>>()).prop_shuffle(),
        finished in prop::collection::vec((0..7_usize, 0..4_i64), 0..20),
    ) {
        let (plain, other) = (fen_post(), reordered(&order));
        let open = |schema: &Arc<Schema>| {
            let mut game = Progress::new(Arc::clone(schema));
            game.begin(None).unwrap();
            for (level, stars) in &finished {
                let name = plain.levels[*level].name.as_str();
                if game.enter(schema.level(name).unwrap()).is_ok() {
                    game.tick(Duration::from_secs(1));
                    // The last level ends the run if it is the last in order, but the test is not about that.
                    game.finish_with_stars(*stars).unwrap();
                    if !game.has_run() {
                        game.begin(None).unwrap();
                    }
                }
            }
            let names = plain.levels.iter().map(|level| schema.level(level.name.as_str()).unwrap());
            let levels: Vec<bool> = names.map(|level| game.is_open(level, None)).collect();
            let unlocks = plain.unlocks.iter().map(|unlock| game.is_unlocked(schema.unlock(unlock.name.as_str()).unwrap()));
            (levels, unlocks.collect::<Vec<_>>())
        };
        prop_assert_eq!(open(&plain), open(&other));
    }

    #[test]
    fn a_refused_event_leaves_the_snapshot_byte_for_byte(before in events(), event in (any::<u8>(), any::<i64>())) {
        let schema = fen_post();
        let mut game = play(&schema, &before);
        let bytes = write(&game.snapshot(), &stamp(1));
        let level = schema.level_at(usize::from(event.0 % 7)).unwrap();
        let oil: Field<i64> = schema.field("oil").unwrap();
        let refused = match event.0 % 9 {
            0 => game.begin(None).is_err(),
            1 => game.enter(level).is_err(),
            2 => game.set(oil, event.1).refused.is_some(),
            3 => game.spend(oil, event.1).is_err(),
            4 => game.respawn().is_err(),
            5 => game.retry().is_err(),
            6 => game.finish().is_err(),
            7 => game.resume().is_err(),
            _ => game.erase(&Erase::Profile, false).is_err(),
        };
        if refused {
            prop_assert_eq!(write(&game.snapshot(), &stamp(1)), bytes);
        }
    }

    #[test]
    fn no_fact_and_no_record_ever_gets_worse(before in events(), after in events()) {
        let schema = fen_post();
        let mut game = play(&schema, &before);
        let names = |game: &Progress| -> Vec<(bool, u8, Option<i64>)> {
            let mut all = Vec::new();
            for level in (0..7).filter_map(|index| schema.level_at(index)) {
                for difficulty in (0..2).filter_map(|index| schema.difficulty_at(index)) {
                    let facts = game.facts(level, Some(difficulty));
                    let best = schema.field_per::<Option<keblin::Time>, _>("best_crossing").unwrap().at((level, difficulty));
                    all.push((facts.finished, facts.stars, game.get(best).map(|time| -time.as_nanos())));
                }
            }
            all.push((false, 0, game.get(schema.field::<Option<i64>>("best_letters").unwrap()).option()));
            all
        };
        let earlier = names(&game);
        crate::round_trip::play_on(&mut game, &after);
        for (earlier, later) in earlier.iter().zip(names(&game)) {
            prop_assert!(later.0 >= earlier.0 && later.1 >= earlier.1 && later.2 >= earlier.2, "{:?} {:?}", earlier, later);
        }
    }
}
