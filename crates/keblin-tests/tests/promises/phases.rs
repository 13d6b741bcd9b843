//! The phase table of `docs/events.md`, cell by cell, compared with the engine.

use std::sync::Arc;
use std::time::Duration;

use keblin::progress::{Death, Erase, Reached, Why};
use keblin::{Field, Phase, Progress, Refused, Schema, Snapshot};

use crate::tables::{schema, table};

const GAME: &str = r#"
    game = "cells"
    version = 1
    after_last = "end_run"
    resume = "exact"
    [lives]
    field = "lives"
    [fields]
    lives = { type = "int", scope = "run", default = 3, min = 0, on_death = "stays", on_retry = "stays" }
    of_level = { type = "int", scope = "level", on_death = "stays" }
    of_run = { type = "int", scope = "run", on_death = "stays" }
    of_profile = { type = "int", scope = "profile" }
    best = { type = "int", scope = "profile", keep = "highest" }
    [[levels]]
    id = "first"
    checkpoints = ["one", "two"]
    [[levels]]
    id = "second"
    checkpoints = ["three"]
    [[levels]]
    id = "shut"
    unlock = "levels.last.finished"
    [[levels]]
    id = "last"
"#;

/// The columns of the table: each by the shortest way, in the level `first`, or `last` if a test is about that one.
fn situation(schema: &Arc<Schema>, column: &str, level: &str) -> Progress {
    let mut game = Progress::new(Arc::clone(schema));
    let column = column.split_once(", ").unwrap_or((column, ""));
    // After the last level there is no map.
    let level = schema.level(if column == ("Map", "level finished") { "first" } else { level }).unwrap();
    if column == ("Title", "no run") {
        return game;
    }
    game.begin(None).unwrap();
    match column {
        ("Title", "run on the map") => return Progress::restored(game.snapshot()),
        ("Map", "no level yet") => return game,
        _ => {}
    }
    game.enter(level).unwrap();
    if let Ok(two) = schema.checkpoint(level, "two")
        && column.0 != "Playing"
    {
        game.reach(two).unwrap();
    }
    match column {
        ("Title", _) => return Progress::restored(game.snapshot()),
        ("Map", "level left") => drop(game.leave().unwrap()),
        ("Map", _) => drop(game.finish().unwrap()),
        ("Playing", _) => {}
        ("Down", _) => drop(game.die().unwrap()),
        ("Over", "by a finish") => {
            game.enter(schema.level("last").unwrap()).ok();
            game.finish().unwrap();
        }
        ("Over", _) => drop(game.end_run().unwrap()),
        other => panic!("no such column: {other:?}"),
    }
    game
}

/// The result of an event, in the words of the table; a refused value counts as refused.
enum Did {
    Happened,
    Ignored,
    Refused(Refused),
}

fn did<T>(outcome: Result<T, Refused>, ignored: impl Fn(&T) -> bool) -> Did {
    match outcome {
        Ok(outcome) if ignored(&outcome) => Did::Ignored,
        Ok(_) => Did::Happened,
        Err(refused) => Did::Refused(refused),
    }
}

fn written(change: keblin::progress::Change) -> Did {
    change.refused.map_or(Did::Happened, Did::Refused)
}

fn fire(schema: &Arc<Schema>, game: &mut Progress, event: &str) -> Did {
    let level = |id: &str| schema.level(id).unwrap();
    let field = |id: &str| -> Field<i64> { schema.field(id).unwrap() };
    let checkpoint = |of: &str, id: &str| schema.checkpoint(level(of), id).unwrap();
    match event {
        "begin" => did(game.begin(None), |_| false),
        "begin, replacing" => did(Ok(game.begin_replacing(None)), |_| false),
        "resume" => did(game.resume(), |_| false),
        "enter another level" => did(game.enter(level("second")), |_| false),
        "enter the same level" => did(game.enter(level("first")), |_| false),
        "enter a locked level" => did(game.enter(level("shut")), |_| false),
        "write, level scope" => written(game.add(field("of_level"), 1)),
        "write, run scope" => written(game.add(field("of_run"), 1)),
        "write, profile scope" => written(game.add(field("of_profile"), 1)),
        "submit a record" => written(game.submit(schema.field::<Option<i64>>("best").unwrap(), 5)),
        "tick" => {
            game.tick(Duration::from_secs(1));
            if game.phase() == Phase::Playing { Did::Happened } else { Did::Ignored }
        }
        "reach a checkpoint" => did(game.reach(checkpoint("first", "one")), |it| *it == Reached::Ignored),
        "reach an earlier one" => {
            if game.phase() == Phase::Playing {
                game.reach(checkpoint("first", "two")).unwrap();
            }
            did(game.reach(checkpoint("first", "one")), |it| *it == Reached::Ignored)
        }
        "reach one of another level" => {
            did(game.reach(checkpoint("second", "three")), |it| *it == Reached::Ignored)
        }
        "die, a life left" => did(Ok(game.die()), Option::is_none),
        "die, the last life" => {
            if game.phase() == Phase::Playing {
                game.set(field("lives"), 1);
            }
            let death = game.die();
            assert!(death.as_ref().is_none_or(|death| matches!(death, Death::RunOver(_))));
            did(Ok(death), Option::is_none)
        }
        "respawn" => {
            let playing = game.phase() == Phase::Playing;
            did(game.respawn(), |_| playing)
        }
        "retry" => did(game.retry(), |_| false),
        "finish" | "finish the last level" => did(game.finish(), Option::is_none),
        "leave" => did(game.leave(), |left| !left),
        "end_run" => did(game.end_run(), Option::is_none),
        "load, confirmed" | "load, not confirmed" => {
            let mut held = Progress::new(Arc::clone(schema));
            held.begin(None).unwrap();
            held.enter(level("first")).unwrap();
            did(game.load(&held.snapshot(), event == "load, confirmed"), |()| false)
        }
        "erase a field" => {
            let (field, _) = schema.field_named("of_profile").unwrap();
            did(game.erase(&Erase::Field(field), true), |_| false)
        }
        "erase the profile" => did(game.erase(&Erase::Profile, true), |_| false),
        "erase, not confirmed" => did(game.erase(&Erase::Profile, false), |_| false),
        other => panic!("the table has an event the test does not know: {other}"),
    }
}

#[track_caller]
fn assert_cell(
    column: &str,
    event: &str,
    cell: &str,
    before: &Snapshot,
    phase: Phase,
    game: &Progress,
    did: Did,
) {
    let place = format!("`{event}` in {column:?}");
    match (cell, did) {
        ("R", Did::Refused(refused)) => {
            assert!(game.snapshot() == *before, "{place}: a refusal changed something");
            assert_eq!(refused.phase, phase, "{place}");
            let message = refused.to_string();
            assert!(message.len() > 20, "{place}: {message}");
        }
        ("i", Did::Ignored) => {
            assert!(game.snapshot() == *before, "{place}: something changed");
            assert_eq!(game.phase(), phase, "{place}");
        }
        ("ok", Did::Happened) => assert_eq!(game.phase(), phase, "{place}"),
        (next, Did::Happened) => assert_eq!(game.phase().as_str(), next, "{place}"),
        (_, Did::Refused(refused)) => panic!("{place}: {cell} is written, but it was refused: {refused}"),
        (_, Did::Ignored) => panic!("{place}: {cell} is written, but it was ignored"),
    }
}

#[test]
fn every_event_does_in_every_situation_what_the_table_says() {
    let schema = schema(GAME);
    let rows = table("Phases", "event");
    let columns = &rows[0][1..];
    let (mut cells, mut refused, mut ignored) = (0, 0, 0);
    for row in &rows[1..] {
        let event = row[0].as_str();
        assert_eq!(row.len(), rows[0].len(), "{event}");
        for (column, cell) in columns.iter().zip(&row[1..]) {
            let level = if event == "finish the last level" { "last" } else { "first" };
            let mut game = situation(&schema, column, level);
            // A step that the event itself needs must not change the snapshot.
            let (before, phase) = (game.snapshot(), game.phase());
            if event == "reach an earlier one" && column == "Playing" {
                game.reach(schema.checkpoint(schema.level("first").unwrap(), "two").unwrap()).unwrap();
                let (before, phase) = (game.snapshot(), game.phase());
                let did = fire(&schema, &mut game, event);
                assert_cell(column, event, cell, &before, phase, &game, did);
            } else {
                let did = fire(&schema, &mut game, event);
                assert_cell(column, event, cell, &before, phase, &game, did);
            }
            cells += 1;
            refused += usize::from(cell == "R");
            ignored += usize::from(cell == "i");
        }
    }
    assert_eq!((cells, columns.len()), (27 * 10, 10));
    println!("{cells} cells, {refused} refused, {ignored} without effect");
    assert!(refused > 50 && ignored > 40);
}

#[test]
fn a_refusal_says_what_is_possible_instead() {
    let schema = schema(GAME);
    let mut game = situation(&schema, "Down", "first");
    let refused = game.enter(schema.level("second").unwrap()).unwrap_err();
    let Why::Phase { possible } = refused.why.as_ref() else { panic!("{refused:?}") };
    use keblin::progress::phase::EventName::{EndRun, Leave, Respawn, Retry};
    assert_eq!(*possible, [Respawn, Retry, Leave, EndRun]);
    assert_eq!(
        refused.to_string(),
        "`enter` refused in phase down; possible now: respawn, retry, leave, end_run"
    );
    let mut game = situation(&schema, "Playing", "first");
    let refused = game.enter(schema.level("first").unwrap()).unwrap_err();
    assert_eq!(
        refused.to_string(),
        "`enter` refused: first is already being played; retry it, or leave it first"
    );
    let refused = game.enter(schema.level("shut").unwrap()).unwrap_err();
    assert_eq!(refused.to_string(), "shut is locked: last is not finished");
    let refused = game.begin(None).unwrap_err();
    assert_eq!(
        refused.to_string(),
        "`begin` refused: a run is already in progress; after confirming with the player call `begin_replacing`"
    );
    let refused = Progress::new(Arc::clone(&schema)).resume().unwrap_err();
    assert_eq!(refused.to_string(), "`resume` refused: there is no run to resume; begin one");
}
