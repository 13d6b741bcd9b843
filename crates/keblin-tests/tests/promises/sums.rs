//! Numbers of many values in one rule: a field over all levels, a chapter or a list, and an entry of a map.

use std::sync::Arc;

use keblin::condition::names::{Asked, named};
use keblin::progress::Erase;
use keblin::{Progress, Schema, Value};
use proptest::prelude::*;

use crate::steps::parsed;

const SHOP: &str = r#"
game = "shop"
version = 1
difficulties = ["raw", "fired"]
[lists]
goods = ["rope", "lamp", "oil"]
[fields]
token = { type = "bool", scope = "profile", keep = "once", per = ["level"] }
chests = { type = "set", of = "int", max_items = 9, scope = "profile", per = ["level"] }
best = { type = "time", scope = "profile", keep = "lowest", per = ["level", "difficulty"], min = "1ms" }
points = { type = "int", scope = "profile", per = ["level"], min = -5, max = 9 }
worn = { type = "int", scope = "profile", per = ["goods"], max = 3 }
bag = { type = "map", key = "text", of = "int", max_items = 9, scope = "profile" }
stock = { type = "map", key = "goods", of = "bool", max_items = 9, scope = "profile" }
hung = { type = "map", key = "text", of = "goods", max_items = 9, scope = "profile" }
numbered = { type = "map", key = "int", of = "int", max_items = 9, scope = "profile" }
name = { type = "text", max_len = 9, scope = "profile", per = ["level"] }
coins = { type = "int", scope = "profile" }
[[chapters]]
id = "clay"
levels = { prefix = "clay_", count = 2 }
[[chapters]]
id = "slip"
levels = { prefix = "slip_", count = 2 }
[[levels]]
id = "secret"
after = "clay_01"
counted = false
[[unlocks]]
id = "shelf"
when = "totals.token >= 3 && chapters.clay.token >= 1"
"#;

fn schema() -> Arc<Schema> {
    Arc::new(parsed(SHOP))
}

fn put(game: &mut Progress, name: &str, value: Value) {
    let asked = named(game.schema(), name).unwrap();
    game.suppose_asked(&asked, value).unwrap();
}

#[track_caller]
fn holds(game: &Progress, rule: &str) {
    let program =
        keblin::condition::compile(game.schema(), rule).unwrap_or_else(|error| panic!("{rule}: {error}"));
    assert!(program.holds(game, 0), "{rule}");
}

#[test]
fn a_total_adds_numbers_and_counts_bools_and_items_of_the_levels_that_count() {
    let mut game = Progress::new(schema());
    let shelf = game.schema().unlock("shelf").unwrap();
    for level in ["clay_01", "secret", "slip_01"] {
        put(&mut game, &format!("levels.{level}.token"), Value::Bool(true));
        put(&mut game, &format!("levels.{level}.points"), Value::Int(4));
        let chests = (1..4).map(Value::Int).collect();
        put(&mut game, &format!("levels.{level}.chests"), Value::Set(Arc::new(chests)));
    }
    holds(&game, "totals.token == 2 && chapters.clay.token == 1 && chapters.slip.token == 1");
    holds(&game, "totals.points == 8 && totals.chests == 6 && chapters.clay.chests == 3");
    let why: Vec<String> = game.why_not_unlocked(shelf).iter().map(|part| part.text(game.schema())).collect();
    assert_eq!(why[0], "totals.token: 3 needed, 2 held");
    assert!(!game.is_unlocked(shelf));
    put(&mut game, "levels.clay_02.token", Value::Bool(true));
    assert!(game.is_unlocked(shelf), "the rule is asked again when any of its values has changed");
    put(&mut game, "worn.rope", Value::Int(2));
    put(&mut game, "worn.lamp", Value::Int(3));
    holds(&game, "totals.worn == 5");
}

#[test]
fn a_total_of_a_record_leaves_out_what_nobody_has_done_and_knows_its_difficulty() {
    let mut game = Progress::new(schema());
    holds(&game, "totals.best == duration('0s')");
    put(&mut game, "levels.clay_01.raw.best", Value::Time("90s".parse().unwrap()));
    put(&mut game, "levels.slip_02.fired.best", Value::Time("30s".parse().unwrap()));
    holds(&game, "totals.best == duration('90s') && totals.fired.best == duration('30s')");
    holds(&game, "totals.all.best == duration('2m') && chapters.slip.all.best < duration('31s')");
    let fired = keblin::condition::compile(game.schema(), "totals.best == duration('30s')").unwrap();
    assert!(fired.holds(&game, 1), "the difficulty that the rule is asked on");
}

#[test]
fn an_entry_that_a_map_does_not_have_is_zero_false_or_null() {
    let mut game = Progress::new(schema());
    holds(&game, "bag.rope == 0 && !stock.lamp && hung.hall == null");
    let (rope, lamp) = (Value::text("rope"), named(game.schema(), "stock.lamp").unwrap());
    put(&mut game, "bag", Value::Map(Arc::new([(rope, Value::Int(3))].into_iter().collect())));
    let Asked::Entry { key, .. } = lamp else { panic!("{lamp:?}") };
    put(&mut game, "stock", Value::Map(Arc::new([(key, Value::Bool(true))].into_iter().collect())));
    holds(&game, "bag.rope >= 3 && bag.oil == 0 && stock.lamp && !stock.oil");
    holds(&game, "bag.rope + bag.oil * 2 == 3 ? stock.lamp : false");
}

#[test]
fn what_cannot_be_added_up_says_why() {
    let schema = schema();
    for (rule, expected) in [
        ("totals.coins > 3", "`coins` has one value (leave `totals` out)"),
        ("totals.name == 3", "`name` cannot be added up, because it is a text"),
        ("totals.any.best > duration('1s')", "so `any` is not clear"),
        ("totals.raw.token > 1", "`token` does not have one value per difficulty"),
        ("chapters.clay.worn > 1", "`worn` does not have one value per level"),
        ("totals.tokn > 1", "did you mean `token`?"),
        ("stock.lmp", "`lmp` is not a key of `stock` (did you mean `lamp`?)"),
        ("numbered.three > 1", "the keys of `numbered` are numbers, which a name cannot give"),
        ("bag.rope.length > 1", "is one part too many"),
        ("stock.lamp > 1", "expected a number or a time, but found true or false"),
    ] {
        let error = keblin::condition::compile(&schema, rule).unwrap_err().to_string();
        assert!(error.contains(expected), "{rule}: {error}");
    }
    let mut game = Progress::new(Arc::clone(&schema));
    let refused = |game: &mut Progress, name: &str| {
        let asked = named(&schema, name).unwrap();
        game.erase(&Erase::Named(asked), true).unwrap_err().to_string()
    };
    assert!(refused(&mut game, "totals.token").contains("erase the field"));
    assert!(refused(&mut game, "bag.rope").contains("erase the field"));
}

proptest! {
    /// A total is what adding by hand gives.
    #[test]
    fn a_total_is_the_sum_of_its_values(points in proptest::collection::vec(-5_i64..9, 5)) {
        let mut game = Progress::new(schema());
        let levels = ["clay_01", "secret", "clay_02", "slip_01", "slip_02"];
        for (level, points) in levels.iter().zip(&points) {
            put(&mut game, &format!("levels.{level}.points"), Value::Int(*points));
        }
        let total = |rule: &str| {
            let (program, kind) = keblin::condition::compile_any(game.schema(), rule).unwrap();
            program.outcome(&game, 0, kind)
        };
        let by_hand: i64 = points.iter().sum::<i64>() - points[1];
        prop_assert_eq!(total("totals.points"), Some(Value::Int(by_hand)));
        prop_assert_eq!(total("chapters.clay.points"), Some(Value::Int(points[0] + points[2])));
    }
}
