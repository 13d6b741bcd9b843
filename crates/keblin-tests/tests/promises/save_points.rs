//! Save points: with `checkpoint_lasts = "run"` a death leads to the last checkpoint of the run, also from another level.

use std::sync::Arc;

use keblin::migrate::sample_file;
use keblin::progress::{Death, Resumed};
use keblin::rehearse::Rehearsal;
use keblin::save::json::{export, import};
use keblin::save::{SaveCode, write};
use keblin::verify::verify;
use keblin::{Checkpoint, Field, Level, Progress, Schema};

use crate::round_trip::stamp;
use crate::steps::{parsed, versions};

const MARSH: &str = "game = 'marsh'\nversion = 1\ncheckpoint_lasts = 'run'\n[fields]\n\
    coins = { type = 'int', scope = 'run', on_death = 'checkpoint' }\n\
    steps = { type = 'int', scope = 'level', on_death = 'stays' }\n\
    keys = { type = 'int', scope = 'run', on_death = 'stays' }\n\
    [[levels]]\nid = 'ford'\ncheckpoints = ['fire', 'shrine']\n[[levels]]\nid = 'wood'\ncheckpoints = ['hollow']\n";

struct Marsh {
    schema: Arc<Schema>,
    game: Progress,
    coins: Field<i64>,
    steps: Field<i64>,
    keys: Field<i64>,
    ford: Level,
    wood: Level,
    fire: Checkpoint,
}

/// In the wood, with a save point at the fire in the ford.
fn in_the_wood(text: &str) -> Marsh {
    let schema = Arc::new(parsed(text));
    let [coins, steps, keys] = ["coins", "steps", "keys"].map(|id| schema.field::<i64>(id).unwrap());
    let [ford, wood] = ["ford", "wood"].map(|id| schema.level(id).unwrap());
    let fire = schema.checkpoint(ford, "fire").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin_replacing(None);
    game.enter(ford).unwrap();
    game.set(coins, 5);
    game.set(steps, 30);
    game.reach(fire).unwrap();
    game.set(coins, 8);
    game.set(steps, 40);
    game.enter(wood).unwrap();
    game.set(coins, 11);
    game.set(steps, 2);
    game.set(keys, 1);
    Marsh { schema, game, coins, steps, keys, ford, wood, fire }
}

/// A file with a save point.
pub(crate) fn file() -> Vec<u8> {
    write(&in_the_wood(MARSH).game.snapshot(), &stamp(1))
}

#[test]
fn a_death_leads_to_the_last_checkpoint_of_the_run_and_counts_where_it_happened() {
    let Marsh { mut game, coins, steps, keys, ford, wood, fire, .. } = in_the_wood(MARSH);
    assert_eq!((game.place().level, game.place().checkpoint), (Some(ford), Some(fire)));
    let Some(Death::LifeLost { place, .. }) = game.die() else { panic!("a life is left") };
    assert_eq!((place.level, place.checkpoint), (Some(ford), Some(fire)));
    assert_eq!((game.get(coins), game.get(steps), game.get(keys)), (5, 30, 1));
    assert_eq!(game.respawn().unwrap(), place);
    assert_eq!((game.level(), game.checkpoint()), (Some(ford), Some(fire)));
    let deaths = |level| game.facts(level, None).deaths;
    assert_eq!((deaths(ford), deaths(wood)), (0, 1));
    let attempts = |level| game.facts(level, None).attempts;
    assert_eq!((attempts(ford), attempts(wood)), (1, 1), "coming back is not an attempt");
    // A later checkpoint takes its place, and a finish does not end it.
    game.enter(wood).unwrap();
    let hollow = game.schema().checkpoint(wood, "hollow").unwrap();
    game.reach(hollow).unwrap();
    game.finish().unwrap();
    game.enter(ford).unwrap();
    game.die().unwrap();
    assert_eq!(game.respawn().unwrap().checkpoint, Some(hollow));
    // A new run has none.
    game.begin_replacing(None);
    game.enter(wood).unwrap();
    assert_eq!(game.place().checkpoint, None);
}

/// Only a death leads to the save point: every other way back is where the player was.
#[test]
fn a_resume_and_a_restart_are_in_the_level_itself() {
    let Marsh { mut game, ford, wood, fire, .. } = in_the_wood(MARSH);
    game.leave().unwrap();
    let Resumed::Playing(place) = game.resume().unwrap() else { panic!("a level was left") };
    assert_eq!((place.level, place.checkpoint), (Some(wood), None));
    assert_eq!(game.respawn().unwrap().checkpoint, Some(fire), "where a death would lead");

    let lives = MARSH.replace("[fields]", "[lives]\nfield = 'lives'\nat_zero = 'restart_level'\n[fields]\n\
        lives = { type = 'int', scope = 'run', min = 0, default = 1, on_death = 'stays', on_retry = 'stays' }");
    let Marsh { mut game, .. } = in_the_wood(&lives);
    let Some(Death::LevelRestarted { place, .. }) = game.die() else { panic!("the last life") };
    assert_eq!((place.level, place.checkpoint), (Some(wood), None));
    assert_eq!(game.respawn().unwrap(), place);
    assert_eq!((game.level(), game.place().level), (Some(wood), Some(ford)));
}

#[test]
fn a_restart_of_the_level_leaves_the_save_point_for_the_next_death() {
    let Marsh { mut game, ford, fire, .. } = in_the_wood(MARSH);
    game.enter(ford).unwrap();
    game.retry().unwrap();
    assert_eq!(game.checkpoint(), None);
    game.die().unwrap();
    assert_eq!(game.respawn().unwrap().checkpoint, Some(fire));
}

#[test]
fn it_is_saved_exported_and_imported_and_a_resume_leads_there_too() {
    let Marsh { schema, game, coins, steps, keys, ford, fire, .. } = in_the_wood(MARSH);
    let file = write(&game.snapshot(), &stamp(1));
    let save = verify(&file, &schema).unwrap();
    assert_eq!(save.findings(), []);
    let json = export(&game.snapshot(), &stamp(1));
    assert_eq!(json["run"]["run"]["save_point"]["checkpoint"], "fire");
    let (again, stamp_again) = import(&json, &schema).unwrap();
    assert_eq!(write(&again, &stamp_again), file);
    let mut opened = save.into_progress();
    opened.resume().unwrap();
    assert_eq!((opened.level(), opened.checkpoint()), (Some(ford), Some(fire)));
    assert_eq!((opened.get(coins), opened.get(steps), opened.get(keys)), (5, 30, 1));

    // To the exact moment: still in the wood, and the next death leads to the fire.
    let exact = MARSH.replace("[fields]", "resume = 'exact'\n[fields]");
    let Marsh { schema, game, coins, steps, fire, .. } = in_the_wood(&exact);
    let mut opened = verify(&write(&game.snapshot(), &stamp(1)), &schema).unwrap().into_progress();
    opened.resume().unwrap();
    assert_eq!(opened.level(), schema.level("wood").ok());
    opened.die().unwrap();
    assert_eq!((opened.place().checkpoint, opened.get(coins), opened.get(steps)), (Some(fire), 5, 30));
}

#[test]
fn one_that_is_no_longer_declared_is_told_and_a_death_leads_to_the_start_of_the_level() {
    let Marsh { game, wood, .. } = in_the_wood(MARSH);
    let file = file();
    for (gone, expected) in [
        ("checkpoints = ['fire', 'shrine']", "`ford.fire`, the save point, was removed"),
        ("id = 'ford'", "`ford`, the save point, was removed"),
    ] {
        let instead = if gone.starts_with("id") { "id = 'other'" } else { "checkpoints = ['shrine']" };
        let now = Arc::new(parsed(&MARSH.replace(gone, instead)));
        let save = verify(&file, &now).unwrap();
        let found = save.findings().iter().find(|found| found.code == SaveCode::CheckpointGone).unwrap();
        assert!(found.message.starts_with(expected), "{found}");
        let game = save.into_progress();
        assert_eq!(game.place().checkpoint, None);
        assert_eq!(game.place().level.map(|level| level.index()), Some(wood.index()));
    }
    // With checkpoints that last as long as the level it is kept for a build that knows it.
    let level = Arc::new(parsed(&MARSH.replace("checkpoint_lasts = 'run'\n", "")));
    let kept = verify(&file, &level).unwrap();
    assert_eq!(kept.findings()[0].code, SaveCode::CarriedAlong, "{:?}", kept.findings());
    let back = write(kept.snapshot(), &stamp(1));
    assert_eq!(verify(&back, &Arc::new(parsed(MARSH))).unwrap().snapshot(), &game.snapshot());
}

#[test]
fn steps_rename_it_or_drop_it_and_the_account_says_so() {
    let file = file();
    let now = |from: &str, to: &str| MARSH.replace("version = 1", "version = 2").replace(from, to);
    let renamed = now("'fire'", "'hearth'");
    let schema =
        versions(&[MARSH, &renamed], &["[levels.ford.checkpoints.hearth]\nfrom = 'fire'\n"]).unwrap();
    let opened = verify(&file, &schema).unwrap().into_progress();
    let place = opened.place();
    assert_eq!(place.checkpoint, schema.checkpoint(place.level.unwrap(), "hearth").ok());
    assert_eq!(opened.get(schema.field::<i64>("coins").unwrap()), 5);
    let dropped = now("'fire', ", "");
    let schema = versions(&[MARSH, &dropped], &["drop = ['levels.ford.checkpoints.fire']\n"]).unwrap();
    let save = verify(&file, &schema).unwrap();
    let account = &save.account().unwrap().entries;
    assert!(account.iter().any(|entry| entry.place == "run.save_point"), "{account:?}");
    assert_eq!(save.into_progress().place().checkpoint, None);
}

#[test]
fn the_sample_of_a_version_has_one() {
    let schema = Arc::new(parsed(MARSH));
    let save = verify(&sample_file(&schema).unwrap(), &schema).unwrap();
    assert_eq!(export(save.snapshot(), &stamp(1))["run"]["run"]["save_point"]["checkpoint"], "hollow");
}

#[test]
fn it_is_a_rehearsal_and_needs_a_checkpoint() {
    let schema = Arc::new(parsed(MARSH));
    let text = "begin\nenter ford\nreach fire\nadd coins 3\nenter wood\nadd coins 4\ndie\nrespawn\nexpect level == 'ford'\n\
                expect checkpoint == 'fire'\nexpect coins == 0\nquit\nlaunch\nresume\nexpect checkpoint == 'fire'\n";
    let failure = Rehearsal::parse("marsh", text, &schema).unwrap().run().failure;
    assert!(failure.is_none(), "{failure:?}");
    let without =
        MARSH.replace("checkpoints = ['fire', 'shrine']\n", "").replace("checkpoints = ['hollow']\n", "");
    let told = Schema::parse("progress.toml", &without).unwrap_err().to_string();
    assert!(told.contains("3:1: error: no checkpoint can last: no level declares one"), "{told}");
}
