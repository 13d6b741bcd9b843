//! Lists, sets and maps in the members of a shape: limited, clamped, saved, exported and migrated like those of a field.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin::kind::Kind;
use keblin::migrate::{sample, sample_file};
use keblin::save::json::{export, import, json_schema};
use keblin::save::{SaveCode, write};
use keblin::typed::Shape;
use keblin::verify::verify;
use keblin::{Field, Progress, Schema, Value};

use crate::round_trip::stamp;
use crate::steps::{parsed, versions};

const BAG: &str = "game = 'bag'\nversion = 1\n[lists]\nrunes = ['fire', 'ice', 'oak']\n[shapes.blade]\n\
    members = { name = { type = 'text', max_len = 9 }, runes = { type = 'set', of = 'runes', max_items = 2 }, \
    wear = { type = 'list', of = 'int', min = 0, max = 9, max_items = 3, default = [1] }, \
    bonus = { type = 'map', key = 'runes', of = 'int', max = 5, max_items = 3 }, \
    notes = { type = 'list', of = 'text', max_len = 4, max_items = 2 } }\n\
    [fields]\nown = { type = 'shape', of = 'blade', scope = 'profile' }\n\
    rack = { type = 'map', key = 'text', of = 'blade', max_len = 9, max_items = 4, scope = 'profile' }\n";

const FULL: &str =
    "{ name = 'Thorn', runes = ['ice', 'fire'], wear = [3, 0], bonus = { oak = 5 }, notes = ['old'] }";

fn blade(schema: &Schema, text: &str) -> Value {
    schema.written(Kind::Shape(0).into(), text).unwrap_or_else(|error| panic!("{error}"))
}

fn game() -> (Arc<Schema>, Progress) {
    let schema = Arc::new(parsed(BAG));
    (Arc::clone(&schema), Progress::new(schema))
}

#[test]
fn they_come_back_from_a_save_and_from_json_as_they_were() {
    let (schema, mut game) = game();
    let (own, rack): (Field<Shape>, Field<BTreeMap<String, Shape>>) =
        (schema.field("own").unwrap(), schema.field("rack").unwrap());
    assert_eq!(game.get(own).get("wear").unwrap().to_string(), "[1]", "its own default");
    game.set(own, blade(&schema, FULL));
    game.put_entry(rack, "best".to_string(), blade(&schema, "{ runes = ['oak'], wear = [] }"));
    let file = write(&game.snapshot(), &stamp(1));
    let again = verify(&file, &schema).unwrap();
    assert_eq!(again.findings(), []);
    assert!(*again.snapshot() == game.snapshot());
    let json = export(&game.snapshot(), &stamp(1));
    assert_eq!(json["profile"]["fields"]["own"]["bonus"]["oak"], 5);
    assert_eq!(write(&import(&json, &schema).unwrap().0, &stamp(1)), file);
    let fields = &json_schema(&schema)["properties"]["profile"]["properties"]["fields"]["properties"];
    assert_eq!(fields["own"]["properties"]["runes"]["maxItems"], 2);
    let mut wrong = json.clone();
    wrong["profile"]["fields"]["rack"]["best"]["runes"][0] = "elm".into();
    let told = import(&wrong, &schema).unwrap_err().to_string();
    assert!(told.starts_with("profile.fields.rack.best.runes.0: expected an id of runes"), "{told}");

    let whole = verify(&sample_file(&schema).unwrap(), &schema).unwrap();
    assert!(whole.findings().iter().all(|found| found.code == SaveCode::Edited), "{:?}", whole.findings());
    let differing = sample(&schema).differences(&Progress::new(schema).snapshot());
    let own = differing.iter().find(|differing| differing.what == "own").unwrap().one.to_string();
    assert!(!own.contains("notes: []") && !own.contains("bonus: {}"), "{own}");
}

#[test]
fn what_is_in_them_stops_at_its_bounds_and_too_many_are_refused() {
    let (schema, mut game) = game();
    let own: Field<Shape> = schema.field("own").unwrap();
    let change = game.change(own, |held| {
        let Value::Shape(members) = &*held else { panic!("a shape") };
        let far = members.iter().map(|(name, value)| match name.as_str() {
            "wear" => (name.clone(), Value::List([Value::Int(99), Value::Int(-1)].into())),
            _ => (name.clone(), value.clone()),
        });
        *held = Value::Shape(far.collect());
    });
    assert!(change.clamped && change.refused.is_none(), "{change:?}");
    assert_eq!(game.get(own).get("wear").unwrap().to_string(), "[9, 0]");
    let three = Value::List([Value::text("a"), Value::text("b"), Value::text("c")].into());
    let change = game.change(own, |held| {
        let Value::Shape(members) = &*held else { panic!("a shape") };
        let with = |(name, value): &(keblin::Name, Value)| {
            (name.clone(), if name.as_str() == "notes" { three.clone() } else { value.clone() })
        };
        *held = Value::Shape(members.iter().map(with).collect());
    });
    assert_eq!(change.refused.unwrap().to_string(), "own: refused: expected at most 2 items, but found 3");
    // Rules read them as those of a field.
    let rule =
        format!("{BAG}[[unlocks]]\nid = 'icy'\nwhen = \"'ice' in own.runes && size(own.notes) == 1\"\n");
    let schema = Arc::new(parsed(&rule));
    let mut game = Progress::new(Arc::clone(&schema));
    game.set(schema.field::<Shape>("own").unwrap(), blade(&schema, FULL));
    assert!(game.is_unlocked(schema.unlock("icy").unwrap()));
}

#[test]
fn steps_convert_what_is_in_them() {
    let (schema, mut game) = game();
    game.set(schema.field::<Shape>("own").unwrap(), blade(&schema, FULL));
    let file = write(&game.snapshot(), &stamp(1));
    let now = BAG
        .replace("version = 1", "version = 2")
        .replace("'fire', 'ice', 'oak'", "'flame', 'ice'")
        .replace("max = 9, max_items = 3", "max = 2, max_items = 1");
    let told = versions(&[BAG, &now], &[""]).unwrap_err();
    assert!(told.contains("member wear of blade changed: max is now 2, max_items is now 1"), "{told}");
    let step = "drop = ['lists.runes.items.oak']\n[lists.runes.items.flame]\nfrom = 'fire'\n\
        [shapes.blade.members.wear]\nmax = 2\nmax_items = 1\nmisfit = 'nearest'\n";
    let schema = versions(&[BAG, &now], &[step]).unwrap_or_else(|found| panic!("{found}"));
    let game = verify(&file, &schema).unwrap().into_progress();
    let own = game.get(schema.field::<Shape>("own").unwrap());
    let told = |member: &str| own.get(member).unwrap().to_string();
    assert_eq!([told("runes"), told("wear"), told("bonus")], ["{flame, ice}", "[2]", "{}"]);
    // A list cannot become a set by itself.
    let set = BAG
        .replace("version = 1", "version = 2")
        .replace("notes = { type = 'list'", "notes = { type = 'set'");
    let told = versions(&[BAG, &set], &[""]).unwrap_err();
    assert!(told.contains("no step can convert a list of text to a set of text"), "{told}");
    let same = parsed(BAG);
    assert_eq!(keblin::diff::differences(&same, &parsed(&same.normal_text())), []);
}

#[test]
fn each_mistake_in_one_has_its_place() {
    for (from, to, expected) in [
        (", max_items = 2 }, wear", " }, wear", "`runes` needs `max_items`"),
        ("of = 'runes', max_items", "max_items", "a set needs `of`"),
        ("of = 'runes', max_items", "of = 'blade', max_items", "shapes are at most two deep"),
        ("key = 'runes', of", "of", "a map needs `key`"),
        ("of = 'runes', max_items = 2", "of = 'float', max_items = 2", "unknown value `float` for `of`"),
        (
            "default = [1]",
            "default = [10]",
            "the default does not fit: an element, 10, is outside its bound 9",
        ),
        (
            "default = [1]",
            "default = [1, 2, 3, 4]",
            "the default does not fit: expected at most 3 items, but found 4",
        ),
        (
            "type = 'text', max_len = 9 }, runes",
            "type = 'text', max_len = 9, max_items = 2 }, runes",
            "a text does not have items",
        ),
    ] {
        let told = Schema::parse("progress.toml", &BAG.replacen(from, to, 1)).unwrap_err().to_string();
        assert!(told.contains(expected), "{to}: {told}");
    }
}
