//! Every type of value: written, read, limited, saved and opened again.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use keblin::progress::{Progress, Why};
use keblin::save::{Stamp, write};
use keblin::typed::{Bytes, Shape};
use keblin::value::Opaque;
use keblin::verify::verify;
use keblin::{Checkpoint, Date, Field, Instant, Item, Level, Schema, Time, Value};

use crate::tables::schema;

const GAME: &str = r#"
    game = "kinds"
    version = 1
    [lists]
    lamps = ["wick", "glass", "tallow"]
    [shapes.lantern]
    members = { oil = { type = "int", min = 0, max = 9, default = 9 }, lamp = { type = "id", of = "lamps" }, lit = { type = "bool" } }
    [fields]
    depth = { type = "float", scope = "profile", min = 0.5, max = 10, default = 1 }
    photo = { type = "bytes", scope = "profile", max_len = 4 }
    lamp = { type = "id", of = "lamps", scope = "profile" }
    day = { type = "date", scope = "profile" }
    since = { type = "instant", scope = "profile", default = 2026-11-29T10:14:08.25Z }
    first_day = { type = "date", scope = "profile", keep = "lowest", places = 3 }
    days = { type = "set", of = "date", scope = "profile", keep = "union", max_items = 3 }
    home = { type = "id", of = "levels", scope = "profile", default = "brook" }
    flag = { type = "id", of = "checkpoints", scope = "profile" }
    at = { type = "vec2", scope = "profile" }
    camera = { type = "vec3", scope = "profile", default = [0.5, -1, 2.25] }
    turn = { type = "quat", scope = "profile" }
    lantern = { type = "shape", of = "lantern", scope = "profile", default = { oil = 3 } }
    satchel = { type = "list", of = "text", scope = "profile", max_len = 4, max_items = 3 }
    splits = { type = "list", of = "time", scope = "profile", max_items = 9, default = ["1s", "90s"] }
    lit = { type = "set", of = "lamps", scope = "profile", max_items = 3 }
    met = { type = "set", of = "text", scope = "profile", keep = "union", max_len = 9, max_items = 9 }
    worn = { type = "map", key = "lamps", of = "int", scope = "profile", min = 0, max_items = 3 }
    lanterns = { type = "list", of = "lantern", scope = "profile", max_items = 2 }
    walked = { type = "float", scope = "profile", keep = "sum" }
    blob = { type = "opaque", scope = "profile", max_len = 8 }
    [[levels]]
    id = "brook"
    checkpoints = ["log"]
    [[levels]]
    id = "weir"
    checkpoints = ["log", "gate"]
"#;

fn game() -> (Arc<Schema>, Progress) {
    let schema = schema(GAME);
    (Arc::clone(&schema), Progress::new(schema))
}

fn field<T: keblin::typed::FieldType>(schema: &Schema, id: &str) -> Field<T> {
    schema.field(id).unwrap()
}

fn opened(schema: &Arc<Schema>, game: &Progress) -> Progress {
    let stamp = Stamp::first(1, "test");
    let bytes = write(&game.snapshot(), &stamp);
    let save = verify(&bytes, schema).unwrap_or_else(|error| panic!("{error}"));
    assert!(save.findings().is_empty(), "{:?}", save.findings());
    assert_eq!(write(save.snapshot(), &stamp), bytes, "the same values give the same bytes");
    save.into_progress()
}

#[test]
fn every_kind_begins_as_declared_or_empty() {
    let (schema, game) = game();
    assert_eq!(game.get(field::<f64>(&schema, "depth")), 1.0);
    assert_eq!(game.get(field::<Bytes>(&schema, "photo")), &[] as &[u8]);
    assert_eq!(game.get(field::<Option<Item>>(&schema, "lamp")), None);
    assert_eq!(game.get(field::<Level>(&schema, "home")), schema.level("brook").unwrap());
    assert_eq!(game.get(field::<[f32; 3]>(&schema, "camera")), [0.5, -1.0, 2.25]);
    assert_eq!(game.get(field::<[f32; 4]>(&schema, "turn")), [0.0, 0.0, 0.0, 1.0]);
    let lantern = game.get(field::<Shape>(&schema, "lantern"));
    assert_eq!((lantern.get("oil"), lantern.get("lamp")), (Some(&Value::Int(3)), Some(&Value::Unset)));
    assert!(game.get(field::<Vec<String>>(&schema, "satchel")).is_empty());
    let splits = game.get(field::<Vec<Time>>(&schema, "splits"));
    assert_eq!(splits.iter().collect::<Vec<_>>(), [Time::from_millis(1000), Time::from_millis(90_000)]);
}

#[test]
fn every_kind_comes_back_from_a_save_as_it_was() {
    let (schema, mut game) = game();
    let item = |id: &str| schema.item("lamps", id).unwrap();
    let weir = schema.level("weir").unwrap();
    game.set(field::<f64>(&schema, "depth"), 0.7 + 0.1);
    game.set(field::<Bytes>(&schema, "photo"), vec![0, 255, 7]);
    game.set(field::<Option<Item>>(&schema, "lamp"), item("glass"));
    game.set(field::<Level>(&schema, "home"), weir);
    game.set(field::<Option<Checkpoint>>(&schema, "flag"), schema.checkpoint(weir, "log").unwrap());
    game.set(field::<[f32; 2]>(&schema, "at"), [0.1, -65504.0]);
    game.set(field::<[f32; 4]>(&schema, "turn"), [0.5, 0.5, -0.5, 0.5]);
    let day = |text: &str| text.parse::<Date>().unwrap();
    game.set(field::<Option<Date>>(&schema, "day"), day("2026-11-29"));
    game.set(field::<Instant>(&schema, "since"), Instant::from_unix_ms(-1).unwrap());
    let first_day = field::<Option<Date>>(&schema, "first_day");
    for text in ["2026-11-29", "1969-12-31", "2026-11-30"] {
        game.submit(first_day, day(text));
    }
    game.insert(field::<BTreeSet<Date>>(&schema, "days"), day("2024-02-29"));
    let lantern = schema
        .written(keblin::kind::Kind::Shape(0).into(), "{ oil = 9, lamp = 'wick', lit = true }")
        .unwrap();
    game.set(field::<Shape>(&schema, "lantern"), lantern.clone());
    for letter in ["F-04", "F-11", "F-11"] {
        game.push(field::<Vec<String>>(&schema, "satchel"), letter.to_string());
    }
    game.insert(field::<BTreeSet<Item>>(&schema, "lit"), item("tallow"));
    game.insert(field::<BTreeSet<Item>>(&schema, "lit"), item("wick"));
    game.put_entry(field::<BTreeMap<Item, i64>>(&schema, "worn"), item("glass"), 12);
    game.push(field::<Vec<Shape>>(&schema, "lanterns"), lantern);
    game.set(field::<Opaque>(&schema, "blob"), Opaque { version: 3, bytes: vec![1, 2].into() });
    let after = opened(&schema, &game);
    for cell in 0..schema.cell_count {
        assert_eq!(after.value_at(cell), game.value_at(cell), "{}", schema.cell_owner(cell).unwrap().0.name);
    }
    let days: Vec<String> = after.table(first_day).map(|day| day.to_string()).collect();
    assert_eq!(days, ["1969-12-31", "2026-11-29", "2026-11-30"], "the earliest first");
    assert_eq!(after.get(field::<Instant>(&schema, "since")).to_string(), "1969-12-31T23:59:59.999Z");
    let json = keblin::save::json::export(&after.snapshot(), &Stamp::first(1, "test"));
    assert_eq!(json["profile"]["fields"]["day"], "2026-11-29");
    assert_eq!(keblin::save::json::import(&json, &schema).unwrap().0, after.snapshot());
    assert_eq!(after.get(field::<f64>(&schema, "depth")), 0.7 + 0.1, "to the last bit");
    assert_eq!(after.get(field::<[f32; 2]>(&schema, "at")), [0.1, -65504.0]);
    let satchel = after.get(field::<Vec<String>>(&schema, "satchel"));
    assert_eq!(satchel.iter().collect::<Vec<_>>(), ["F-04", "F-11", "F-11"], "order and doubles are kept");
    let lit = after.get(field::<BTreeSet<Item>>(&schema, "lit"));
    assert_eq!(lit.iter().collect::<Vec<_>>(), [item("wick"), item("tallow")], "in the order of the list");
    let worn = after.get(field::<BTreeMap<Item, i64>>(&schema, "worn"));
    assert_eq!(worn.iter().collect::<Vec<_>>(), [(item("glass"), 12)]);
    let flag = after.get(field::<Option<Checkpoint>>(&schema, "flag")).option().unwrap();
    assert_eq!(flag.of(&schema), schema.checkpoint(weir, "log").ok());
    assert_eq!(after.get(field::<Opaque>(&schema, "blob")), (3, &[1_u8, 2][..]));
}

#[test]
fn what_does_not_fit_is_refused_and_changes_nothing() {
    let (schema, mut game) = game();
    let satchel: Field<Vec<String>> = field(&schema, "satchel");
    for letter in ["a", "b", "c"] {
        game.push(satchel, letter.to_string());
    }
    let before = game.snapshot();
    let refusals = [
        game.push(satchel, "d".into()),
        game.set(satchel, vec!["too long".into()]),
        game.remove_at(satchel, 3),
        game.set(field::<Bytes>(&schema, "photo"), vec![0; 5]),
        game.set(field::<f64>(&schema, "depth"), f64::NAN),
        game.set(field::<[f32; 2]>(&schema, "at"), [f32::INFINITY, 0.0]),
        game.take_entry(field::<BTreeMap<Item, i64>>(&schema, "worn"), schema.item("lamps", "wick").unwrap()),
        game.set(field::<Value>(&schema, "lantern"), Value::Int(3)),
        game.add(field::<f64>(&schema, "walked"), -0.5),
        game.remove(field::<BTreeSet<String>>(&schema, "met"), "otter".into()),
    ];
    let told: Vec<String> =
        refusals.iter().map(|change| change.refused.as_ref().unwrap().to_string()).collect();
    assert_eq!(
        told,
        [
            "satchel: refused: expected at most 3 items, but found 4",
            "satchel: refused: expected at most 4 characters, but found 8",
            "satchel: refused: item 3 not found",
            "photo: refused: expected at most 4 bytes, but found 5",
            "depth: refused: the number is not finite",
            "at: refused: the number is not finite",
            "worn: refused: wick not found",
            "lantern: refused: expected a shape of lantern, but found 3",
            "walked: cannot be reduced: `keep = \"sum\"`/`\"union\"` fields only grow",
            "met: cannot be reduced: `keep = \"sum\"`/`\"union\"` fields only grow",
        ]
    );
    assert!(game.snapshot() == before);
}

#[test]
fn an_entry_an_item_and_a_member_stop_at_their_bounds_as_a_plain_value_does() {
    let (schema, mut game) = game();
    let worn: Field<BTreeMap<Item, i64>> = field(&schema, "worn");
    let (wick, glass) = (schema.item("lamps", "wick").unwrap(), schema.item("lamps", "glass").unwrap());
    let change = game.put_entry(worn, wick, -1);
    assert!(change.clamped && change.refused.is_none());
    assert_eq!((game.entry(worn, wick), game.entry(worn, glass)), (Some(0), None));
    game.change_entry(worn, glass, |count| *count += 3);
    assert!(!game.change_entry(worn, glass, |count| *count -= 1).clamped);
    assert!(game.change_entry(worn, glass, |count| *count -= 9).clamped);
    assert_eq!(game.entry(worn, glass), Some(0));

    let lantern = |oil: i64| {
        let text = format!("{{ oil = {oil}, lamp = 'wick', lit = true }}");
        schema.written(keblin::kind::Kind::Shape(0).into(), &text).unwrap()
    };
    let (own, all): (Field<Shape>, Field<Vec<Shape>>) =
        (field(&schema, "lantern"), field(&schema, "lanterns"));
    assert!(game.change(own, |held| *held = lantern(12)).clamped);
    assert_eq!(game.get(own).get("oil"), Some(&Value::Int(9)));
    game.push(all, lantern(4));
    assert!(game.change_item(all, 0, |held| *held = lantern(-4)).clamped);
    assert_eq!(game.get(all).get(0).unwrap().get("oil"), Some(&Value::Int(0)));
    let refused = game.change_item(all, 1, |_| panic!("called for a missing item")).refused.unwrap();
    assert_eq!(refused.to_string(), "lanterns: refused: item 1 not found");
    let lamp: Field<Option<Item>> = field(&schema, "lamp");
    let refused = game.change(lamp, |_| panic!("called for an unset value")).refused.unwrap();
    assert_eq!(refused.to_string(), "lamp is unset: set it first");

    let met: Field<BTreeSet<String>> = field(&schema, "met");
    game.change(met, |met| met.push("eel".to_string()));
    assert!(game.contains(met, "eel".to_string()) && !game.contains(met, "otter".to_string()));
}

#[test]
fn numbers_with_a_fraction_stop_at_their_bounds_too() {
    let (schema, mut game) = game();
    let depth: Field<f64> = field(&schema, "depth");
    let change = game.add(depth, 100.0);
    assert!(change.clamped && change.after == Value::float(10.0).unwrap(), "{change:?}");
    game.add(depth, -0.25);
    assert_eq!(game.get(depth), 9.75);
    let refused = game.spend(depth, 9.5).unwrap_err();
    assert_eq!(refused.to_string(), "depth: cannot spend 9.5 of 9.75: at least 0.5 must remain");
    game.set(depth, -0.0);
    assert_eq!(game.get(depth), 0.5);
}

#[test]
fn what_only_gains_gains() {
    let (schema, mut game) = game();
    let (walked, met): (Field<f64>, Field<BTreeSet<String>>) =
        (field(&schema, "walked"), field(&schema, "met"));
    game.add(walked, 2.5);
    assert_eq!(
        game.set(walked, 1.0).after,
        Value::float(2.5).unwrap(),
        "less does not take the place of more"
    );
    assert!(matches!(*game.spend(walked, 1.0).unwrap_err().why, Why::OnlyGains { .. }));
    game.set(met, vec!["otter".into(), "heron".into()]);
    game.set(met, vec!["eel".into()]);
    let all: Vec<String> = game.get(met).iter().map(str::to_string).collect();
    assert_eq!(all, ["eel", "heron", "otter"], "a set that is united keeps what it had");
}

#[test]
fn an_item_of_another_list_is_no_value_of_a_field() {
    let (schema, mut game) = game();
    let stranger = Value::Id { of: keblin::kind::Ids::Levels, index: 0, name: "brook".into() };
    let refused = game.set(field::<Value>(&schema, "lamp"), stranger).refused.unwrap();
    assert_eq!(refused.to_string(), "lamp: refused: expected an id of lamps, but found brook");
}

#[test]
fn a_handle_of_another_kind_is_told_what_is_declared() {
    let schema = schema(GAME);
    let told = |error: keblin::LookupError| error.to_string();
    assert_eq!(
        told(schema.field::<Vec<i64>>("satchel").unwrap_err()),
        "field `satchel` is declared as list of text, but was looked up as list of int"
    );
    assert_eq!(
        told(schema.field::<Level>("lamp").unwrap_err()),
        "field `lamp` is declared as id that may be unset, but was looked up as id of levels"
    );
    assert_eq!(
        told(schema.field::<BTreeMap<String, f64>>("worn").unwrap_err()),
        "field `worn` is declared as map of int by id, but was looked up as map of float by text"
    );
}
