//! Types of values: how they are written, shown, and limited.

use keblin_schema::kind::{Holds, Kind};
use keblin_schema::model::SaveAt;
use keblin_schema::value::{Float, Part};
use keblin_schema::{Declaration, Time, Value};

const GAME: &str = "
    game = 'kinds'
    version = 1
    autosave = ['leave', 'every 1m30s', 'change']
    [lists]
    lamps = ['wick', 'glass']
    [shapes.lantern]
    members = { oil = { type = 'int', default = 9 }, lamp = { type = 'id', of = 'lamps' } }
    [fields]
    depth = { type = 'float', scope = 'profile' }
    lamp = { type = 'id', of = 'lamps', scope = 'profile' }
    camera = { type = 'vec3', scope = 'profile' }
    lantern = { type = 'shape', of = 'lantern', scope = 'profile' }
    splits = { type = 'list', of = 'time', scope = 'profile', max_items = 3, min = '1s' }
    lit = { type = 'set', of = 'lamps', scope = 'profile', max_items = 2 }
    worn = { type = 'map', key = 'int', of = 'float', scope = 'profile', max_items = 2, max = 1 }
    lanterns = { type = 'list', of = 'lantern', scope = 'profile', max_items = 2 }
";

fn game() -> Declaration {
    keblin_schema::parse("kinds", GAME).unwrap_or_else(|findings| panic!("{findings}")).declaration
}

fn holds(schema: &Declaration, id: &str) -> Holds {
    schema.field_named(id).unwrap().1.holds()
}

#[test]
fn values_are_shown_as_people_write_them() {
    let schema = game();
    let shown = [
        ("depth", "2", "2.0"),
        ("depth", "-0.5e3", "-500.0"),
        ("lamp", "'glass'", "glass"),
        ("camera", "[1, -2.5, 0]", "(1.0, -2.5, 0.0)"),
        ("lantern", "{ lamp = 'wick' }", "{oil: 9, lamp: wick}"),
        ("lantern", "{}", "{oil: 9, lamp: unset}"),
        ("splits", "['1m32.4s', '90s']", "[1m32.4s, 1m30s]"),
        ("lit", "['glass', 'wick']", "{wick, glass}"),
        ("worn", "{ 7 = 0.5, -1 = 1 }", "{-1: 1.0, 7: 0.5}"),
        ("lanterns", "[{ oil = 1 }]", "[{oil: 1, lamp: unset}]"),
    ];
    for (field, written, shown) in shown {
        let value = keblin_schema::written(&schema, holds(&schema, field), written);
        assert_eq!(value.map(|value| value.to_string()), Ok(shown.to_string()), "{field}: {written}");
    }
}

#[test]
fn what_is_no_value_of_a_type_is_told() {
    let schema = game();
    let told = [
        ("depth", "'deep'", "expected a number, but found a text"),
        ("depth", "inf", "expected a number, but found a number with a fraction"),
        ("lamp", "'wik'", "`wik` is not an id of lamps"),
        ("camera", "[1, 2]", "expected three numbers such as [0.0, 1.0, 0.0], but found a list"),
        ("camera", "[1, 2, 1e300]", "expected three numbers such as [0.0, 1.0, 0.0], but found a list"),
        ("lantern", "{ oli = 3 }", "the shape does not take the key `oli`"),
        ("splits", "[3]", "expected a time such as \"90s\", but found a whole number"),
        ("lit", "['wick', 'wick']", "a set has each item once, but this one is repeated"),
        ("worn", "{ seven = 1 }", "expected a whole number as key, but found `seven`"),
    ];
    for (field, written, message) in told {
        assert_eq!(
            keblin_schema::written(&schema, holds(&schema, field), written),
            Err(message.to_string()),
            "{field}: {written}"
        );
    }
}

#[test]
fn what_a_value_may_be_is_held_inside_it_too() {
    let schema = game();
    let fit = |id: &str, written: &str| {
        let (_, field) = schema.field_named(id).unwrap();
        let value = keblin_schema::written(&schema, field.holds(), written).unwrap();
        schema.fit(field, &value).map_err(|unfit| unfit.to_string())
    };
    assert_eq!(fit("splits", "['2s', '1s']"), Ok(()));
    assert_eq!(fit("splits", "['2s', '0s']"), Err("an element, 0s, is outside its bound 1s".into()));
    assert_eq!(
        fit("splits", "['2s', '2s', '2s', '2s']"),
        Err("expected at most 3 items, but found 4".into())
    );
    assert_eq!(fit("worn", "{ 1 = 1.5 }"), Err("an element, 1.5, is outside its bound 1.0".into()));
    let (_, lantern) = schema.field_named("lantern").unwrap();
    let stranger = Value::Shape(std::iter::empty().collect());
    assert!(
        schema.fit(lantern, &stranger).unwrap_err().to_string().starts_with("expected a shape of lantern")
    );
}

#[test]
fn numbers_with_a_fraction_are_finite_and_have_one_zero() {
    assert_eq!(Float::new(f64::NAN), None);
    assert_eq!(Part::new(f32::NEG_INFINITY), None);
    assert_eq!(Float::new(-0.0), Float::new(0.0));
    let (small, large) = (Value::float(1.0).unwrap(), Value::float(f64::MAX).unwrap());
    assert_eq!(large.plus(&large).unwrap(), (large.clone(), true), "a sum stops at the end of what fits");
    assert_eq!(small.plus(&Value::Int(1)), None, "ints and floats do not mix");
    assert_eq!(small.negated(), Value::float(-1.0).unwrap());
    assert_eq!(Value::Int(i64::MIN).negated(), Value::Int(i64::MAX));
}

#[test]
fn every_word_of_a_type_leads_to_its_kind_and_back() {
    for (word, kind) in Kind::PLAIN {
        assert_eq!(kind.as_str(), word);
        assert_eq!(kind.is_scalar(), !kind.has_items() && kind != Kind::Opaque, "{word}");
    }
    let schema = game();
    assert_eq!(holds(&schema, "worn").to_string(), "map of float by int");
    assert_eq!(schema.kind_text(holds(&schema, "lantern").kind), "a shape of lantern");
}

#[test]
fn what_a_game_says_of_saving_is_kept_in_its_order() {
    let every = SaveAt::Every(Time::from_millis(90_000));
    assert_eq!(game().autosave, [SaveAt::Leave, every, SaveAt::Change]);
    let silent = keblin_schema::parse("x", "game = 'x'\nversion = 1\n").unwrap().declaration;
    assert_eq!(silent.autosave, SaveAt::BY_ITSELF);
    let said =
        |list: &str| keblin_schema::parse("x", &format!("game = 'x'\nversion = 1\nautosave = ['{list}']\n"));
    let spaced = said("change every 5s").unwrap().declaration;
    assert_eq!(spaced.autosave, [SaveAt::ChangeEvery(Time::from_millis(5000))]);
    assert!(keblin_schema::normal_text(&spaced).contains("autosave = [\"change every 5s\"]"));
    assert!(said("change every").unwrap_err().to_string().contains("write a time after `every`"));
    assert!(said("changed").unwrap_err().to_string().contains("write \"change\""));
}
