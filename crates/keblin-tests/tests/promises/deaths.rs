//! Deaths and checkpoints.

use std::sync::Arc;

use keblin::progress::{Death, Place, Reached, RunEnd};
use keblin::{Checkpoint, Field, Notice, Phase, Progress, Schema};

use crate::tables::schema;

fn game(lives: &str, order: &str) -> (Arc<Schema>, Progress, [Checkpoint; 3]) {
    let schema = schema(&format!(
        "game = 'falls'\nversion = 1\n{lives}\n[fields]\n\
         lives = {{ type = 'int', scope = 'run', default = 3, min = 0, on_death = 'stays', on_retry = 'stays' }}\n\
         oil = {{ type = 'int', scope = 'run', on_death = 'checkpoint', on_retry = 'entry' }}\n\
         [[levels]]\nid = 'first'\ncheckpoints = ['one', 'two', 'three']\n{order}\n"
    ));
    let first = schema.level("first").unwrap();
    let points = ["one", "two", "three"].map(|id| schema.checkpoint(first, id).unwrap());
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(first).unwrap();
    (schema, game, points)
}

const LIVES: &str = "[lives]\nfield = 'lives'";

#[test]
fn a_life_is_lost_one_at_a_time_and_the_last_one_ends_the_run() {
    let (schema, mut game, _) = game(LIVES, "");
    let lives: Field<i64> = schema.field("lives").unwrap();
    for left in [2, 1] {
        let place = Place { level: game.level(), checkpoint: None };
        assert_eq!(game.die(), Some(Death::LifeLost { left: Some(left), place }));
        assert_eq!(game.die(), None, "a signal that stays on does not take a second life");
        assert_eq!((game.get(lives), game.phase()), (left, Phase::Down));
        game.respawn().unwrap();
    }
    let Some(Death::RunOver(over)) = game.die() else { panic!("one outcome: the run is over") };
    assert_eq!((over.end, game.phase(), game.get(lives)), (RunEnd::LastLife, Phase::Over, 0));
    assert!(game.respawn().is_err(), "and not a respawn as well");
    let lost = game.drain_notices().filter(|notice| matches!(notice, Notice::LifeLost { .. })).count();
    assert_eq!(lost, 2);
    assert_eq!(game.facts(schema.level("first").unwrap(), None).deaths, 3);
}

#[test]
fn without_a_lives_rule_a_death_costs_nothing() {
    let (_, mut game, _) = game("", "");
    for _ in 0..10 {
        assert!(matches!(game.die(), Some(Death::LifeLost { left: None, .. })));
        game.respawn().unwrap();
    }
}

#[test]
fn the_last_life_can_begin_the_level_again_instead() {
    let (schema, mut game, [one, ..]) = game("[lives]\nfield = 'lives'\nat_zero = 'restart_level'", "");
    let (lives, oil): (Field<i64>, Field<i64>) =
        (schema.field("lives").unwrap(), schema.field("oil").unwrap());
    game.set(oil, 5);
    game.reach(one).unwrap();
    game.set(oil, 9);
    game.set(lives, 1);
    let place = Place { level: game.level(), checkpoint: None };
    assert_eq!(game.die(), Some(Death::LevelRestarted { left: 3, place }));
    assert_eq!((game.get(lives), game.get(oil), game.phase()), (3, 0, Phase::Down));
    assert_eq!(game.respawn().unwrap(), place, "the checkpoint is forgotten");
    assert!(game.has_run());
}

#[test]
fn the_furthest_checkpoint_counts_whatever_the_order_or_the_skips() {
    let (schema, mut game, [one, two, three]) = game(LIVES, "");
    let oil: Field<i64> = schema.field("oil").unwrap();
    game.set(oil, 1);
    assert_eq!(game.reach(two).unwrap(), Reached::Now);
    game.set(oil, 2);
    assert_eq!(game.reach(one).unwrap(), Reached::Ignored);
    assert_eq!(game.reach(two).unwrap(), Reached::Ignored, "the same one every frame");
    game.die();
    assert_eq!((game.respawn().unwrap().checkpoint, game.get(oil)), (Some(two), 1));
    assert_eq!(game.reach(three).unwrap(), Reached::Now);
    let reached =
        game.drain_notices().filter(|notice| matches!(notice, Notice::CheckpointReached(_))).count();
    assert_eq!(reached, 2);
}

#[test]
fn the_latest_checkpoint_counts_where_that_is_declared() {
    let (_, mut game, [one, two, _]) = game(LIVES, "checkpoint_order = 'latest'");
    assert_eq!(game.reach(two).unwrap(), Reached::Now);
    assert_eq!(game.reach(one).unwrap(), Reached::Now);
    assert_eq!(game.reach(one).unwrap(), Reached::Ignored);
    assert_eq!(game.checkpoint(), Some(one));
}

#[test]
fn a_retry_goes_back_to_the_arrival_and_forgets_the_checkpoint() {
    let (schema, mut game, [one, ..]) = game(LIVES, "");
    let (lives, oil): (Field<i64>, Field<i64>) =
        (schema.field("lives").unwrap(), schema.field("oil").unwrap());
    game.set(oil, 7);
    game.reach(one).unwrap();
    game.die();
    let entered = game.retry().unwrap();
    assert_eq!((entered.attempt, game.phase(), game.checkpoint()), (2, Phase::Playing, None));
    assert_eq!((game.get(oil), game.get(lives)), (0, 2), "a retry does not give a life back");
    game.set(oil, 4);
    game.die();
    assert_eq!(game.get(oil), 0, "and a death after it restores the arrival");
}

#[test]
fn a_checkpoint_of_another_level_is_refused_by_name() {
    let schema = schema(
        "game = 'falls'\nversion = 1\n[[levels]]\nid = 'first'\ncheckpoints = ['one']\n[[levels]]\nid = 'second'\n\
         checkpoints = ['one']\n",
    );
    let second = schema.level("second").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("first").unwrap()).unwrap();
    let refused = game.reach(schema.checkpoint(second, "one").unwrap()).unwrap_err();
    assert_eq!(refused.to_string(), "`reach` refused: checkpoint one belongs to second, not to this level");
}
