//! Bounds that follow other values, tables of best values, settings next to the slots, moments, and when a save is
//! due.

use std::fs;
use std::sync::Arc;
use std::time::Duration;

use keblin::model::SaveAt;
use keblin::progress::Erase;
use keblin::{Field, Notice, Progress, SaveDir, Schema, Time, Value};

use crate::tables::{fen_post, schema};

fn notices(game: &mut Progress, schema: &Schema) -> Vec<String> {
    game.drain_notices().map(|notice| notice.text(schema)).collect()
}

#[test]
fn a_bound_that_falls_takes_what_it_bounds_with_it_in_the_same_event() {
    let schema = schema(
        r#"
        game = "bounds"
        version = 1
        [fields]
        rank = { type = "int", scope = "profile", default = 3, min = 0, max = 9 }
        cap = { type = "int", scope = "profile", default = 30, min = 0, max = "rank * 10" }
        oil = { type = "int", scope = "profile", default = 30, min = 0, max = "cap" }
        best_oil = { type = "int", scope = "profile", keep = "highest", max = "cap" }
        air = { type = "time", scope = "profile", default = "10s", min = "0s", max = "longest" }
        longest = { type = "time", scope = "profile", default = "20s" }
        lit = { type = "bool", scope = "profile" }
        [[moments]]
        id = "low"
        when = "oil < 15"
        "#,
    );
    let mut game = Progress::new(Arc::clone(&schema));
    let int = |id: &str| schema.field::<i64>(id).unwrap();
    let best: Field<Option<i64>> = schema.field("best_oil").unwrap();
    assert!(game.set(int("oil"), 31).clamped);
    game.submit(best, 29);
    game.drain_notices().for_each(drop);
    game.set(int("rank"), 1);
    assert_eq!((game.get(int("cap")), game.get(int("oil"))), (10, 10), "through two bounds");
    assert_eq!(game.get(best), Some(29), "what was the best was the best");
    assert_eq!(notices(&mut game, &schema), ["moment low"], "reported after it settled");
    let last: Vec<String> = game.journal().rev().take(2).map(|entry| entry.text(&schema)).collect();
    assert_eq!(last, ["oil: 30 -> 10 (its bound moved)", "cap: 30 -> 10 (its bound moved)"]);
    game.set(int("rank"), 9);
    assert_eq!((game.get(int("cap")), game.get(int("oil"))), (10, 10), "what was lost does not come back");
    let refused = game.submit(best, 11).refused.unwrap();
    assert_eq!(refused.to_string(), "best_oil: 11 refused: expected at most 10");
    let (air, longest): (Field<Time>, Field<Time>) =
        (schema.field("air").unwrap(), schema.field("longest").unwrap());
    game.set(longest, Time::from_millis(4000));
    assert_eq!(game.get(air), Time::from_millis(4000));
}

#[test]
fn a_restore_puts_all_values_back_and_clamps_once() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    let (oil, cap): (Field<i64>, Field<i64>) =
        (schema.field("oil").unwrap(), schema.field("oil_cap").unwrap());
    let reedgate = schema.level("reedgate").unwrap();
    game.begin(None).unwrap();
    game.set(cap, 90);
    game.set(oil, 85);
    game.enter(reedgate).unwrap();
    game.reach(schema.checkpoint(reedgate, "osier").unwrap()).unwrap();
    game.set(cap, 60);
    assert_eq!(game.get(oil), 60);
    game.die().unwrap();
    assert_eq!((game.get(oil), game.get(cap)), (85, 90), "oil is not held to the cap that is on its way out");
}

#[test]
fn a_record_with_places_keeps_the_best_in_order() {
    let schema = schema(
        r#"
        game = "places"
        version = 1
        [lists]
        lamps = ["wick", "glass"]
        [fields]
        best = { type = "int", scope = "profile", keep = "highest", places = 3, min = 0 }
        fastest = { type = "time", scope = "profile", keep = "lowest", places = 2, per = ["lamps"] }
        [[unlocks]]
        id = "horn"
        when = "best != null && best >= 9"
        "#,
    );
    let mut game = Progress::new(Arc::clone(&schema));
    let best: Field<Option<i64>> = schema.field("best").unwrap();
    game.drain_notices().for_each(drop);
    let places: Vec<Option<usize>> = [5, 7, 5, 5, 6, 9, 1].map(|value| game.submit(best, value).place).into();
    assert_eq!(places, [Some(1), Some(1), Some(3), None, Some(2), Some(1), None]);
    assert_eq!((game.get(best).option(), game.table(best).collect::<Vec<_>>()), (Some(9), vec![9, 7, 6]));
    assert_eq!(
        notices(&mut game, &schema),
        [
            "new record, best: unset -> 5",
            "new record, best: 5 -> 7",
            "placed 3, best: 7 -> 5",
            "placed 2, best: 7 -> 6",
            "horn unlocked",
            "new record, best: 7 -> 9",
        ]
    );
    let per = schema.field_per::<Option<Time>, keblin::Item>("fastest").unwrap();
    let glass = per.at(schema.item("lamps", "glass").unwrap());
    for seconds in [3, 1, 2] {
        game.submit(glass, Time::from_millis(seconds * 1000));
    }
    assert_eq!(game.table(glass).map(|time| time.as_millis()).collect::<Vec<_>>(), [1000, 2000]);
    assert_eq!(game.get(per.at(schema.item("lamps", "wick").unwrap())), None);
    let reopened = Progress::restored(game.snapshot());
    assert_eq!(reopened.table(best).collect::<Vec<_>>(), [9, 7, 6]);
    game.erase(&Erase::Field(0), true).unwrap();
    assert_eq!(game.table(best).count(), 0, "the whole table goes");
}

#[test]
fn settings_belong_to_the_device_and_not_to_a_slot() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    let volume: Field<i64> = schema.field("horn_volume").unwrap();
    let page: Field<i64> = schema.field("menu_page").unwrap();
    let mut game = dir.slot("otter").unwrap().open(&schema).unwrap().progress;
    game.set(volume, 4);
    game.set(page, 3);
    dir.slot("otter").unwrap().save(&game.snapshot(), "quit").unwrap();
    let other = dir.slot("heron").unwrap().open(&schema).unwrap();
    assert_eq!(other.progress.get(volume), 4, "another profile, the same device");
    assert_eq!(other.progress.get(page), 1, "what is not durable is default");
    assert!(matches!(other.origin, keblin::store::Origin::FirstRun));
    game.erase(&Erase::Profile, true).unwrap();
    assert_eq!((game.get(volume), game.get(page)), (4, 3), "and erasing progress is not erasing settings");

    fs::write(dir.device_path(), b"scribble").unwrap();
    let opened = dir.slot("otter").unwrap().open(&schema).unwrap();
    assert_eq!(opened.progress.get(volume), 7);
    assert_eq!(opened.findings[0].code.as_str(), "settings_damaged");
    dir.slot("otter").unwrap().save(&game.snapshot(), "quit").unwrap();
    let aside = fs::read(folder.path().join("aside/device.damaged-1.keblin")).unwrap();
    assert_eq!(aside, b"scribble", "the damaged file is set aside");
    assert_eq!(dir.slot("otter").unwrap().open(&schema).unwrap().progress.get(volume), 4);
}

#[test]
fn what_is_not_durable_is_in_the_copies_and_not_in_the_file() {
    let schema = schema(
        r#"
        game = "durable"
        version = 1
        resume = "exact"
        [fields]
        heat = { type = "int", scope = "run", durable = false, on_death = "checkpoint" }
        [[levels]]
        id = "brook"
        checkpoints = ["log"]
        "#,
    );
    let heat: Field<i64> = schema.field("heat").unwrap();
    let brook = schema.level("brook").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(brook).unwrap();
    game.set(heat, 5);
    game.reach(schema.checkpoint(brook, "log").unwrap()).unwrap();
    game.set(heat, 8);
    game.die().unwrap();
    assert_eq!(game.get(heat), 5);
    let mut reopened = Progress::restored(game.snapshot());
    reopened.resume().unwrap();
    assert_eq!(reopened.get(heat), 0);
    reopened.die().unwrap();
    assert_eq!(reopened.get(heat), 0, "nor does a copy bring it back");
}

#[test]
fn a_moment_is_told_as_often_as_it_says() {
    let text = r#"
        game = "moments"
        version = 1
        resume = "exact"
        [fields]
        oil = { type = "int", scope = "run", default = 5, min = 0, on_death = "default" }
        [[levels]]
        id = "brook"
        [[levels]]
        id = "weir"
        [[moments]]
        id = "each"
        when = "oil == 0"
        [[moments]]
        id = "visit"
        when = "oil == 0"
        again = "level"
        [[moments]]
        id = "trip"
        when = "oil == 0"
        again = "run"
        [[moments]]
        id = "ever"
        when = "oil == 0"
        again = "profile"
        [[moments]]
        id = "fresh"
        when = "oil == 5"
    "#;
    let schema = schema(text);
    let oil: Field<i64> = schema.field("oil").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    let moments = |game: &mut Progress| -> Vec<String> {
        let told = game.drain_notices().filter(|notice| matches!(notice, Notice::Moment(_)));
        told.map(|notice| notice.text(&schema)[7..].to_string()).collect()
    };
    game.begin(None).unwrap();
    game.set(oil, 0);
    assert_eq!(moments(&mut game), ["each", "trip", "ever"], "on the map there is no visit for it");
    game.enter(schema.level("brook").unwrap()).unwrap();
    assert_eq!(moments(&mut game), ["visit"], "a moment that is true in the new visit is reported");
    game.die().unwrap();
    assert_eq!(game.get(oil), 5);
    assert!(moments(&mut game).is_empty(), "a death's effects are not reported");
    game.respawn().unwrap();
    game.set(oil, 1);
    game.set(oil, 0);
    assert_eq!(moments(&mut game), ["each"]);
    game.retry().unwrap();
    assert_eq!(moments(&mut game), ["visit"], "another try is another chance");
    game.enter(schema.level("weir").unwrap()).unwrap();
    assert_eq!(moments(&mut game), ["visit"]);
    let mut reopened = Progress::restored(game.snapshot());
    reopened.resume().unwrap();
    assert!(moments(&mut reopened).is_empty(), "it was reported already");
    reopened.begin_replacing(None);
    reopened.set(oil, 0);
    assert_eq!(moments(&mut reopened), ["each", "trip"], "a new run, the same profile");
}

#[test]
fn what_the_declaration_names_makes_a_save_due_once() {
    let schema = schema(
        r#"
        game = "due"
        version = 1
        autosave = ["checkpoint", "run_end", "change", "every 10s"]
        [fields]
        oil = { type = "int", scope = "run", default = 5, on_death = "stays" }
        coppers = { type = "int", scope = "profile" }
        [[levels]]
        id = "brook"
        checkpoints = ["log"]
        "#,
    );
    let (oil, coppers): (Field<i64>, Field<i64>) =
        (schema.field("oil").unwrap(), schema.field("coppers").unwrap());
    let brook = schema.level("brook").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(brook).unwrap();
    game.add(oil, 1);
    assert_eq!(game.take_due(), None, "neither begin nor enter is named, and oil is of the run");
    game.reach(schema.checkpoint(brook, "log").unwrap()).unwrap();
    game.add(oil, 1);
    game.add(coppers, 1);
    assert_eq!(game.take_due(), Some(SaveAt::Checkpoint), "the first of them, once for all");
    assert_eq!(game.take_due(), None);
    game.add(coppers, 0);
    assert_eq!(game.take_due(), None, "nothing has changed");
    game.add(coppers, 1);
    assert_eq!(game.take_due(), None, "a save was due a moment ago");
    game.tick(Duration::from_secs(1));
    assert_eq!(game.take_due(), Some(SaveAt::Change));
    (0..9).for_each(|_| game.tick(Duration::from_secs(1)));
    assert_eq!(game.take_due(), None);
    game.tick(Duration::from_secs(1));
    assert_eq!(game.take_due(), Some(SaveAt::Every(Time::from_millis(10_000))));
    game.end_run().unwrap();
    assert_eq!(game.take_due(), Some(SaveAt::RunEnd));
    assert_eq!(game.get(coppers), 2);
    assert_eq!(game.value_at(coppers.cell()), &Value::Int(2));
}

/// A coin in every frame is not a save in every frame, and the last one is saved too.
#[test]
fn changes_are_saved_at_most_once_a_second_or_as_often_as_declared() {
    for (word, expected) in [("change", 6), ("change every 2s", 4), ("change every 10ms", 300)] {
        let text = "game = 'coins'\nversion = 1\n[fields.coins]\ntype = 'int'\nscope = 'profile'\n";
        let schema = schema(&text.replace("[fields", &format!("autosave = ['{word}']\n[fields")));
        let coins: Field<i64> = schema.field("coins").unwrap();
        let mut game = Progress::new(Arc::clone(&schema));
        let (mut saves, mut saved) = (0, 0);
        // 300 frames of a sixtieth of a second, then ten seconds without a coin.
        for frame in 0..900 {
            if frame < 300 {
                game.add(coins, 1);
            }
            game.tick_secs(1.0 / 60.0);
            if game.take_due().is_some() {
                (saves, saved) = (saves + 1, game.get(coins));
            }
        }
        assert_eq!((saves, saved), (expected, 300), "{word}");
    }
}
