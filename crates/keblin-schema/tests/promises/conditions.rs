//! Conditions: what they mean, and what is reported about invalid ones.

use std::fs;
use std::path::Path;

use keblin_schema::condition::{Facts, MAX_CALCULATIONS, MAX_CONDITION_BYTES, MAX_CONDITION_DEPTH, Word};
use keblin_schema::model::At;
use keblin_schema::names::{Asked, named};
use keblin_schema::program::{Fact, On};
use keblin_schema::{Declaration, Kind};
use proptest::prelude::*;

use crate::long::tries;
use crate::played::{Played, schema};

fn fen_post() -> Declaration {
    keblin_schema::parse("progress.toml", include_str!("../../../../demo/progress.toml")).unwrap().declaration
}

/// What to write instead may follow; `data/mistakes.txt` has those.
#[track_caller]
fn assert_refused(text: &str, message: &str) {
    let found = keblin_schema::condition::compile(&fen_post(), text).unwrap_err().to_string();
    let rest = found.strip_prefix(message);
    assert!(rest.is_some_and(|rest| rest.is_empty() || rest.starts_with(" (")), "{text}: {found}");
}

/// The examples of `docs/conditions.md`: rows of a table with a condition and its value.
fn documented() -> Vec<(String, String)> {
    let page = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/conditions.md");
    let page = fs::read_to_string(page).unwrap();
    let rows = page.lines().filter(|line| line.starts_with("| `") && line.contains("` → "));
    rows.flat_map(|row| row.split('|').map(str::to_string).collect::<Vec<_>>())
        .filter_map(|cell| {
            let (source, value) = cell.trim().strip_prefix('`')?.split_once("` → ")?;
            Some((source.replace("\\|", "|").replace('¦', "|"), value.trim().to_string()))
        })
        .collect()
}

#[test]
fn every_example_of_the_page_comes_to_what_the_page_says() {
    let played = Played::new();
    let examples = documented();
    assert!(examples.len() >= 60, "{}", examples.len());
    for (source, value) in examples {
        assert_eq!(played.value(&source), value, "{source}");
    }
}

#[test]
fn a_text_that_is_no_condition_is_refused_at_its_place() {
    assert_refused("", "at byte 1: expected a name or a value, but found the end");
    assert_refused("oil ==", "at byte 7: expected a name or a value, but found the end");
    assert_refused(
        "oil = 3",
        "at byte 5: expected a name, a value or a sign, but found '=' (write `==` to compare)",
    );
    assert_refused(
        "oil > 3 & true",
        "at byte 9: expected a name, a value or a sign, but found '&' (write `&&` for and)",
    );
    assert_refused("oil 3", "at byte 5: expected an operator or the end, but found `3`");
    assert_refused("levels..x", "at byte 8: expected a name, but found `.`");
    assert_refused("level == 'reed", "at byte 10: expected a closing ', but found the end");
    assert_refused(r"level == 'a\q'", r#"at byte 12: expected one of \\ \' \" \n \t, but found `\q`"#);
    assert_refused("(oil > 3", "at byte 9: expected `)`, but found the end");
    assert_refused("oil > 3 ? true", "at byte 15: expected `:`, but found the end");
    assert_refused("1 < oil < 3", "at byte 9: comparisons cannot be chained (write `a < b && b < c`)");
    assert_refused("oil == 3.5", "at byte 8: expected a whole number, but found a number with a fraction");
    assert_refused(
        "oil == 9223372036854775808",
        "at byte 8: expected a whole number of at most 64 bits, but found `9223372036854775808`",
    );
    let long = format!("oil == {}", "1".repeat(MAX_CONDITION_BYTES));
    assert!(
        keblin_schema::condition::compile(&fen_post(), &long)
            .unwrap_err()
            .to_string()
            .contains("has at most 4096 bytes")
    );
}

#[test]
fn what_is_nested_too_deep_is_refused_and_does_not_exhaust_the_stack() {
    let schema = fen_post();
    let deep =
        |n: usize| [format!("{}oil > 3{}", "(".repeat(n), ")".repeat(n)), format!("{}true", "!".repeat(n))];
    for text in deep(MAX_CONDITION_DEPTH / 2) {
        assert!(keblin_schema::condition::compile(&schema, &text).is_ok(), "{text}");
    }
    let row = |n: usize| vec!["oil > 3"; n].join(" && ");
    for text in deep(1000) {
        let message = keblin_schema::condition::compile(&schema, &text).unwrap_err().to_string();
        assert!(message.contains("a condition may be nested 48 deep"), "{message}");
    }
    let sum = |n: usize| format!("{} > 3", vec!["1"; n].join("+"));
    let message =
        keblin_schema::condition::compile(&schema, &sum(MAX_CALCULATIONS + 2)).unwrap_err().to_string();
    assert!(message.contains("a condition has at most 256 calculations"), "{message}");
    // As long as a condition can be, in half a megabyte.
    let small = std::thread::Builder::new().stack_size(512 << 10).spawn(move || {
        let nested = (0..16).fold("oil".to_string(), |inner, _| format!("({inner}){}", "-1".repeat(16)));
        for text in [row(350), row(350).replace("&&", "||"), sum(MAX_CALCULATIONS), format!("{nested} < 9")] {
            let rule = keblin_schema::condition::compile(&schema, &text)
                .unwrap_or_else(|error| panic!("{error}\n{text}"));
            assert!(rule.holds(&Full, 0), "{text}");
        }
    });
    small.unwrap().join().unwrap();
}

/// Every number is 60.
struct Full;

impl Facts for Full {
    fn cell(&self, _: usize) -> &keblin_schema::Value {
        &keblin_schema::Value::Int(60)
    }
    fn fact(&self, _: usize, _: Fact) -> i64 {
        1
    }
    fn word(&self, _: Word) -> Option<&str> {
        None
    }
    fn unlocked(&self, _: usize) -> bool {
        true
    }
    fn played_nanos(&self) -> i64 {
        0
    }
}

#[test]
fn types_that_do_not_go_together_are_refused() {
    assert_refused(
        "oil",
        "at byte 1: expected a condition, which is true or false, but found a whole number",
    );
    assert_refused("oil > '3'", "at byte 7: expected a number or a time, but found a text");
    assert_refused("oil == true", "at byte 8: expected a whole number, but found true or false");
    assert_refused("oil + run_clock > 3", "at byte 7: expected a whole number, but found a time");
    assert_refused(
        "run_clock * 2 > run_clock",
        "at byte 1: expected a whole number next to `*`, but found a time",
    );
    assert_refused("run_clock > 90", "at byte 13: expected a time, but found a whole number");
    assert_refused("!oil", "at byte 2: expected true or false, but found a whole number");
    assert_refused("oil > 3 && letters", "at byte 12: expected true or false, but found a whole number");
    assert_refused("oil > null", "at byte 7: expected a number or a time, but found null");
    assert_refused("oil in ['a']", "at byte 9: expected a whole number, but found a text");
    assert_refused("(oil > 3 ? 1 : 'a') == 1", "at byte 16: expected a whole number, but found a text");
    assert_refused("least(oil) > 2", "at byte 1: `least` takes two values, but found 1");
    assert_refused("duration(oil) == run_clock", "at byte 10: expected a literal text such as '90s'");
    assert_refused(
        "duration('90') == run_clock",
        "at byte 10: expected a time such as 90s, 1m32.4s or 250ms, but found \"90\"",
    );
}

#[test]
fn a_wrong_name_comes_with_the_right_one() {
    assert_refused("oli > 3", "at byte 1: `oli` is not a declared field (did you mean `oil`?)");
    assert_refused(
        "levels.longmere.finished",
        "at byte 8: `longmere` is not a declared level (did you mean `long_mere`?)",
    );
    assert_refused(
        "levels.long_mere.finishd",
        "at byte 18: `finishd` is not kept per level (did you mean `finished`?)",
    );
    assert_refused(
        "levels.long_mere.neep.stars > 1",
        "at byte 18: `neep` is not a declared difficulty (did you mean `neap`?)",
    );
    assert_refused(
        "best_crossing == null",
        "at byte 1: `best_crossing` has one value per level (write `levels.LEVEL.best_crossing`)",
    );
    assert_refused(
        "level.long_mere.stars > 1",
        "at byte 1: nothing can follow `level` with a dot (did you mean `levels`?)",
    );
    assert_refused(
        "levels.long_mere",
        "at byte 8: expected a property of the level, such as `.finished`, but found the end",
    );
    assert_refused("levels.long_mere.neap.stars.now == 1", "at byte 29: `now` is one part too many");
    assert_refused(
        "totals.neap.deaths > 1",
        "at byte 13: `deaths` does not have a total (did you mean `stars`?)",
    );
    assert_refused(
        "level == 'long_mer'",
        "at byte 10: `long_mer` is not the id of a declared level (did you mean `long_mere`?)",
    );
    assert_refused("phase == 'plaing'", "at byte 10: `plaing` is not a phase (did you mean `playing`?)");
    assert_refused(
        "checkpoint in ['osier', 'wilow']",
        "at byte 25: `wilow` is not the id of a declared checkpoint (did you mean `willow`?)",
    );
    assert_refused("leest(oil, 3) > 2", "at byte 1: `leest` is not a function (did you mean `least`?)");
    assert_refused(
        "levels.long_mere.any.deaths > 2",
        "at byte 22: `deaths` is counted per difficulty, so `any` is not clear (leave the difficulty out, or name \
         a fact that is kept per difficulty)",
    );
}

#[test]
fn names_stand_for_fields_facts_and_what_the_engine_keeps() {
    let schema = fen_post();
    let field = |name: &str| schema.field_named(name).unwrap().0;
    let fact = |on, fact| Ok(Asked::Fact { level: 1, on, fact });
    assert_eq!(named(&schema, "oil"), Ok(Asked::Field { field: field("oil"), at: At::default() }));
    assert_eq!(named(&schema, "levels.long_mere.finished"), fact(On::InQuestion, Fact::Finished));
    assert_eq!(named(&schema, "levels.long_mere.spring.stars"), fact(On::One(1), Fact::Stars));
    assert_eq!(named(&schema, "levels.long_mere.any.stars"), fact(On::Any, Fact::Stars));
    let at = At::level(Some(1), Some(0));
    assert_eq!(
        named(&schema, "levels.long_mere.neap.best_crossing"),
        Ok(Asked::Field { field: field("best_crossing"), at })
    );
    assert_eq!(
        named(&schema, "totals.all.stars"),
        Ok(Asked::Total { fact: Fact::Stars, on: On::All, chapter: None })
    );
    let kind = |text: &str| named(&schema, text).unwrap().holds(&schema).kind;
    assert_eq!((kind("levels.long_mere.deaths"), kind("phase")), (Kind::Int, Kind::Text));
    assert_eq!((kind("played"), kind("run_clock")), (Kind::Time, Kind::Time));
}

#[test]
fn a_program_says_where_it_can_fail_and_where_it_leaves_the_difficulty_open() {
    let schema = schema();
    let fails = |text: &str| {
        keblin_schema::condition::compile(&schema, text)
            .unwrap()
            .can_fail()
            .map(|(span, _)| text[span].to_string())
    };
    assert_eq!(fails("best > 3").as_deref(), Some("best"));
    assert_eq!(fails("best != null && best > 3"), None);
    assert_eq!(fails("best == null || best > 3"), None);
    assert_eq!(fails("best == null && best > 3").as_deref(), Some("best"), "this guard guards nothing");
    assert_eq!(fails("oil / letters > 3").as_deref(), Some("letters"));
    assert_eq!(fails("oil / 3 > letters % 2"), None);
    let open =
        |text: &str| keblin_schema::condition::compile(&schema, text).unwrap().asks_in_question().is_some();
    assert!(open("levels.reedgate.finished") && open("totals.stars > 3") && open("tide_lead > 3"));
    assert!(!open("levels.reedgate.neap.finished && totals.all.stars > 3 && oil > 3 && tide_lead.neap > 3"));
}

proptest! {
    #[test]
    fn no_text_makes_the_parser_panic_or_point_outside(text in "[a-z_.0-9 '\"()=<>!&|?:+*/%,\\[\\]äß-]{0,60}") {
        if let Err(error) = keblin_schema::condition::compile(&fen_post(), &text) {
            prop_assert!(error.span.start <= error.span.end && error.span.end <= text.len());
        }
    }
}

/// Nearly valid sources: valid conditions with a word or two replaced.
#[test]
fn spoilt_conditions_are_refused_inside_the_text() {
    let sound = [
        "oil > 3 && levels . reedgate . finished || best_letters != null",
        "( oil + letters ) * 2 >= totals . all . stars",
        "level in [ 'reedgate' , 'long_mere' ] && ! ( phase == 'map' )",
        "run_clock <= duration('90s') ? boats == 4 : least( oil , 3 ) < 2",
        "levels . long_mere . neap . best_crossing == null && unlocked . fog_lamp",
    ];
    let words = [
        "oil",
        ".",
        "finished",
        "&&",
        "||",
        "!",
        "==",
        "<",
        "(",
        ")",
        "3",
        "'x'",
        "null",
        "true",
        "?",
        ":",
        "in",
        "[",
        ",",
        "duration",
        "-",
        "totals",
        "é",
        "best_crossing",
        "stars",
        "neap",
        "=",
        "99999999999999999999",
    ];
    let schema = fen_post();
    let (mut seed, mut refused) = (1_u64, 0_u32);
    let mut roll = |sides: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(seed >> 33).unwrap() % sides
    };
    for text in sound {
        keblin_schema::condition::compile(&schema, text).unwrap_or_else(|error| panic!("{text}: {error}"));
    }
    let all = tries(8_000, 100_000);
    for _ in 0..all {
        let mut text: Vec<&str> = sound[roll(sound.len())].split(' ').collect();
        for _ in 0..=roll(2) {
            let at = roll(text.len());
            match roll(3) {
                0 => text.insert(at, words[roll(words.len())]),
                1 => drop(text.remove(at)),
                _ => text[at] = words[roll(words.len())],
            }
        }
        let text = text.join(" ");
        if let Err(error) = keblin_schema::condition::compile(&schema, &text) {
            assert!(error.span.start <= error.span.end && error.span.end <= text.len(), "{text}: {error:?}");
            assert!(text.is_char_boundary(error.span.start), "{text}");
            refused += 1;
        }
    }
    println!("{refused} of {all} refused, each with a place inside the text");
    assert!((all * 8 / 10..all).contains(&refused), "{refused}");
}
