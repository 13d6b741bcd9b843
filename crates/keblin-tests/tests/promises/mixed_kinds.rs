//! Saves whose values have other types than the declaration has now: refused with their place, never mistaken for
//! something else; and values in a save that the declaration no longer allows.

use std::sync::Arc;

use keblin::condition::names::resolve;
use keblin::condition::{Node, parse};
use keblin::save::{Fault, Stamp, write};
use keblin::verify::verify;
use keblin::{Progress, Schema, Value};

use crate::tables::schema;

const KINDS: [(&str, &str); 14] = [
    ("bool", "type = 'bool'"),
    ("int", "type = 'int'"),
    ("float", "type = 'float', default = 0.1"),
    ("text", "type = 'text', max_len = 9, default = 'otter'"),
    ("bytes", "type = 'bytes', max_len = 9"),
    ("id", "type = 'id', of = 'lamps', default = 'glass'"),
    ("vec2", "type = 'vec2'"),
    ("vec3", "type = 'vec3'"),
    ("quat", "type = 'quat'"),
    ("shape", "type = 'shape', of = 'lantern'"),
    ("list", "type = 'list', of = 'int', max_items = 9, default = [1, 2]"),
    ("set", "type = 'set', of = 'text', max_len = 9, max_items = 9, default = ['a']"),
    ("map", "type = 'map', key = 'int', of = 'bool', max_items = 9, default = { 7 = true }"),
    ("opaque", "type = 'opaque', max_len = 9"),
];

fn game(declared: &str) -> Arc<Schema> {
    schema(&format!(
        "game = 'mixed'\nversion = 1\n[lists]\nlamps = ['wick', 'glass']\n[shapes.lantern]\nmembers = {{ oil = {{ type = \
         'int' }} }}\n[fields]\nvalue = {{ scope = 'profile', {declared} }}\n"
    ))
}

fn saved(schema: &Arc<Schema>) -> Vec<u8> {
    let stamp = Stamp::first(1, "test");
    write(&Progress::new(Arc::clone(schema)).snapshot(), &stamp)
}

/// Types with the same form in a file, so that only their values differ.
fn alike(a: &str, b: &str) -> bool {
    // A text in place of an id is a removed id.
    let forms = [["text", "id"], ["vec2", "list"], ["list", "set"], ["set", "list"]];
    a == b || forms.iter().any(|form| *form == [a, b] || *form == [b, a])
}

#[test]
fn a_value_of_one_kind_is_never_read_as_one_of_another() {
    let mut refused = 0;
    for (was, declared) in KINDS {
        let bytes = saved(&game(declared));
        for (is, declared) in KINDS {
            match verify(&bytes, &game(declared)) {
                Ok(_) => assert!(alike(was, is), "{was} was read as {is}"),
                Err(error) => {
                    let told = error.to_string();
                    assert!(matches!(error.fault, Fault::Redeclared { .. }), "{was} as {is}: {told}");
                    assert!(told.starts_with("profile, byte "), "{was} as {is}: {told}");
                    refused += 1;
                }
            }
        }
    }
    assert!(refused > 165, "{refused}");
}

#[test]
fn every_kind_opens_as_itself() {
    for (kind, declared) in KINDS {
        let schema = game(declared);
        let save = verify(&saved(&schema), &schema).unwrap_or_else(|error| panic!("{kind}: {error}"));
        assert!(save.findings().is_empty(), "{kind}: {:?}", save.findings());
        let progress = save.into_progress();
        assert_eq!(progress.value_at(0), &schema.fields[0].default, "{kind}");
    }
}

#[test]
fn an_id_that_is_no_longer_there_is_told_and_costs_one_value() {
    let before = game("type = 'id', of = 'lamps', default = 'glass'");
    let bytes = saved(&before);
    let text = "game = 'mixed'\nversion = 1\n[lists]\nlamps = ['wick', 'tallow']\n[fields]\nvalue = { scope = 'profile', \
                type = 'id', of = 'lamps' }\n";
    let now = schema(text);
    let save = verify(&bytes, &now).unwrap();
    let told = "value: warning: `glass` is not declared in this version of the game; it is preserved in the save [id_kept]";
    assert_eq!(save.findings()[0].to_string(), told);
    assert_eq!(save.into_progress().value_at(0), &Value::Unset, "and the rest of the save is intact");
}

/// In lists, sets, maps and shapes only the removed name is left out, reported once each.
#[test]
fn an_id_that_is_gone_is_left_out_of_what_holds_it() {
    let with = |lamps: &str| {
        schema(&format!(
            "game = 'mixed'\nversion = 1\n[lists]\nlamps = [{lamps}]\n[shapes.hook]\nmembers = {{ lamp = {{ type = 'id', of = \
             'lamps', default = 'wick' }}, high = {{ type = 'int' }} }}\n[fields]\nrow = {{ scope = 'profile', type = 'list', of = \
             'lamps', max_items = 4 }}\nhas = {{ scope = 'profile', type = 'set', \
             of = 'lamps', max_items = 4 }}\nwicks = {{ scope = 'run', on_death = 'stays', type = \
             'map', key = 'lamps', of = 'int', max_items = 4 }}\nhook = {{ scope = \
             'profile', type = 'shape', of = 'hook' }}\n",
        ))
    };
    let before = with("'wick', 'tallow', 'glass'");
    let mut game = Progress::new(Arc::clone(&before));
    for (name, text) in [
        ("row", "['tallow', 'glass', 'wick', 'glass']"),
        ("has", "['glass', 'wick']"),
        ("wicks", "{ glass = 3, tallow = 1 }"),
        ("hook", "{ lamp = 'glass', high = 7 }"),
    ] {
        let Node::Path(path) = parse(name).unwrap().node else { panic!("{name}") };
        let value = before.written(before.field_named(name).unwrap().1.holds(), text).unwrap();
        game.suppose_asked(&resolve(&before, &path).unwrap(), value).unwrap();
    }
    game.begin(None).unwrap();
    let stamp = Stamp::first(1, "test");
    let save = verify(&write(&game.snapshot(), &stamp), &with("'wick', 'tallow'")).unwrap();
    let told: Vec<String> = save.findings().iter().map(ToString::to_string).collect();
    let gone = |field: &str| {
        format!(
            "{field}: warning: `glass` is not declared in this version of the game; it is preserved in the save [id_kept]"
        )
    };
    assert_eq!(told, ["row", "has", "hook", "wicks"].map(gone));
    let values: Vec<String> =
        save.into_progress().values().map(|held| format!("{} {}", held.field.name, held.value)).collect();
    assert_eq!(
        values,
        ["wicks {tallow: 1}", "row [tallow, wick]", "has {wick}", "hook {lamp: wick, high: 7}"],
        "and the rest of the save is intact"
    );
}

#[test]
fn what_has_grown_too_long_since_is_told_and_kept() {
    let bytes = saved(&game("type = 'list', of = 'int', max_items = 9, default = [1, 2, 3]"));
    let now = game("type = 'list', of = 'int', max_items = 2, max = 2, min = 0");
    let save = verify(&bytes, &now).unwrap();
    assert_eq!(
        save.findings()[0].to_string(),
        "profile.value: warning: expected at most 2 items, but found 3; it is preserved unchanged [does_not_fit]"
    );
    let progress = save.into_progress();
    assert_eq!(progress.value_at(0), &now.written(now.fields[0].holds(), "[1, 2, 3]").unwrap());
}

#[test]
fn a_member_that_a_shape_has_gained_is_as_declared() {
    let bytes = saved(&game("type = 'shape', of = 'lantern'"));
    let now = schema(
        "game = 'mixed'\nversion = 1\n[shapes.lantern]\nmembers = { lit = { type = 'bool', default = true }, oil = { type = \
         'int' } }\n[fields]\nvalue = { scope = 'profile', type = 'shape', of = 'lantern' }\n",
    );
    let progress = verify(&bytes, &now).unwrap().into_progress();
    let Value::Shape(members) = progress.value_at(0) else { panic!("a shape") };
    let members: Vec<String> = members.iter().map(|(name, value)| format!("{name} {value}")).collect();
    assert_eq!(members, ["lit true", "oil 0"]);
}

#[test]
fn a_table_that_has_lost_places_keeps_its_best() {
    let record = |places: usize| {
        schema(&format!(
            "game = 'mixed'\nversion = 1\n[fields]\nbest = {{ type = 'int', scope = 'profile', keep = 'highest', places = \
             {places} }}\n"
        ))
    };
    let before = record(5);
    let mut game = Progress::new(Arc::clone(&before));
    let best = before.field::<Option<i64>>("best").unwrap();
    for value in [3, 9, 5, 7] {
        game.submit(best, value);
    }
    let stamp = Stamp::first(1, "test");
    let bytes = write(&game.snapshot(), &stamp);
    for (places, held) in [(2, vec![9, 7]), (5, vec![9, 7, 5, 3]), (9, vec![9, 7, 5, 3])] {
        let now = record(places);
        let progress = verify(&bytes, &now).unwrap().into_progress();
        let best = now.field::<Option<i64>>("best").unwrap();
        assert_eq!(progress.table(best).collect::<Vec<_>>(), held, "{places} places");
    }
}
