//! Levels: facts, stars, locks, order.

use std::sync::Arc;
use std::time::Duration;

use keblin::{Field, Level, Notice, Phase, Progress, Schema, Time};

use crate::tables::{fen_post, schema};

fn level(schema: &Schema, id: &str) -> Level {
    schema.level(id).unwrap()
}

#[test]
fn the_better_rating_is_kept_for_each_difficulty_and_a_wrong_one_is_refused_singly() {
    let schema = fen_post();
    let reedgate = level(&schema, "reedgate");
    let (neap, spring) = (schema.difficulty("neap").ok(), schema.difficulty("spring").ok());
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(neap).unwrap();
    for (stars, kept) in [(Some(3), 3), (Some(1), 3), (None, 3)] {
        game.enter(reedgate).unwrap();
        let finished = match stars {
            Some(stars) => game.finish_with_stars(stars),
            None => game.finish(),
        };
        assert_eq!(finished.unwrap().unwrap().stars, kept);
    }
    game.begin_replacing(spring);
    game.enter(reedgate).unwrap();
    game.finish_with_stars(2).unwrap();
    assert_eq!(game.facts(reedgate, neap).stars, 3);
    assert_eq!(game.facts(reedgate, spring).stars, 2);
    game.begin_replacing(neap);
    for wrong in [4, -1, i64::MAX] {
        game.enter(reedgate).unwrap();
        game.tick(Duration::from_secs(1));
        let finished = game.finish_with_stars(wrong).unwrap().unwrap();
        let message = finished.refused[0].to_string();
        assert_eq!(message, format!("stars at reedgate on neap: {wrong} refused: expected 0 to 3"));
        assert_eq!((finished.stars, finished.refused.len()), (3, 1));
        assert_eq!(game.phase(), Phase::Map, "the finish stands");
    }
}

#[test]
fn leaving_half_way_changes_no_record() {
    let schema = fen_post();
    let reedgate = level(&schema, "reedgate");
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(reedgate).unwrap();
    game.tick(Duration::from_secs(30));
    game.leave().unwrap();
    let best: Field<Option<Time>> =
        schema.field_per("best_crossing").unwrap().at((reedgate, schema.difficulty("neap").unwrap()));
    assert_eq!((game.facts(reedgate, None).finished, game.get(best).option()), (false, None));
    assert!(game.enter(level(&schema, "long_mere")).is_err());
}

#[test]
fn a_finish_opens_what_waits_for_it_on_that_difficulty_only() {
    let schema = fen_post();
    let (reedgate, long_mere) = (level(&schema, "reedgate"), level(&schema, "long_mere"));
    let (neap, spring) = (schema.difficulty("neap").ok(), schema.difficulty("spring").ok());
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(spring).unwrap();
    game.enter(reedgate).unwrap();
    let finished = game.finish().unwrap().unwrap();
    assert_eq!(finished.opened, [long_mere]);
    let next = finished.next.unwrap();
    assert_eq!((next.level, next.open), (long_mere, true));
    let opened: Vec<Notice> = game.drain_notices().filter(|it| matches!(it, Notice::Opened { .. })).collect();
    assert_eq!(opened, [Notice::Opened { level: long_mere, difficulty: spring }]);
    let open = |game: &Progress, on| game.level_cards(on).iter().filter(|card| card.open).count();
    assert_eq!((open(&game, spring), open(&game, neap)), (2, 1));
    game.enter(reedgate).unwrap();
    assert!(game.finish().unwrap().unwrap().opened.is_empty(), "what is open does not open again");
}

#[test]
fn the_look_and_the_door_give_the_same_answer() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    for finished in 0..schema.levels.len() {
        for card in game.level_cards(None) {
            let mut tries = game.clone();
            assert_eq!(tries.enter(card.level).is_ok(), card.open, "{card:?} after {finished}");
        }
        game.enter(schema.level_at(finished).unwrap()).unwrap();
        game.finish_with_stars(2).unwrap();
    }
}

#[test]
fn a_level_is_under_way_while_it_is_played_or_left_on_the_difficulty_of_the_run() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    let (neap, spring) = (schema.difficulty("neap").unwrap(), schema.difficulty("spring").unwrap());
    let current = |game: &Progress, on| {
        let cards = game.level_cards(Some(on));
        cards.iter().filter(|card| card.current).map(|card| card.level.index()).collect::<Vec<_>>()
    };
    game.begin(Some(spring)).unwrap();
    game.enter(level(&schema, "reedgate")).unwrap();
    assert_eq!((current(&game, spring), current(&game, neap)), (vec![0], vec![]));
    game.leave().unwrap();
    assert_eq!(current(&game, spring), [0]);
    game.resume().unwrap();
    game.finish().unwrap();
    assert_eq!((current(&game, spring), current(&game, neap)), (vec![], vec![]));
}

#[test]
fn the_furthest_level_never_falls_back() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    assert_eq!(game.furthest(), None);
    game.enter(level(&schema, "reedgate")).unwrap();
    assert_eq!(game.furthest(), Some(level(&schema, "reedgate")));
    game.finish().unwrap();
    assert_eq!(game.furthest(), Some(level(&schema, "long_mere")), "it stood open after a finish");
    game.enter(level(&schema, "reedgate")).unwrap();
    game.end_run().unwrap();
    game.begin(None).unwrap();
    assert_eq!(game.furthest(), Some(level(&schema, "long_mere")));
}

#[test]
fn after_the_last_level_there_is_none_and_the_run_ends_where_declared() {
    let text = |after| {
        format!(
            "game = 'two'\nversion = 1\nafter_last = '{after}'\n[[levels]]\nid = 'first'\n[[levels]]\nid = 'second'\n"
        )
    };
    for (after, phase) in [("map", Phase::Map), ("end_run", Phase::Over)] {
        let schema = schema(&text(after));
        let mut game = Progress::new(Arc::clone(&schema));
        game.begin(None).unwrap();
        game.enter(level(&schema, "first")).unwrap();
        assert!(game.finish().unwrap().unwrap().run_over.is_none());
        game.enter(level(&schema, "second")).unwrap();
        let finished = game.finish().unwrap().unwrap();
        assert_eq!(
            (finished.next, finished.run_over.is_some(), game.phase()),
            (None, after == "end_run", phase)
        );
        assert_eq!(game.finish(), Ok(None), "firing it again does nothing");
    }
}

#[test]
fn attempts_count_every_enter_and_retry() {
    let schema = fen_post();
    let reedgate = level(&schema, "reedgate");
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    assert_eq!(game.enter(reedgate).unwrap().attempt, 1);
    assert_eq!(game.retry().unwrap().attempt, 2);
    game.leave().unwrap();
    game.resume().unwrap();
    assert_eq!(game.facts(reedgate, None).attempts, 2, "resuming is not a new attempt");
    game.leave().unwrap();
    assert_eq!(game.enter(reedgate).unwrap().attempt, 3);
}
