//! Runs: how they begin, end and are resumed.

use std::sync::Arc;
use std::time::Duration;

use keblin::progress::{Resumed, RunEnd};
use keblin::{Field, Notice, Phase, Progress, Time};

use crate::tables::{fen_post, schema};

#[test]
fn every_way_a_run_can_end_offers_its_records_once() {
    let schema = fen_post();
    let letters: Field<i64> = schema.field("letters").unwrap();
    let best: Field<Option<i64>> = schema.field("best_letters").unwrap();
    let boats: Field<i64> = schema.field("boats").unwrap();
    for end in [RunEnd::LastLife, RunEnd::GivenUp, RunEnd::LastLevel, RunEnd::Replaced] {
        let mut game = Progress::new(Arc::clone(&schema));
        for level in &schema.levels {
            let name = format!("levels.{}.finished", level.name);
            let asked = keblin::condition::names::named(&schema, &name).unwrap();
            game.suppose_asked(&asked, keblin::Value::Bool(true)).unwrap();
        }
        game.begin(None).unwrap();
        game.enter(schema.level("lantern_quay").unwrap()).unwrap();
        game.add(letters, 31);
        match end {
            RunEnd::LastLife => {
                game.set(boats, 1);
                drop(game.die().unwrap());
            }
            RunEnd::GivenUp => drop(game.end_run().unwrap()),
            RunEnd::LastLevel => drop(game.finish().unwrap()),
            _ => {
                let begun = game.begin_replacing(None);
                assert_eq!(begun.replaced.unwrap().end, end);
            }
        }
        assert_eq!(game.get(best), Some(31), "{end:?}");
        let notices: Vec<Notice> = game.drain_notices().collect();
        let records = notices
            .iter()
            .filter(|it| matches!(it, Notice::NewRecord(it) if it.field.as_str() == "best_letters"));
        assert_eq!(records.count(), 1, "{end:?}");
        assert_eq!(notices.iter().filter(|it| **it == Notice::RunOver(end)).count(), 1, "{end:?}");
        let (left, phase) = if end == RunEnd::Replaced { (0, Phase::Map) } else { (31, Phase::Over) };
        assert_eq!(
            (game.get(letters), game.phase()),
            (left, phase),
            "{end:?}: readable until the next begin"
        );
        game.die();
        game.finish().ok();
        game.end_run().ok();
        assert_eq!(game.get(best), Some(31), "{end:?}: and nothing happens twice");
    }
}

#[test]
fn the_difficulty_last_chosen_is_kept_and_a_resume_brings_back_that_of_its_run() {
    let schema = fen_post();
    let (neap, spring) = (schema.difficulty("neap").unwrap(), schema.difficulty("spring").unwrap());
    let mut game = Progress::new(Arc::clone(&schema));
    assert_eq!(game.begin(None).unwrap().difficulty, Some(neap), "the first is the choice before any choice");
    assert_eq!(game.begin_replacing(Some(spring)).difficulty, Some(spring));
    game.end_run().unwrap();
    let mut game = Progress::restored(game.snapshot());
    assert_eq!(game.begin(None).unwrap().difficulty, Some(spring));
    let mut game = Progress::restored(game.snapshot());
    assert_eq!(game.resume_point().unwrap().difficulty, Some(spring));
    assert_eq!(game.resume().unwrap(), Resumed::Map);
}

#[test]
fn a_run_that_waits_can_be_read_resumed_or_given_up() {
    let schema = fen_post();
    let letters: Field<i64> = schema.field("letters").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    assert!(game.resume_point().is_none());
    game.begin(None).unwrap();
    let reedgate = schema.level("reedgate").unwrap();
    game.enter(reedgate).unwrap();
    game.reach(schema.checkpoint(reedgate, "osier").unwrap()).unwrap();
    game.add(letters, 6);
    let waiting = Progress::restored(game.snapshot());
    assert_eq!((waiting.phase(), waiting.get(letters)), (Phase::Title, 6));
    let point = waiting.resume_point().unwrap();
    assert_eq!((point.level, point.checkpoint), (Some(reedgate), game.checkpoint()));
    let mut given_up = waiting.clone();
    let over = given_up.end_run().unwrap().unwrap();
    assert_eq!((over.records.len(), given_up.phase()), (1, Phase::Over));
    let mut resumed = waiting;
    assert!(matches!(resumed.resume().unwrap(), Resumed::Playing(place) if place.level == Some(reedgate)));
}

#[test]
fn a_death_that_was_saved_is_respawned_from_and_not_died_again() {
    let schema = fen_post();
    let boats: Field<i64> = schema.field("boats").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    game.die().unwrap();
    let mut reopened = Progress::restored(game.snapshot());
    reopened.resume().unwrap();
    assert_eq!((reopened.phase(), reopened.get(boats)), (Phase::Playing, 3));
}

#[test]
fn a_game_without_levels_has_one_visit_a_run() {
    let schema = schema(
        "game = 'endless'\nversion = 1\n[fields]\nscore = { type = 'int', scope = 'level', on_death = 'entry' }\n\
         time = { type = 'time', scope = 'run', counts = 'playing', on_death = 'stays' }\n\
         best = { type = 'int', scope = 'profile', keep = 'highest', from = 'score', at = ['finish'] }\n",
    );
    let score: Field<i64> = schema.field("score").unwrap();
    let time: Field<Time> = schema.field("time").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    assert_eq!(game.phase(), Phase::Playing);
    game.add(score, 5);
    game.tick(Duration::from_secs(3));
    game.die().unwrap();
    assert_eq!((game.respawn().unwrap().level, game.get(score)), (None, 0));
    game.add(score, 8);
    let mut game = Progress::restored(game.snapshot());
    assert!(
        matches!(game.resume().unwrap(), Resumed::Playing(_)),
        "the default is to resume as after a death"
    );
    assert_eq!((game.get(score), game.get(time)), (0, Time::from_millis(3000)));
    game.add(score, 9);
    game.leave().unwrap();
    game.resume().unwrap();
    let finished = game.finish().unwrap().unwrap();
    assert_eq!((finished.level, finished.records.len(), finished.next), (None, 1, None));
    assert_eq!(finished.run_over.unwrap().end, RunEnd::LastLevel);
    assert_eq!(game.phase(), Phase::Over);
    game.begin(None).unwrap();
    assert_eq!((game.phase(), game.get(score)), (Phase::Playing, 0));
}

#[test]
fn what_is_supposed_before_a_run_is_there_when_it_begins_and_only_then() {
    let schema = fen_post();
    let oil: Field<i64> = schema.field("oil").unwrap();
    let clock: Field<Time> = schema.field("route_clock").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.suppose(oil, 33).unwrap();
    game.suppose(clock, Time::from_millis(500)).unwrap();
    assert!(game.suppose(oil, -1).unwrap_err().to_string().contains("expected 0 to 60"));
    game.begin(None).unwrap();
    assert_eq!(game.get(oil), 33);
    game.add(oil, -3);
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    assert_eq!((game.get(oil), game.get(clock)), (30, Time::from_millis(500)), "what was done since stands");
    game.begin_replacing(None);
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    assert_eq!((game.get(oil), game.get(clock)), (60, Time::ZERO), "the next run is default");
    let told = game.drain_notices().filter(|notice| matches!(notice, Notice::NewRecord(_))).count();
    assert_eq!(told, 1, "the letters of the run that was replaced; supposing reports nothing");
}
