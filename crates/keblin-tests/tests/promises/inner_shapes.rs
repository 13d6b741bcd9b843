//! Shapes inside shapes, two deep: saved, exported, clamped, read by rules, rehearsed and migrated like flat ones.

use std::sync::Arc;

use keblin::kind::Kind;
use keblin::migrate::{sample, sample_file};
use keblin::rehearse::Rehearsal;
use keblin::save::json::{export, import, json_schema};
use keblin::save::{SaveCode, write};
use keblin::typed::Shape;
use keblin::verify::verify;
use keblin::{Field, Progress, Schema, Value};

use crate::round_trip::stamp;
use crate::steps::{parsed, versions};

/// The outer shape is declared first, and the members are not in the order of their encoded names.
const SMITHY: &str = "game = 'smithy'\nversion = 1\n[shapes.blade.members]\n\
    rune = { type = 'shape', of = 'rune', default = { power = 3 } }\n\
    edge = { type = 'int', min = 0, max = 50 }\n\
    cut = { type = 'list', of = 'rune', max_items = 3 }\n\
    worn = { type = 'map', key = 'text', of = 'rune', max_len = 6, max_items = 3 }\n\
    at = { type = 'vec2' }\n\
    [shapes.rune.members]\n\
    word = { type = 'text', max_len = 9, default = 'ash' }\n\
    power = { type = 'int', min = 0, max = 9, default = 2 }\n\
    lit = { type = 'list', of = 'bool', max_items = 2 }\n\
    [fields]\nheld = { type = 'shape', of = 'blade', scope = 'profile' }\n\
    rack = { type = 'list', of = 'blade', max_items = 4, scope = 'profile' }\n\
    [[unlocks]]\nid = 'strong'\nwhen = \"held.rune.power >= 5 && held.rune.word == 'oak' && held.at.x < 1.0\"\n";

const FULL: &str = "{ rune = { word = 'oak', power = 7, lit = [true] }, edge = 4, \
    cut = [{ power = 9 }, { word = 'elm' }], worn = { hilt = { power = 1 } }, at = [0.5, 2.0] }";

fn blade(schema: &Schema, text: &str) -> Value {
    let shape = schema.shapes.iter().position(|shape| shape.name.as_str() == "blade").unwrap();
    let kind = Kind::Shape(u16::try_from(shape).unwrap());
    schema.written(kind.into(), text).unwrap_or_else(|error| panic!("{error}"))
}

fn game() -> (Arc<Schema>, Progress, Field<Shape>) {
    let schema = Arc::new(parsed(SMITHY));
    let held = schema.field("held").unwrap();
    (Arc::clone(&schema), Progress::new(schema), held)
}

#[test]
fn they_start_with_their_own_defaults_and_come_back_from_a_save_and_from_json() {
    let (schema, mut game, held) = game();
    let rune = game.get(held).get("rune").unwrap().to_string();
    assert_eq!(rune, "{word: \"ash\", power: 3, lit: []}", "the member's default over the shape's");
    game.set(held, blade(&schema, FULL));
    let rack = schema.field::<Vec<Shape>>("rack").unwrap();
    game.set(rack, vec![blade(&schema, FULL), blade(&schema, "{}")]);
    let file = write(&game.snapshot(), &stamp(1));
    let again = verify(&file, &schema).unwrap();
    assert_eq!(again.findings(), []);
    assert!(*again.snapshot() == game.snapshot());
    // Another order of members and shapes reads them by their names.
    let (outer, inner) = SMITHY.split_once("[shapes.rune.members]\n").unwrap();
    let (inner, rest) = inner.split_once("[fields]").unwrap();
    let (top, outer) = outer.split_once("[shapes.blade.members]\n").unwrap();
    let backwards = |lines: &str| {
        let lines: Vec<&str> = lines.lines().rev().collect();
        lines.join("\n") + "\n"
    };
    let other = format!(
        "{top}[shapes.rune.members]\n{}[shapes.blade.members]\n{}[fields]{rest}",
        backwards(inner),
        backwards(outer)
    );
    let other = Arc::new(parsed(&other));
    let read = verify(&file, &other).unwrap().into_progress();
    let text =
        |value: &Value| schema.written(Kind::Shape(0).into(), "{}").map(|_| value.to_string()).unwrap();
    let named = |game: &Progress, id: &str| {
        text(game.get(game.schema().field::<Shape>("held").unwrap()).get(id).unwrap())
    };
    assert_eq!(named(&read, "edge"), named(&game, "edge"));
    assert_eq!(named(&read, "rune"), "{lit: [true], power: 7, word: \"oak\"}");
    assert_eq!(write(&read.snapshot(), &stamp(1)).len(), file.len());

    let json = export(&game.snapshot(), &stamp(1));
    assert_eq!(json["profile"]["fields"]["rack"][0]["worn"]["hilt"]["power"], 1);
    assert_eq!(write(&import(&json, &schema).unwrap().0, &stamp(1)), file);
    let fields = &json_schema(&schema)["properties"]["profile"]["properties"]["fields"]["properties"];
    assert_eq!(fields["held"]["properties"]["rune"]["properties"]["power"]["maximum"], 9);
    let mut wrong = json.clone();
    wrong["profile"]["fields"]["held"]["cut"][1]["power"] = "much".into();
    assert_eq!(import(&wrong, &schema).unwrap_err().path, "profile.fields.held.cut.1.power");

    let whole = verify(&sample_file(&schema).unwrap(), &schema).unwrap();
    assert!(whole.findings().iter().all(|found| found.code == SaveCode::Edited), "{:?}", whole.findings());
    assert!(
        sample(&schema)
            .differences(&Progress::new(schema).snapshot())
            .iter()
            .any(|found| found.what == "held")
    );
}

#[test]
fn what_is_in_them_stops_at_its_bounds_and_rules_and_rehearsals_read_it() {
    let (schema, mut game, held) = game();
    let strong = schema.unlock("strong").unwrap();
    assert!(!game.is_unlocked(strong));
    let change = game
        .set(held, blade(&schema, &FULL.replace("power = 7", "power = 70").replace("edge = 4", "edge = 99")));
    assert!(change.clamped, "{change:?}");
    assert_eq!(game.get(held).get("rune").unwrap().to_string(), "{word: \"oak\", power: 9, lit: [true]}");
    assert_eq!(game.get(held).get("edge"), Some(&Value::Int(50)));
    assert!(game.is_unlocked(strong));
    let long = FULL.replace("'oak'", "'hornbeam_oak'");
    assert!(game.set(held, blade(&schema, &long)).refused.is_some());
    let script = format!(
        "expect held.rune.power == 3\nset held {FULL}\nexpect held.rune.word == 'oak' && held.at.y == 2.0\n\
         expect size(held.rune.lit) == 1\nexpect unlocked.strong\n"
    );
    let rehearsal =
        Rehearsal::parse("held.txt", &script, &schema).unwrap_or_else(|found| panic!("{found:?}"));
    assert!(rehearsal.run().failure.is_none());
}

#[test]
fn a_member_of_what_goes_with_an_unset_record_is_unset() {
    let text = SMITHY.replace(
        "[fields]\n",
        "[fields]\nbest = { type = 'int', scope = 'profile', keep = 'highest', with = 'blade' }\n",
    );
    let asks = "[[unlocks]]\nid = 'famous'\nwhen = \"best != null && best.rune.power >= 3\"\n\
        [[unlocks]]\nid = 'nobody'\nwhen = 'best.rune.power == null'\n";
    let schema = Arc::new(parsed(&format!("{text}{asks}")));
    let best = schema.field::<Option<i64>>("best").unwrap();
    let mut game = Progress::new(Arc::clone(&schema));
    let unlocked =
        |game: &Progress| ["famous", "nobody"].map(|id| game.is_unlocked(schema.unlock(id).unwrap()));
    assert_eq!(unlocked(&game), [false, true]);
    game.submit(best, 12);
    assert_eq!(unlocked(&game), [true, false], "the member's own default is 3");
}

#[test]
fn steps_convert_what_is_in_them() {
    let (schema, mut game, held) = game();
    game.set(held, blade(&schema, FULL));
    let file = write(&game.snapshot(), &stamp(1));
    let now = SMITHY
        .replace("version = 1", "version = 2")
        .replace("power = { type = 'int', min = 0, max = 9", "might = { type = 'int', min = 0, max = 5")
        .replace("{ power = 3 }", "{ might = 3 }")
        .replace("held.rune.power", "held.rune.might")
        .replace("of = 'rune'", "of = 'sign'")
        .replace("[shapes.rune", "[shapes.sign");
    let told = versions(&[SMITHY, &now], &[""]).unwrap_err();
    assert!(told.contains("shape rune of version 1 was removed"), "{told}");
    let step = "[shapes.sign]\nfrom = 'rune'\n[shapes.sign.members.might]\nfrom = 'power'\nmax = 5\nmisfit = 'nearest'\n";
    let schema = versions(&[SMITHY, &now], &[step]).unwrap_or_else(|told| panic!("{told}"));
    let game = verify(&file, &schema).unwrap().into_progress();
    let held = game.get(schema.field::<Shape>("held").unwrap());
    let read = |name: &str| held.get(name).unwrap().to_string();
    assert_eq!(read("rune"), "{word: \"oak\", might: 5, lit: [true]}");
    assert_eq!(read("cut"), "[{word: \"ash\", might: 5, lit: []}, {word: \"elm\", might: 2, lit: []}]");
    assert_eq!(read("worn"), "{\"hilt\": {word: \"ash\", might: 1, lit: []}}");
}

#[test]
fn a_third_depth_and_a_set_of_shapes_are_mistakes() {
    for (was, is, said) in [
        (
            "lit = { type = 'list', of = 'bool', max_items = 2 }",
            "lit = { type = 'shape', of = 'blade' }",
            "at most two deep",
        ),
        (
            "lit = { type = 'list', of = 'bool', max_items = 2 }",
            "lit = { type = 'shape', of = 'rune' }",
            "at most two deep",
        ),
        (
            "cut = { type = 'list', of = 'rune'",
            "cut = { type = 'set', of = 'rune'",
            "unknown value `rune` for `of`",
        ),
        ("of = 'rune', default", "of = 'runes', default", "write \"rune\""),
        ("{ power = 3 }", "{ power = 30 }", "the default does not fit"),
    ] {
        let found = Schema::parse("progress.toml", &SMITHY.replace(was, is)).unwrap_err().to_string();
        assert!(found.contains(said), "{found}");
    }
}
