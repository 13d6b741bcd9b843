//! An older build of a version keeps what a newer build has saved: for every way in which a declaration can grow. The
//! newer build saves; the older build opens, plays and saves; the newer build finds all it had, with what the older build
//! has changed. What that is, an overlay of three JSON documents says, which knows nothing of how a save is written.

mod declared;
mod overlay;

use std::collections::BTreeSet;
use std::sync::Arc;

use fastrand::Rng;
use keblin::diff::{Class, GROWTHS, differences};
use keblin::migrate::sample;
use keblin::reconcile::reconcile;
use keblin::save::json::{export, import};
use keblin::save::{SaveCode, Stamp, write};
use keblin::store::backend::Memory;
use keblin::value::{ValueMap, ValueSet};
use keblin::verify::verify;
use keblin::{Keeper, Progress, SaveDir, Schema, Snapshot, Value};
use serde_json::{Value as Json, json};

use crate::long::tries;
use crate::tables::schema;
use declared::{EDITS, OLDER, edited};
use overlay::{expect, known, overlay};

/// Returns a save with values of the sample or first ones, field by field.
fn made(schema: &Arc<Schema>, rng: &mut Rng) -> Json {
    let stamp = Stamp::first(1, "test");
    let [mut made, full] =
        [Progress::new(Arc::clone(schema)).snapshot(), sample(schema)].map(|of| export(&of, &stamp));
    made["picture"] = Json::Null;
    for part in ["profile", "run"] {
        for (key, value) in full[part].as_object().unwrap() {
            if let (Some(values), "fields") = (value.as_object(), key.as_str()) {
                for (field, value) in values.iter().filter(|_| rng.u8(..4) > 0) {
                    made[part][key][field] = value.clone();
                }
            } else if rng.u8(..4) > 0 {
                made[part][key] = value.clone();
            }
        }
    }
    for _ in 0..12 {
        let mut stretched = made.clone();
        let fields = stretched[["profile", "run"][rng.usize(..2)]]["fields"].as_object_mut().unwrap();
        let at = rng.usize(..fields.len());
        stretch(fields.values_mut().nth(at).unwrap(), rng);
        let table = fields.get_mut("best").and_then(Json::as_array_mut);
        table.into_iter().for_each(|table| table.sort_by_key(|value| std::cmp::Reverse(value.as_i64())));
        let fits = import(&stretched, schema).is_ok_and(|(snapshot, stamp)| {
            let save = verify(&write(&snapshot, &stamp), schema).unwrap();
            let is_of_values = |code| matches!(code, SaveCode::OutOfBounds | SaveCode::DoesNotFit);
            !save.findings().iter().any(|finding| is_of_values(finding.code))
        });
        if fits {
            made = stretched;
        }
    }
    made
}

/// Changes a value to one that an older build may not allow.
fn stretch(json: &mut Json, rng: &mut Rng) {
    match json {
        Json::Number(number) if number.is_i64() && rng.u8(..4) > 0 => *json = rng.i64(-60..220).into(),
        Json::String(text) if rng.u8(..4) > 0 => text.push_str(&text.clone()),
        Json::Array(items) if !items.is_empty() => match rng.bool() {
            true => items.extend(items.clone()),
            false => stretch(items.iter_mut().next().unwrap(), rng),
        },
        Json::Object(members) if !members.is_empty() => {
            let at = rng.usize(..members.len());
            stretch(members.values_mut().nth(at).unwrap(), rng);
        }
        json => *json = Json::Null,
    }
}

fn save_of(json: &Json, schema: &Arc<Schema>) -> Vec<u8> {
    let (snapshot, stamp) = import(json, schema).unwrap_or_else(|error| panic!("{error}\n{json:#}"));
    write(&snapshot, &stamp)
}

/// Returns a save as a build reads it.
fn seen(bytes: &[u8], schema: &Arc<Schema>) -> Json {
    let save = verify(bytes, schema).unwrap_or_else(|error| panic!("{error}"));
    let [profile, run] =
        ["profile", "run"].map(|part| known(export(save.snapshot(), &Stamp::first(1, ""))[part].clone()));
    json!({ "profile": profile, "run": run })
}

/// Returns another value of the same type.
fn nudged(value: &Value, rng: &mut Rng) -> Value {
    match value {
        Value::Int(number) => Value::Int(number + if rng.bool() { 1 } else { -1 }),
        Value::Text(_) => Value::text(["", "eel", "rail"][rng.usize(..3)]),
        Value::Shape(members) => {
            let at = rng.usize(..members.len());
            let one = members.iter().enumerate().map(|(index, (name, value))| {
                (name.clone(), if index == at { nudged(value, rng) } else { value.clone() })
            });
            Value::Shape(one.collect())
        }
        Value::List(items) if !items.is_empty() => {
            let at = rng.usize(..items.len());
            let shapes = matches!(items[0], Value::Shape(_));
            let items = items.iter().enumerate().filter_map(|(index, item)| match (index == at, shapes) {
                (true, true) => Some(nudged(item, rng)),
                (true, false) => None,
                _ => Some(item.clone()),
            });
            Value::List(items.collect())
        }
        Value::Set(items) if !items.is_empty() => {
            Value::Set(Arc::new(items.iter().skip(1).cloned().collect::<ValueSet>()))
        }
        Value::Map(entries) if !entries.is_empty() => {
            let left = entries.iter().skip(usize::from(rng.bool()));
            let entries = left.map(|(key, value)| {
                (key.clone(), if rng.bool() { nudged(value, rng) } else { value.clone() })
            });
            Value::Map(Arc::new(entries.collect::<ValueMap>()))
        }
        value => value.clone(),
    }
}

/// Changes values that the older build knows; returns their fields.
fn change(game: &mut Progress, schema: &Arc<Schema>, rng: &mut Rng) -> BTreeSet<&'static str> {
    let mut changed = BTreeSet::new();
    for _ in 0..rng.usize(..6) {
        let fields = [
            "hook", "spare", "lamp", "shelf", "row", "worth", "kinds", "hooks", "nets", "note", "notes",
            "day",
        ];
        let name = fields[rng.usize(..fields.len())];
        let field = schema.field::<Value>(name).unwrap();
        let value = nudged(game.get(field), rng);
        game.set(field, value);
        changed.insert(name);
        if rng.u8(..4) == 0 {
            game.submit(schema.field::<Option<i64>>("best").unwrap(), rng.i64(1..30));
            changed.insert("best");
        }
    }
    changed
}

/// Plays in the same run; a refused event does nothing.
fn play(game: &mut Progress, schema: &Arc<Schema>, rng: &mut Rng) -> BTreeSet<&'static str> {
    for _ in 0..rng.usize(..6) {
        let _ = match rng.u8(..6) {
            0 => game.resume().map(drop),
            1 => game.enter(schema.level(["brook", "weir"][rng.usize(..2)]).unwrap()).map(drop),
            2 => game.retry().map(drop),
            3 => game.finish().map(drop),
            4 => game.leave().map(drop),
            _ => {
                game.die();
                Ok(())
            }
        };
        change(game, schema, rng);
    }
    BTreeSet::new()
}

/// Tries histories with every edit.
#[expect(clippy::print_stdout, reason = "a test that fails says which history it was")]
fn every_edit(mut history: impl FnMut(&Arc<Schema>, Rng)) {
    for (number, edits) in EDITS.iter().enumerate() {
        let newer = edited(edits);
        for seed in 0..tries(2, 150) {
            println!("{edits:?}, seed {seed}");
            history(&newer, Rng::with_seed(seed * 1_000 + number as u64));
        }
    }
}

#[test]
fn an_older_build_keeps_what_a_newer_one_has_saved_however_it_has_grown() {
    let older = schema(OLDER);
    every_edit(|newer, mut rng| {
        let bytes = save_of(&made(newer, &mut rng), newer);
        let (had, saw) = (seen(&bytes, newer), seen(&bytes, &older));
        let mut game = Progress::restored(verify(&bytes, &older).unwrap().snapshot().clone());
        let plays = rng.bool();
        let changed = match plays {
            true => play(&mut game, &older, &mut rng),
            false => change(&mut game, &older, &mut rng),
        };
        let bytes = write(&game.snapshot(), &Stamp::first(2, "test"));
        let exported = export(verify(&bytes, &older).unwrap().snapshot(), &Stamp::first(2, "test"));
        assert!(save_of(&exported, &older) == bytes, "{exported:#}");
        let (left, mut found) = (seen(&bytes, &older), seen(&bytes, newer));
        let mut expected = overlay(&had, &saw, &left, "");
        for (part, name, saw) in ["profile", "run"].into_iter().flat_map(|part| {
            saw[part]["fields"].as_object().unwrap().iter().map(move |(name, saw)| (part, name, saw))
        }) {
            // Opening puts two values back, and changes no other; neither does a bound of the older build.
            let is_put_back = ["spare", "row"].contains(&name.as_str());
            assert!(
                is_put_back || plays || changed.contains(name.as_str()) || left[part]["fields"][name] == *saw,
                "{name}"
            );
        }
        if plays {
            // The visit is another one.
            for json in [&mut found, &mut expected] {
                json["run"]["run"] = Json::Null;
            }
        }
        expect(&found, &expected);
    });
}

/// The same on a disk, where the save of a closed game is opened, and the older build opens several times.
#[test]
fn an_older_build_that_is_opened_again_and_again_keeps_what_a_newer_one_has_saved() {
    let older = schema(OLDER);
    every_edit(|newer, mut rng| {
        let bytes = save_of(&made(newer, &mut rng), newer);
        let (had, saw) = (seen(&bytes, newer), seen(&bytes, &older));
        let memory = Memory::default();
        let slot = SaveDir::on(Arc::new(memory.clone()), "saves").slot("grebe").unwrap();
        memory.put_file(slot.path(), bytes);
        for _ in 0..3 {
            let mut game = Keeper::open(&slot, &older).unwrap();
            game.set(older.field::<String>("note").unwrap(), ["eel", "rail"][rng.usize(..2)].to_string());
            game.submit(older.field::<Option<i64>>("best").unwrap(), rng.i64(..99));
            game.close().unwrap();
        }
        let bytes = &memory.files()[&slot.path()];
        expect(&seen(bytes, newer), &overlay(&had, &saw, &seen(bytes, &older), ""));
    });
}

#[test]
fn an_older_build_that_merges_keeps_what_a_newer_one_has_saved() {
    let older = schema(OLDER);
    every_edit(|newer, mut rng| {
        let theirs = save_of(&made(newer, &mut rng), newer);
        let ours = save_of(&made(&older, &mut rng), &older);
        let [ours, saw] = [&ours, &theirs].map(|bytes| verify(bytes, &older).unwrap().snapshot().clone());
        let both = reconcile(&ours, &saw).unwrap();
        let stamp = Stamp::first(2, "test");
        // What the older build knows of a save, as the newer one reads it.
        let known = |of: &Snapshot| seen(&save_of(&known(export(of, &stamp)), &older), newer);
        let expected = overlay(&seen(&theirs, newer), &known(&saw), &known(&both.snapshot), "");
        // Of two runs one stays.
        expect(&seen(&write(&both.snapshot, &stamp), newer)["profile"], &expected["profile"]);
    });
}

#[test]
fn every_growth_that_a_check_can_name_is_tried() {
    let older = schema(OLDER);
    let mut tried = BTreeSet::new();
    for edits in EDITS {
        let found = differences(&older, &edited(edits));
        assert!(found.iter().any(|difference| difference.class == Class::Growth), "{edits:?}");
        for difference in found {
            assert_ne!(difference.class, Class::Shape, "{difference}");
            tried.extend((difference.class == Class::Growth).then(|| difference.of_and_how()));
        }
    }
    tried.extend(crate::growth_world::tried());
    assert_eq!(tried, GROWTHS.iter().copied().collect());
}

/// A long list next to a member that the older build does not know is compared in less than the square of its length.
#[test]
fn a_long_list_next_to_an_unknown_member_is_saved_soon() {
    let shape = |more: &str| {
        schema(&format!(
            "game = 'grebe'\nversion = 1\n[shapes.log.members]\nmarks = {{ type = 'list', of = 'int', max_items = 65536 }}\n{more}\
             [fields]\nlog = {{ type = 'shape', of = 'log', scope = 'profile' }}\n"
        ))
    };
    let (older, newer) = (shape(""), shape("page = { type = 'int' }\n"));
    let mut json = export(&Progress::new(Arc::clone(&newer)).snapshot(), &Stamp::first(1, "test"));
    json["profile"]["fields"]["log"] = json!({ "page": 7, "marks": (0..60_000).collect::<Vec<i64>>() });
    let save = verify(&save_of(&json, &newer), &older).unwrap();
    let mut game = Progress::restored(save.snapshot().clone());
    let field = older.field::<Value>("log").unwrap();
    let Value::Shape(members) = game.get(field) else { panic!("not a shape") };
    let (name, Value::List(marks)) = members[0].clone() else { panic!("not a list") };
    let turned: Vec<Value> = marks.iter().rev().cloned().collect();
    game.set(field, Value::Shape([(name, Value::List(turned.into()))].into_iter().collect()));
    let found = seen(&write(&game.snapshot(), &Stamp::first(2, "test")), &newer);
    let log = &found["profile"]["fields"]["log"];
    assert_eq!(
        (&log["page"], &log["marks"][0], &log["marks"][59_999]),
        (&json!(7), &json!(59_999), &json!(0))
    );
}
