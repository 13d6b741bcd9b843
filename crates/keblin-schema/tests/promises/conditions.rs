//! Conditions: what is understood, and what is said of the rest.

use keblin_schema::condition::names::{Asked, Fact, resolve};
use keblin_schema::condition::{Comparison, Expr, MAX_CONDITION_BYTES, parse};
use keblin_schema::model::At;
use keblin_schema::{Kind, Schema, Time, Value};
use proptest::prelude::*;

fn fen_post() -> Schema {
    Schema::parse("progress.toml", include_str!("../../../../demo/progress.toml")).unwrap().schema
}

fn asked(text: &str) -> Result<Asked, String> {
    let (Expr::Path(path) | Expr::Compare(path, ..)) = parse(text).map_err(|error| error.to_string())? else {
        panic!("no other expression is known");
    };
    resolve(&fen_post(), &path).map_err(|error| error.to_string())
}

#[track_caller]
fn assert_refused(text: &str, message: &str) {
    assert_eq!(asked(text).unwrap_err(), message, "{text}");
}

#[test]
fn a_comparison_has_a_name_a_sign_and_a_value() {
    let cases = [
        ("oil == 38", Comparison::Equal, Value::Int(38)),
        ("oil != -1", Comparison::NotEqual, Value::Int(-1)),
        ("oil<5", Comparison::Less, Value::Int(5)),
        ("levels.reedgate.finished == true", Comparison::Equal, Value::Bool(true)),
        ("level <= \"x\"", Comparison::LessOrEqual, Value::text("x")),
        ("best_letters > null", Comparison::Greater, Value::Unset),
        (
            "route_clock >= duration('1m30s')",
            Comparison::GreaterOrEqual,
            Value::Time(Time::from_millis(90_000)),
        ),
    ];
    for (text, sign, value) in cases {
        match parse(text) {
            Ok(Expr::Compare(_, found, literal)) => {
                assert_eq!((found, literal.value), (sign, value), "{text}")
            }
            other => panic!("{text}: {other:?}"),
        }
    }
}

#[test]
fn a_text_that_is_no_condition_is_refused_at_its_place() {
    assert_refused("", "at character 1: expected a name, but found the end");
    assert_refused("oil ==", "at character 7: expected a value, but found the end");
    assert_refused(
        "oil = 3",
        "at character 5: expected a name, a number, a text or a comparison, but found '='",
    );
    assert_refused("oil 3", "at character 5: expected `.`, a comparison or the end, but found `3`");
    assert_refused("oil == 3 4", "at character 10: expected the end, but found `4`");
    assert_refused("levels..x", "at character 8: expected a name, but found `.`");
    assert_refused("level == 'reed", "at character 10: expected a closing ', but found the end");
    assert_refused(
        "oil == 99999999999999999999",
        "at character 8: expected a whole number of at most 64 bits, but found `99999999999999999999`",
    );
    assert_refused("oil == duration(90)", "at character 17: expected a text such as '90s', but found `90`");
    let long = format!("oil == {}", "1".repeat(MAX_CONDITION_BYTES));
    assert!(asked(&long).unwrap_err().contains("has at most 4096 bytes, but this one has 4103"));
}

#[test]
fn names_stand_for_fields_facts_and_what_the_engine_keeps() {
    let field = |name: &str| fen_post().field_named(name).unwrap().0;
    let fact = |difficulty, fact| Ok(Asked::Fact { level: 1, difficulty, fact });
    assert_eq!(asked("oil"), Ok(Asked::Field { field: field("oil"), at: At::default() }));
    assert_eq!(asked("levels.long_mere.finished"), fact(None, Fact::Finished));
    assert_eq!(asked("levels.long_mere.spring.stars"), fact(Some(1), Fact::Stars));
    let at = At { level: Some(1), difficulty: Some(0) };
    assert_eq!(
        asked("levels.long_mere.neap.best_crossing"),
        Ok(Asked::Field { field: field("best_crossing"), at })
    );
    assert_eq!(asked("phase"), Ok(Asked::Phase));
    let schema = fen_post();
    let kind = |text: &str| asked(text).unwrap().kind(&schema);
    assert_eq!(kind("levels.long_mere.deaths"), Kind::Int);
    assert_eq!((kind("played"), kind("level"), kind("run_clock")), (Kind::Time, Kind::Text, Kind::Time));
}

#[test]
fn a_wrong_name_comes_with_the_right_one() {
    assert_refused("oli", "at character 1: no field `oli` is declared (did you mean `oil`?)");
    assert_refused(
        "levels.longmere.finished",
        "at character 8: no level `longmere` is declared (did you mean `long_mere`?)",
    );
    assert_refused(
        "levels.long_mere.finishd",
        "at character 18: `finishd` is nothing that is kept for each level (did you mean `finished`?)",
    );
    assert_refused(
        "levels.long_mere.neep.stars",
        "at character 18: no difficulty `neep` is declared (did you mean `neap`?)",
    );
    assert_refused(
        "best_crossing",
        "at character 1: `best_crossing` has one value for each level (write `levels.LEVEL.best_crossing`)",
    );
    assert_refused("level.long_mere.stars", "at character 1: `level` has no parts (did you mean `levels`?)");
    assert_refused(
        "levels.long_mere",
        "at character 8: expected what is asked of the level, such as `.finished`, but found the end",
    );
    assert_refused("levels.long_mere.neap.stars.now", "at character 29: `now` is one part too many");
}

proptest! {
    #[test]
    fn no_text_makes_the_parser_panic_or_point_outside(text in "[a-z_.0-9 '\"()=<>!äß-]{0,60}") {
        if let Err(error) = parse(&text) {
            prop_assert!(error.span.start <= error.span.end && error.span.end <= text.len());
        }
    }
}
