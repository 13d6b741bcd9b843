//! Verification: the findings about an intact save.

use std::sync::Arc;

use keblin::save::write;
use keblin::verify::{check, verify};
use keblin::{Field, Progress, Time, Value};
use proptest::prelude::*;

use crate::forged::Forge;
use crate::round_trip::stamp;
use crate::tables::{fen_post, read, schema};

/// Returns the findings about a save when it is read with a declaration that has changed since.
#[track_caller]
fn told(game: &Progress, change: (&str, &str)) -> Vec<String> {
    let text = read("demo/progress.toml");
    assert!(text.contains(change.0), "{}", change.0);
    let now = schema(&text.replace(change.0, change.1));
    let bytes = write(&game.snapshot(), &stamp(1));
    verify(&bytes, &now).unwrap().findings().iter().map(ToString::to_string).collect()
}

fn rated() -> Progress {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    game.finish_with_stars(3).unwrap();
    game
}

#[test]
fn a_sound_save_has_nothing_to_tell() {
    assert!(told(&rated(), ("", "")).is_empty());
}

#[test]
fn a_value_outside_bounds_that_have_changed_is_told_and_clamped() {
    let schema_now = schema(
        &read("demo/progress.toml")
            .replace("default = 60\nmin = 0\nmax = \"oil_cap\"", "default = 50\nmin = 0\nmax = 50"),
    );
    let bytes = write(&rated().snapshot(), &stamp(1));
    let save = verify(&bytes, &schema_now).unwrap();
    assert_eq!(
        save.findings()[0].to_string(),
        "run.oil: warning: 60 is above max 50; the game gets 50, and the save keeps 60 until it changes [out_of_bounds]"
    );
    assert_eq!(save.into_progress().get(schema_now.field::<i64>("oil").unwrap()), 50);
}

#[test]
fn a_rebalanced_rating_is_told_and_kept() {
    let told =
        told(&rated(), ("checkpoints = [\"osier\"]\nstars = 3", "checkpoints = [\"osier\"]\nstars = 2"));
    assert_eq!(
        told,
        ["profile.reedgate.neap.stars: warning: 3 stars, but the level has at most 2 [too_many_stars]"]
    );
}

#[test]
fn records_and_ratings_of_levels_that_were_never_finished_are_told() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    let place = (schema.level("reedgate").unwrap(), schema.difficulty("spring").unwrap());
    let best: Field<Option<Time>> = schema.field_per("best_crossing").unwrap().at(place);
    game.submit(best, Time::from_millis(5));
    let stars = keblin::condition::names::named(&schema, "levels.long_mere.neap.stars").unwrap();
    game.suppose_asked(&stars, keblin::Value::Int(1)).unwrap();
    assert_eq!(
        told(&game, ("", "")),
        [
            "profile.long_mere.neap.stars: warning: the level has stars, but was never finished [stars_unfinished]",
            "profile.reedgate.spring.best_crossing: warning: a record of a finish, but the level was never finished \
             [record_unfinished]",
        ]
    );
}

#[test]
fn a_run_without_a_life_is_told() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.set(schema.field::<i64>("boats").unwrap(), 0);
    assert_eq!(
        told(&game, ("", "")),
        ["run.boats: warning: a run to continue, but no life left [run_without_lives]"]
    );
}

#[test]
fn a_value_of_another_kind_is_refused_at_its_place() {
    let bytes = write(&rated().snapshot(), &stamp(1));
    let now = schema(&read("demo/progress.toml").replace(
        "[fields.coppers]\nabout = \"Coins for the chandler: earned and spent, also on two machines.\"\ntype = \"int\"\nscope = \"profile\"\nkeep = \"balance\"\ndefault = 120\nmin = 0",
        "[fields.coppers]\ntype = \"text\"\nscope = \"profile\"\nmax_len = 5",
    ));
    let error = verify(&bytes, &now).unwrap_err();
    assert_eq!(error.section, "profile");
    assert!(error.to_string().contains(": expected coppers as text, but found 120. While"), "{error}");
    assert_eq!(bytes[error.offset], 0x18, "the offset leads to the value");
    assert_eq!(bytes[error.offset + 1], 120);
}

const PLAIN: &str = r#"
    game = "plain"
    version = 1
    difficulties = ["easy", "hard"]
    level_facts_per = "difficulty"
    [shapes.lamp.members]
    oil = { type = "int", min = 0, max = MAX }
    name = { type = "text", max_len = 5 }
    at = { type = "vec2" }
    home = { type = "bool" }
    [fields]
    lives = { type = "int", scope = "run", default = 2, min = 0, max = MAX, on_death = "stays", on_retry = "stays" }
    oil = { type = "int", scope = "run", min = -5, max = MAX, on_death = "checkpoint" }
    name = { type = "text", scope = "profile", max_len = MAX }
    photo = { type = "bytes", scope = "profile", max_len = MAX }
    lamps = { type = "list", of = "lamp", scope = "profile", max_items = MAX }
    clock = { type = "time", scope = "run", max = "MAXs", counts = "playing", on_death = "stays" }
    best = { type = "time", scope = "profile", keep = "lowest", per = ["level", "difficulty"], from = "clock", at = ["finish"] }
    tops = { type = "int", scope = "profile", keep = "highest", places = 3 }
    [lives]
    field = "lives"
    [[levels]]
    id = "brook"
    checkpoints = ["log"]
    stars = STARS
    [[levels]]
    id = "weir"
"#;

fn plain(max: i64, stars: u8) -> Arc<keblin::Schema> {
    schema(&PLAIN.replace("MAX", &max.to_string()).replace("STARS", &stars.to_string()))
}

/// Plays numbers as events of the plain game.
fn play_plainly(game: &mut Progress, event: u8, number: i64) {
    let schema = Arc::clone(game.schema());
    let field = |name: &str| -> Field<Value> { schema.field(name).unwrap() };
    let count = usize::try_from(number).unwrap();
    let (level, difficulty) = (schema.level_at(count % 2).unwrap(), schema.difficulty_at(count % 2));
    match event % 14 {
        0 => drop(game.begin_replacing(difficulty)),
        1 | 2 => drop(game.enter(level)),
        3 => drop(game.finish_with_stars(number % 4)),
        4 => drop(game.set(field("lives"), Value::Int(number))),
        5 => drop(game.set(field("oil"), Value::Int(number - 5))),
        6 => drop(game.set(field("name"), Value::text(&"ö".repeat(count)))),
        7 => drop(game.set(field("photo"), Value::Bytes(vec![1; count].into()))),
        8 => {
            let lamp = format!("{{ oil = {number}, name = 'abc', at = [0.5, {number}] }}");
            let lamp = schema.written(keblin::Kind::Shape(0).into(), &lamp).unwrap();
            game.set(field("lamps"), Value::List(vec![lamp; count % 5].into()));
        }
        9 => game.tick(std::time::Duration::from_secs(number.unsigned_abs())),
        10 => drop(game.submit(schema.field::<Option<i64>>("tops").unwrap(), number)),
        11 if number % 2 == 0 => {
            drop(schema.checkpoint(schema.level_at(0).unwrap(), "log").map(|log| game.reach(log)))
        }
        11 => drop(game.die()),
        12 => drop(game.respawn()),
        _ => {
            let best = schema.field_per::<Option<Time>, _>("best").unwrap();
            let place = (level, schema.difficulty_at(1).unwrap());
            game.submit(best.at(place), Time::from_millis(number + 1));
        }
    }
}

proptest! {
    /// Saves of a wide declaration are examined and read with narrow ones, so that some values are outside.
    #[test]
    fn a_glance_at_a_save_tells_what_reading_it_tells(
        events in prop::collection::vec((any::<u8>(), 0..12_i64), 0..40),
        narrow in 3..12_i64,
        changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 8),
    ) {
        let wide = plain(30, 3);
        let mut game = Progress::new(Arc::clone(&wide));
        events.iter().for_each(|(event, number)| play_plainly(&mut game, *event, *number));
        let bytes = write(&game.snapshot(), &stamp(1));
        // With a byte changed under a matching digest, so that the values themselves are checked.
        let file = keblin::save::read(&bytes).unwrap();
        for (index, to) in changes {
            let mut forge = Forge::of("plain");
            let length: usize = file.sections.iter().map(|section| section.body.len()).sum();
            let mut at = index.index(length);
            for section in &file.sections {
                let mut body = section.body.to_vec();
                body.get_mut(at).into_iter().for_each(|byte| *byte = to);
                at = at.wrapping_sub(body.len());
                forge.section(section.name, true, 0, &body);
            }
            let forged = forge.state(1, 1).bytes.clone();
            let read = verify(&forged, &wide).map(|save| save.findings().to_vec());
            prop_assert_eq!(check(&forged, &wide, None), read);
        }
        for schema in [wide, plain(narrow, 3), plain(30, 1)] {
            let read = verify(&bytes, &schema).map(|save| save.findings().to_vec());
            prop_assert_eq!(check(&bytes, &schema, None), read);
        }
    }
}
