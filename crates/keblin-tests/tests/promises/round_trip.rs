//! Saving and opening again: any state that play can reach comes back unchanged, as the same bytes.

use std::sync::Arc;
use std::time::Duration;

use keblin::save::{Stamp, write};
use keblin::verify::verify;
use keblin::{Field, Progress, Schema, Snapshot, Time};
use proptest::prelude::*;

use crate::tables::{fen_post, schema};

pub(crate) fn stamp(number: u64) -> Stamp {
    Stamp {
        number,
        created_unix_ms: 1_700_000_000_000,
        saved_at_unix_ms: 1_700_000_000_000 + number,
        cause: "quit".into(),
        ..Stamp::default()
    }
}

/// Plays numbers as events; some are refused in some phases.
pub(crate) fn play(schema: &Arc<Schema>, events: &[(u8, i64)]) -> Progress {
    let mut game = Progress::new(Arc::clone(schema));
    play_on(&mut game, events);
    game
}

pub(crate) fn play_on(game: &mut Progress, events: &[(u8, i64)]) {
    let schema = Arc::clone(game.schema());
    let ints = ["letters", "oil", "oil_cap", "boats", "coppers"];
    for (event, number) in events {
        let index = usize::try_from(number.unsigned_abs() % 7).unwrap();
        let level = schema.level_at(index).unwrap();
        let field: Field<i64> = schema.field(ints[index % ints.len()]).unwrap();
        match event % 16 {
            0 => drop(game.begin(schema.difficulty_at(index % 2))),
            1 => drop(game.begin_replacing(schema.difficulty_at(index % 2))),
            2 | 3 => drop(game.enter(level)),
            4 => drop(game.add(field, *number)),
            5 => drop(game.set(field, *number)),
            6 => drop(game.spend(field, *number)),
            7 => game.tick(Duration::from_nanos(number.unsigned_abs())),
            8 => {
                let playing = game.level().unwrap_or(level);
                drop(schema.checkpoint_at(playing, index % 3).map(|checkpoint| game.reach(checkpoint)));
            }
            9 => drop(game.die()),
            10 => drop(game.respawn()),
            11 => drop(game.retry()),
            12 => drop(game.finish_with_stars(*number % 5)),
            13 => drop(game.leave()),
            14 => drop(game.resume()),
            _ => drop(game.end_run()),
        }
        if event % 16 == 15 && number % 3 == 0 {
            *game = Progress::restored(game.snapshot());
        }
    }
}

pub(crate) fn events() -> impl Strategy<Value = Vec<(u8, i64)>> {
    let number = prop_oneof![0..10_i64, -100..100_i64, any::<i64>()];
    prop::collection::vec((any::<u8>(), number), 0..60)
}

fn read(bytes: &[u8], schema: &Arc<Schema>) -> Snapshot {
    verify(bytes, schema).unwrap_or_else(|error| panic!("{error}")).snapshot().clone()
}

proptest! {
    #[test]
    fn whatever_was_played_comes_back_as_the_same_values_and_bytes(events in events()) {
        let schema = fen_post();
        let snapshot = play(&schema, &events).snapshot();
        let bytes = write(&snapshot, &stamp(1));
        let again = read(&bytes, &schema);
        prop_assert!(again == snapshot);
        prop_assert_eq!(write(&again, &stamp(1)), bytes);
        let saved = verify(&write(&snapshot, &stamp(1)), &schema).unwrap();
        let codes: Vec<&str> = saved.findings().iter().map(|finding| finding.code.as_str()).collect();
        prop_assert!(codes.iter().all(|code| *code == "run_without_lives"), "{:?}", codes);
        prop_assert!(saved.into_progress().snapshot() == Progress::restored(snapshot).snapshot());
    }

    #[test]
    fn the_same_events_give_the_same_bytes(events in events()) {
        let schema = fen_post();
        let (one, other) = (play(&schema, &events).snapshot(), play(&schema, &events).snapshot());
        prop_assert_eq!(write(&one, &stamp(3)), write(&other, &stamp(3)));
    }
}

const GAME: &str = r#"
    game = "grows"
    version = 1
    difficulties = ["easy", "hard"]
    [fields]
    name = { type = "text", scope = "profile", max_len = 20 }
    met = { type = "bool", scope = "profile" }
    best = { type = "time", scope = "profile", keep = "lowest", per = ["difficulty", "level"] }
    oil = { type = "int", scope = "run", on_death = "checkpoint" }
    [[levels]]
    id = "first"
    checkpoints = ["one"]
    [[levels]]
    id = "second"
"#;

fn grown(schema: &Arc<Schema>) -> Progress {
    let (first, hard) = (schema.level("first").unwrap(), schema.difficulty("hard").unwrap());
    let mut game = Progress::new(Arc::clone(schema));
    game.set(schema.field::<String>("name").unwrap(), "Ötti \"the\" otter".into());
    game.set(schema.field::<bool>("met").unwrap(), true);
    game.submit(
        schema.field_per::<Option<Time>, _>("best").unwrap().at((hard, first)),
        Time::from_millis(92_400),
    );
    game.begin(Some(hard)).unwrap();
    game.enter(first).unwrap();
    game.reach(schema.checkpoint(first, "one").unwrap()).unwrap();
    game.set(schema.field::<i64>("oil").unwrap(), 5);
    game
}

#[test]
fn every_kind_of_value_and_axis_comes_back() {
    let schema = schema(GAME);
    let game = grown(&schema);
    let again = read(&write(&game.snapshot(), &stamp(1)), &schema);
    assert!(again == game.snapshot());
    let game = Progress::restored(again);
    let (first, hard, easy) = (
        schema.level("first").unwrap(),
        schema.difficulty("hard").unwrap(),
        schema.difficulty("easy").unwrap(),
    );
    let best = schema.field_per::<Option<Time>, _>("best").unwrap();
    assert_eq!(game.get(schema.field::<String>("name").unwrap()), "Ötti \"the\" otter");
    assert_eq!(game.get(best.at((hard, first))), Some(Time::from_millis(92_400)));
    assert_eq!(game.get(best.at((easy, first))), None);
}

#[test]
fn a_declaration_that_grew_opens_older_saves_with_its_defaults() {
    let small = schema(GAME);
    let bytes = write(&grown(&small).snapshot(), &stamp(1));
    let text = GAME.replace(
        "    [[levels]]\n    id = \"second\"",
        "    [[levels]]\n    id = \"third\"\n    [[levels]]\n    id = \"second\"",
    );
    let text = text.replace(
        "[fields]",
        "[fields]\n    lamp = { type = \"int\", scope = \"run\", default = 3, on_death = \"stays\" }",
    );
    let large = schema(&text);
    let save = verify(&bytes, &large).unwrap();
    assert!(save.findings().is_empty());
    let mut game = save.into_progress();
    game.resume().unwrap();
    assert_eq!(game.get(large.field::<i64>("lamp").unwrap()), 3);
    assert_eq!(game.level(), large.level("first").ok());
    assert_eq!(game.get(large.field::<String>("name").unwrap()), "Ötti \"the\" otter");
}

#[test]
fn what_a_smaller_declaration_does_not_know_is_carried_along_and_comes_back() {
    let large = schema(GAME);
    let game = grown(&large);
    let bytes = write(&game.snapshot(), &stamp(1));
    let text = GAME.replace("    met = { type = \"bool\", scope = \"profile\" }\n", "");
    let text = text.replace("[[levels]]\n    id = \"first\"\n    checkpoints = [\"one\"]\n", "");
    let small = schema(&text);
    let save = verify(&bytes, &small).unwrap();
    let told: Vec<String> = save.findings().iter().map(ToString::to_string).collect();
    assert_eq!(
        told,
        [
            "profile.furthest: warning: `first` is not declared in this version of the game; it is preserved in the save [id_kept]",
            "run.run.visit.level: warning: level `first` is no longer declared; the player is on the map [level_gone]",
            "profile.fields.best.easy.first: hint: unknown to this schema; preserved on save [carried_along]",
            "profile.fields.best.hard.first: hint: unknown to this schema; preserved on save [carried_along]",
            "profile.fields.met: hint: unknown to this schema; preserved on save [carried_along]",
            "profile.levels.first: hint: unknown to this schema; preserved on save [carried_along]",
        ]
    );
    let mut between = save.into_progress();
    between.set(small.field::<String>("name").unwrap(), "Lutra".into());
    let back = verify(&write(&between.snapshot(), &stamp(2)), &large).unwrap().into_progress();
    let best = large.field_per::<Option<Time>, _>("best").unwrap();
    let (first, hard) = (large.level("first").unwrap(), large.difficulty("hard").unwrap());
    assert_eq!(back.get(best.at((hard, first))), Some(Time::from_millis(92_400)));
    assert_eq!(back.facts(first, Some(hard)).attempts, 1);
    assert!(back.get(large.field::<bool>("met").unwrap()));
    assert_eq!(back.get(large.field::<String>("name").unwrap()), "Lutra");
}

#[test]
fn a_checkpoint_that_is_gone_leads_to_the_start_of_the_level() {
    let schema_with = schema(GAME);
    let bytes = write(&grown(&schema_with).snapshot(), &stamp(1));
    let without = schema(&GAME.replace("checkpoints = [\"one\"]", ""));
    let save = verify(&bytes, &without).unwrap();
    assert_eq!(save.findings()[0].code.as_str(), "checkpoint_gone");
    let mut game = save.into_progress();
    game.resume().unwrap();
    assert_eq!((game.level(), game.checkpoint()), (without.level("first").ok(), None));
    assert_eq!(game.get(without.field::<i64>("oil").unwrap()), 0, "the value on arrival, as after a death");
}
