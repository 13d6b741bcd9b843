//! Erasing: what is erased, what stays, and that nothing is erased without confirmation.

use std::sync::Arc;
use std::time::Duration;

use keblin::condition::names::{Fact, named};
use keblin::progress::{Erase, Erased, Progress, Why};
use keblin::save::write;
use keblin::snapshot::LevelFacts;
use keblin::verify::verify;
use keblin::{Difficulty, Field, Level, Notice, Phase, Schema, Time, Value};

use crate::round_trip::stamp;
use crate::tables::fen_post;

/// Reedgate finished on both tides, Long Mere on neap, and a run in progress on spring.
fn played() -> (Arc<Schema>, Progress) {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    for (tide, level, stars, seconds) in
        [("neap", "reedgate", 3, 90), ("neap", "long_mere", 2, 95), ("spring", "reedgate", 1, 80)]
    {
        game.begin_replacing(schema.difficulty(tide).ok());
        game.enter(schema.level(level).unwrap()).unwrap();
        game.add(schema.field::<i64>("letters").unwrap(), 5);
        game.tick(Duration::from_secs(seconds));
        game.finish_with_stars(stars).unwrap();
    }
    game.drain_notices().for_each(drop);
    (schema, game)
}

#[test]
fn what_was_erased_does_not_come_back_by_damage() {
    let (schema, mut game) = played();
    let folder = tempfile::tempdir().unwrap();
    let slot = keblin::SaveDir::at(folder.path()).slot("otter").unwrap();
    slot.save(&game.snapshot(), "quit").unwrap();
    slot.save(&game.snapshot(), "quit").unwrap();
    game.erase(&Erase::Profile, true).unwrap();
    slot.save_erased(&game.snapshot(), "erase").unwrap();
    std::fs::write(slot.path(), b"damaged").unwrap();
    let opened = slot.open(&schema).unwrap().progress;
    assert_eq!(opened.get(schema.field::<Option<i64>>("best_letters").unwrap()), None);
    assert_eq!(opened.facts(names(&schema).reedgate, None), LevelFacts::default());
}

struct Names {
    reedgate: Level,
    long_mere: Level,
    neap: Difficulty,
    spring: Difficulty,
}

fn names(schema: &Schema) -> Names {
    Names {
        reedgate: schema.level("reedgate").unwrap(),
        long_mere: schema.level("long_mere").unwrap(),
        neap: schema.difficulty("neap").unwrap(),
        spring: schema.difficulty("spring").unwrap(),
    }
}

fn best(schema: &Schema, level: Level, difficulty: Difficulty) -> Field<Option<Time>> {
    schema.field_per("best_crossing").unwrap().at((level, difficulty))
}

fn listed(erased: &[Erased]) -> Vec<String> {
    erased.iter().map(|one| format!("{}: {}", one.name, one.before)).collect()
}

#[test]
fn without_a_yes_nothing_goes_and_what_would_go_is_listed() {
    let (schema, mut game) = played();
    let before = game.snapshot();
    let what = Erase::Level(names(&schema).reedgate, Some(names(&schema).spring));
    let refused = game.erase(&what, false).unwrap_err();
    assert!(game.snapshot() == before);
    let Why::NotConfirmed { would } = refused.why.as_ref() else { panic!("{refused}") };
    assert_eq!(
        would,
        &[
            "best_crossing at reedgate, spring",
            "finished at reedgate, spring",
            "stars at reedgate, spring",
            "attempts at reedgate, spring",
        ]
    );
    assert!(
        refused.to_string().starts_with(
            "`erase` needs confirmation (`yes = true`); it would erase: best_crossing at reedgate"
        )
    );
    let nothing = Erase::Field(schema.field_named("coppers").unwrap().0);
    let refused = game.erase(&nothing, false).unwrap_err();
    assert_eq!(refused.to_string(), "`erase` needs confirmation (`yes = true`); it would erase nothing");
}

#[test]
fn a_level_goes_on_one_difficulty_or_on_all_with_its_records() {
    let (schema, mut game) = played();
    let Names { reedgate, long_mere, neap, spring } = names(&schema);
    let erased = game.erase(&Erase::Level(reedgate, Some(neap)), true).unwrap();
    assert_eq!(
        listed(&erased),
        [
            "best_crossing at reedgate, neap: 1m30s",
            "finished at reedgate, neap: true",
            "stars at reedgate, neap: 3",
            "attempts at reedgate, neap: 1",
        ]
    );
    assert_eq!(game.facts(reedgate, Some(neap)), LevelFacts::default());
    assert_eq!((game.facts(reedgate, Some(spring)).stars, game.facts(long_mere, Some(neap)).stars), (1, 2));
    assert_eq!(game.get(best(&schema, reedgate, neap)), None);
    assert_eq!(game.get(best(&schema, reedgate, spring)), Some(Time::from_millis(80_000)));
    assert!(!game.is_open(long_mere, Some(neap)) && game.is_open(long_mere, Some(spring)));
    let otter_weir = schema.level("otter_weir").unwrap();
    assert!(game.is_open(otter_weir, Some(neap)), "what waits for Long Mere stays open");
    game.erase(&Erase::Level(reedgate, None), true).unwrap();
    assert_eq!(game.facts(reedgate, Some(spring)), LevelFacts::default());
    assert!(game.drain_notices().filter(|notice| *notice == Notice::Erased).count() == 2);
}

#[test]
fn one_fact_or_field_goes_at_one_place_or_everywhere() {
    let (schema, mut game) = played();
    let Names { reedgate, long_mere, neap, spring } = names(&schema);
    let erase = |game: &mut Progress, name: &str| {
        listed(&game.erase(&Erase::Named(named(&schema, name).unwrap()), true).unwrap())
    };
    assert_eq!(erase(&mut game, "levels.reedgate.neap.stars"), ["stars at reedgate, neap: 3"]);
    assert_eq!(game.facts(reedgate, Some(neap)).stars, 0);
    assert!(game.facts(reedgate, Some(neap)).finished, "finished is another fact");
    assert_eq!(
        erase(&mut game, "levels.reedgate.stars"),
        ["stars at reedgate, spring: 1"],
        "on all difficulties"
    );
    assert_eq!(
        erase(&mut game, "levels.reedgate.best_crossing"),
        ["best_crossing at reedgate, neap: 1m30s", "best_crossing at reedgate, spring: 1m20s"]
    );
    assert_eq!(game.get(best(&schema, long_mere, neap)), Some(Time::from_millis(95_000)));
    assert_eq!(erase(&mut game, "best_letters"), ["best_letters: 5"]);
    let everywhere = Erase::Field(schema.field_named("best_crossing").unwrap().0);
    assert_eq!(listed(&game.erase(&everywhere, true).unwrap()), ["best_crossing at long_mere, neap: 1m35s"]);
    assert!(game.facts(long_mere, Some(neap)).finished);
    assert_eq!(game.get(best(&schema, long_mere, spring)), None);
}

#[test]
fn the_furthest_level_falls_back_only_when_it_is_erased() {
    let (schema, mut game) = played();
    let Names { reedgate, long_mere, .. } = names(&schema);
    let otter_weir = schema.level("otter_weir").unwrap();
    assert_eq!(game.furthest(), Some(otter_weir), "it stood open after a finish");
    game.erase(&Erase::Level(reedgate, None), true).unwrap();
    assert_eq!(game.furthest(), Some(otter_weir));
    game.erase(&Erase::Level(otter_weir, None), true).unwrap();
    assert_eq!(game.furthest(), Some(long_mere), "the furthest that was entered");
}

#[test]
fn erasing_the_profile_lists_everything_that_goes() {
    let (schema, mut game) = played();
    let long_mere = names(&schema).long_mere;
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    game.suppose_asked(&named(&schema, "levels.long_mere.neap.finished").unwrap(), Value::Bool(true))
        .unwrap();
    game.suppose_asked(&named(&schema, "unlocked.fog_lamp").unwrap(), Value::Bool(true)).unwrap();
    game.put_area("reeds", Some(b"cut".to_vec())).unwrap();
    let would = game.erase(&Erase::Profile, false).unwrap_err().to_string();
    for name in
        ["a run is in progress", "level of the run", "difficulty", "furthest level", "time played", "letters"]
    {
        assert!(would.contains(name), "{name:?} is not in {would}");
    }
    for name in ["best_letters", "stars at reedgate, neap", "unlock fog_lamp", "area reeds"] {
        assert!(would.contains(name), "{name:?} is not in {would}");
    }
    assert!(!would.contains("on arrival"), "a copy is not a value of its own: {would}");
    assert!(game.facts(long_mere, Some(names(&schema).neap)).finished, "and nothing went");
}

#[test]
fn a_keeper_lists_the_pins_that_go_with_the_profile() {
    let (schema, game) = played();
    let folder = tempfile::tempdir().unwrap();
    let slot = keblin::SaveDir::at(folder.path()).slot("otter").unwrap();
    slot.save(&game.snapshot(), "quit").unwrap();
    slot.release();
    let mut game = keblin::Keeper::open(&slot, &schema).unwrap();
    game.pin("bridge").unwrap();
    let would = game.erase(&Erase::Profile, false).unwrap_err().to_string();
    assert!(would.ends_with("; pin bridge"), "{would}");
    assert!(listed(&game.erase(&Erase::Profile, true).unwrap()).contains(&"pin bridge: true".to_string()));
    game.close().unwrap();
}

#[test]
fn what_cannot_be_erased_is_refused_with_what_to_erase_instead() {
    let (schema, mut game) = played();
    for (name, expected) in [
        ("totals.stars", "a total of all levels cannot be erased; erase the fact of one level"),
        ("furthest", "the furthest level cannot be erased; erase that level, or the profile"),
        ("played", "time played cannot be erased; erase the profile"),
        (
            "unlocked.night_mode",
            "an unlock that does not latch cannot be erased; erase what its rule asks for",
        ),
        ("checkpoint", "where the player is cannot be erased"),
    ] {
        let refused = game.erase(&Erase::Named(named(&schema, name).unwrap()), true).unwrap_err();
        assert!(refused.to_string().starts_with(expected), "{refused}");
    }
    let all = Erase::Named(named(&schema, "totals.all.stars").unwrap());
    assert_eq!(game.erase(&all, true).unwrap().len(), 3, "on all levels and difficulties");
}

#[test]
fn a_fact_is_named_in_code() {
    let (schema, mut game) = played();
    let Names { reedgate, neap, spring, .. } = names(&schema);
    let erased = game.erase(&Erase::Fact(reedgate, Some(neap), Fact::Stars), true).unwrap();
    assert_eq!(listed(&erased), ["stars at reedgate, neap: 3"]);
    assert_eq!(game.facts(reedgate, Some(spring)).stars, 1);
    let erased = game.erase(&Erase::Fact(reedgate, None, Fact::Stars), true).unwrap();
    assert_eq!(listed(&erased), ["stars at reedgate, spring: 1"]);
}

#[test]
fn an_erased_profile_is_a_first_launch_and_stays_one() {
    let (schema, mut game) = played();
    let erased = game.erase(&Erase::Profile, true).unwrap();
    let all = listed(&erased);
    assert!(
        all.contains(&"letters: 5".to_string()) && all.contains(&"best_letters: 5".to_string()),
        "{all:?}"
    );
    assert_eq!((game.phase(), game.resume_point()), (Phase::Title, None));
    let first = Progress::new(Arc::clone(&schema)).snapshot();
    assert!(game.snapshot() == first);
    let bytes = write(&game.snapshot(), &stamp(9));
    assert!(verify(&bytes, &schema).unwrap().into_progress().snapshot() == first);
    let records = game.drain_notices().filter(|notice| matches!(notice, Notice::NewRecord(_))).count();
    assert_eq!(records, 0, "the run is dropped, not ended");
    assert!(game.begin(None).is_ok());
}
