//! The survival table of `docs/events.md`, for every scope and every combination of overriding words, compared with
//! the engine and with the schema.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::sync::Arc;

use keblin::model::{FieldDef, OnDeath, OnReset, OnRetry, Scope};
use keblin::survival::{Fate, Row, fate};
use keblin::{Field, Progress, Schema};

use crate::tables::{schema, table};

const DEFAULT: i64 = 1;
const ON_ARRIVAL: i64 = 2;
const AT_CHECKPOINT: i64 = 3;
const LIVE: i64 = 4;

/// A game with a field for each scope and combination of words, and one per scope without any.
fn every_field(resume: &str, lasts: &str) -> Arc<Schema> {
    let mut text = format!(
        "game = 'every_field'\nversion = 1\nresume = '{resume}'\ncheckpoint_lasts = '{lasts}'\n[lives]\nfield = 'lives'\n[fields]\nlives = {{ type = 'int', \
         scope = 'run', default = 3, min = 0, on_death = 'stays', on_retry = 'stays' }}\n"
    );
    for scope in ["level", "run", "profile", "device"] {
        writeln!(text, "{scope}_plain = {{ type = 'int', scope = '{scope}', default = {DEFAULT} }}").unwrap();
    }
    for scope in ["level", "run"] {
        for (death, retry, level, run) in OnDeath::ALL.iter().flat_map(|death| {
            OnRetry::ALL.iter().flat_map(move |retry| {
                OnReset::ALL.iter().flat_map(move |level| {
                    OnReset::ALL
                        .iter()
                        .map(move |run| (death.as_str(), retry.as_str(), level.as_str(), run.as_str()))
                })
            })
        }) {
            writeln!(
                text,
                "{scope}_{death}_{retry}_{level}_{run}x = {{ type = 'int', scope = '{scope}', default = {DEFAULT}, \
                 on_death = '{death}', on_retry = '{retry}', on_level = '{level}', on_new_run = '{run}' }}"
            )
            .unwrap();
        }
    }
    text += "[[levels]]\nid = 'first'\ncheckpoints = ['one']\n[[levels]]\nid = 'second'\n";
    schema(&text)
}

fn fields(schema: &Schema) -> impl Iterator<Item = (&FieldDef, Field<i64>)> {
    let all = schema.fields.iter().filter(|field| field.name.as_str() != "lives");
    all.map(|field| (field, schema.field(field.name.as_str()).unwrap()))
}

fn set_all(game: &mut Progress, value: i64) {
    let schema = Arc::clone(game.schema());
    for (field, handle) in fields(&schema) {
        let change = game.set(handle, value);
        assert!(change.refused.is_none(), "{}: {change:?}", field.name);
    }
}

/// In the first level, with another value of every field on arrival, at the checkpoint, and now.
fn played(schema: &Arc<Schema>) -> Progress {
    let mut game = Progress::new(Arc::clone(schema));
    for (_, handle) in fields(schema) {
        game.suppose(handle, ON_ARRIVAL).unwrap();
    }
    let first = schema.level("first").unwrap();
    game.begin(None).unwrap();
    game.enter(first).unwrap();
    set_all(&mut game, AT_CHECKPOINT);
    game.reach(schema.checkpoint(first, "one").unwrap()).unwrap();
    set_all(&mut game, LIVE);
    game
}

/// Does what a row of the table describes.
fn happen(game: &mut Progress, row: &str) -> Row {
    let schema = Arc::clone(game.schema());
    match row {
        "a checkpoint is reached" => Row::Checkpoint,
        "a death, a life left" => {
            game.die().unwrap();
            Row::Death
        }
        "a death, back to a save point in another level" => {
            game.enter(schema.level("second").unwrap()).unwrap();
            set_all(game, LIVE);
            let died = game.die().unwrap();
            let place = keblin::progress::Death::LifeLost { left: Some(2), place: game.place() };
            assert_eq!(died, place);
            assert_eq!(game.respawn().unwrap().level, schema.level("first").ok());
            Row::DeathElsewhere
        }
        "a death, none left" => {
            game.set(schema.field::<i64>("lives").unwrap(), 1);
            game.die().unwrap();
            Row::LastDeath
        }
        "retry" => {
            game.retry().unwrap();
            Row::Retry
        }
        "a level is entered from its start" => {
            game.enter(schema.level("second").unwrap()).unwrap();
            Row::Enter
        }
        "the level is left and resumed" => {
            game.leave().unwrap();
            game.resume().unwrap();
            Row::Leave
        }
        "the level is finished" => {
            game.finish().unwrap();
            Row::Finish
        }
        "the run ends" => {
            game.end_run().unwrap();
            Row::RunEnd
        }
        "a new run begins" => {
            game.begin_replacing(None);
            Row::NewRun
        }
        "quit, opened, resumed: exact" | "quit, opened, resumed: checkpoint" => {
            *game = Progress::restored(game.snapshot());
            game.resume().unwrap();
            Row::Reopen
        }
        "the profile is erased" => {
            game.erase(&keblin::progress::Erase::Profile, true).unwrap();
            Row::Erase
        }
        other => panic!("the table has a row the test does not know: {other}"),
    }
}

/// Returns the value that a cell of the table promises for a field.
fn promised(cell: &str, field: &FieldDef, plain: &BTreeMap<(String, Scope), String>) -> i64 {
    let name = field.name.as_str();
    let word = |key: &str, said: &str| match name.ends_with("_plain") {
        true => plain[&(key.to_string(), field.scope)].clone(),
        false => said.to_string(),
    };
    let survival = field.survival;
    let word = match cell {
        "by on_death" => word("on_death", survival.on_death.as_str()),
        "by on_retry" => word("on_retry", survival.on_retry.as_str()),
        "by on_level" => word("on_level", survival.on_level.as_str()),
        "by on_new_run" => word("on_new_run", survival.on_new_run.as_str()),
        other => other.to_string(),
    };
    match word.as_str() {
        "copied" | "stays" | "readable" => LIVE,
        "checkpoint" => AT_CHECKPOINT,
        "entry" => ON_ARRIVAL,
        "default" => DEFAULT,
        other => panic!("the table has a word the test does not know: {other}"),
    }
}

fn value_of(fate: Fate) -> i64 {
    match fate {
        Fate::Checkpoint => AT_CHECKPOINT,
        Fate::Entry => ON_ARRIVAL,
        Fate::Default => DEFAULT,
        _ => LIVE,
    }
}

#[test]
fn every_field_survives_every_event_as_the_table_and_the_schema_say() {
    let words = table("Survival", "word");
    let mut plain = BTreeMap::new();
    for row in &words[1..] {
        plain.insert((row[0].clone(), Scope::Level), row[1].clone());
        plain.insert((row[0].clone(), Scope::Run), row[2].clone());
    }
    let rows = table("Survival", "event");
    let mut checked = 0;
    for row in &rows[1..] {
        let resume = if row[0].ends_with(": checkpoint") { "checkpoint" } else { "exact" };
        let lasts = if row[0].contains("save point") { "run" } else { "level" };
        let schema = every_field(resume, lasts);
        let mut game = played(&schema);
        let moment = happen(&mut game, &row[0]);
        for (field, handle) in fields(&schema) {
            let cell = match field.scope {
                Scope::Level => &row[1],
                Scope::Run => &row[2],
                Scope::Profile => &row[3],
                _ => &row[4],
            };
            let promised = promised(cell, field, &plain);
            assert_eq!(game.get(handle), promised, "{} at {:?}: {cell}", field.name, row[0]);
            assert_eq!(
                value_of(fate(&schema, field, moment)),
                promised,
                "{} by the schema: {:?}",
                field.name,
                row[0]
            );
            checked += 1;
        }
    }
    assert_eq!(checked, 13 * (2 * 48 + 4));
    println!("{checked} values checked");
}

#[test]
fn before_a_checkpoint_a_death_goes_back_to_the_arrival() {
    let schema = every_field("exact", "level");
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    for (_, handle) in fields(&schema) {
        game.suppose(handle, ON_ARRIVAL).unwrap();
    }
    game.enter(schema.level("first").unwrap()).unwrap();
    set_all(&mut game, LIVE);
    game.die().unwrap();
    for (field, handle) in fields(&schema).filter(|(field, _)| field.survival.on_death == OnDeath::Checkpoint)
    {
        let supposed_in_time = if field.scope.is_of_run() { ON_ARRIVAL } else { LIVE };
        assert_eq!(game.get(handle), supposed_in_time, "{}", field.name);
    }
}

#[test]
fn what_is_left_of_a_run_that_is_over_is_not_saved() {
    let schema = every_field("exact", "level");
    let mut game = played(&schema);
    game.end_run().unwrap();
    let reopened = Progress::restored(game.snapshot());
    assert!(reopened.resume_point().is_none() && !reopened.has_run());
    for (field, handle) in fields(&schema).filter(|(field, _)| field.scope.is_of_run()) {
        let stays = field.survival.on_new_run == OnReset::Stays;
        assert_eq!(reopened.get(handle), if stays { LIVE } else { DEFAULT }, "{}", field.name);
    }
}

#[test]
fn opening_at_a_checkpoint_leaves_a_run_on_the_map_as_saved() {
    let schema = every_field("checkpoint", "level");
    let mut game = played(&schema);
    game.finish().unwrap();
    let mut reopened = Progress::restored(game.snapshot());
    reopened.resume().unwrap();
    for (field, handle) in fields(&schema) {
        assert_eq!(reopened.get(handle), LIVE, "{}", field.name);
    }
}

#[test]
fn opening_twice_is_opening_once() {
    for resume in ["exact", "checkpoint"] {
        let schema = every_field(resume, "level");
        for fall in [false, true] {
            let mut game = played(&schema);
            if fall {
                game.die().unwrap();
            }
            let once = Progress::restored(game.snapshot()).snapshot();
            let twice = Progress::restored(once.clone()).snapshot();
            assert!(once == twice, "{resume}, {fall}");
        }
    }
}
