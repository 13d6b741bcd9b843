//! Conditions compared with another evaluator of the same standard: everything the language allows means the same
//! there.
//!
//! The generator knows every production of `docs/conditions.md` except `duration`, which the other evaluator leaves
//! out without its date library, and `least` and `greatest`, which it gets as functions.

use std::collections::{BTreeMap, HashMap};

use cel::{Context, Value as Other};
use keblin_schema::condition::Val;

use crate::long::tries;
use crate::played::Played;

/// Pseudo-random expressions from a seed, so that a failure can be repeated.
struct Dice(fastrand::Rng);

impl Dice {
    fn roll(&mut self, sides: usize) -> usize {
        self.0.usize(..sides)
    }

    fn one<'w>(&mut self, words: &[&'w str]) -> &'w str {
        self.0.choice(words).copied().unwrap_or_default()
    }

    fn bool(&mut self, depth: usize, used: &mut Used) -> String {
        if depth == 0 {
            return self
                .one(&[
                    "true",
                    "false",
                    "met",
                    "levels.reedgate.neap.finished",
                    "levels.long_mere.neap.finished",
                ])
                .into();
        }
        let kind = self.roll(13);
        *used
            .entry(
                [
                    "!", "&&", "||", "?:", "order", "==", "null ==", "in", "text ==", "floats", "in list",
                    "list ==", "member",
                ][kind],
            )
            .or_default() += 1;
        match kind {
            0 => format!("!({})", self.bool(depth - 1, used)),
            1 => format!("({}) && ({})", self.bool(depth - 1, used), self.bool(depth - 1, used)),
            2 => format!("({}) || ({})", self.bool(depth - 1, used), self.bool(depth - 1, used)),
            3 => {
                let (condition, yes) = (self.bool(depth - 1, used), self.bool(depth - 1, used));
                format!("({condition}) ? ({yes}) : ({})", self.bool(depth - 1, used))
            }
            4 => {
                let sign = self.one(&["<", "<=", ">", ">="]);
                format!("{} {sign} {}", self.int(depth - 1, used), self.int(depth - 1, used))
            }
            5 => {
                let sign = self.one(&["==", "!="]);
                format!("{} {sign} {}", self.int(depth - 1, used), self.int(depth - 1, used))
            }
            6 => format!("{} {} null", self.one(&["best", "oil"]), self.one(&["==", "!="])),
            7 => {
                let (what, one) = (self.int(depth - 1, used), self.int(depth - 1, used));
                format!("{what} in [{one}, 17, {}]", self.int(depth - 1, used))
            }
            8 => format!("{} {} {}", self.text(), self.one(&["==", "!="]), self.text()),
            9 => {
                let sign = self.one(&["<", "<=", ">", ">=", "==", "!="]);
                format!("{} {sign} {}", self.float(depth - 1), self.float(depth - 1))
            }
            10 => {
                let texts = self.one(&["'F-04'", "name", "lantern.name"]);
                let (ints, list) = (self.int(depth - 1, used), self.one(&["satchel", "worn"]));
                let lamps = self.one(&["'wick'", "'tallow'"]);
                match self.roll(3) {
                    0 => format!("{ints} in scores"),
                    1 => format!("{lamps} in worn"),
                    _ if list == "worn" => format!("'glass' in {list}"),
                    _ => format!("{texts} in {list}"),
                }
            }
            11 => {
                let lists = ["satchel", "['F-04', 'F-11', 'F-11']", "['F-04']", "[]"];
                format!("{} {} {}", self.one(&lists), self.one(&["==", "!="]), self.one(&lists))
            }
            _ => self
                .one(&[
                    "lantern.lit",
                    "lantern.oil == 3",
                    "lantern.name == 'Ot'",
                    "lantern.oil > size(satchel)",
                ])
                .into(),
        }
    }

    /// Small enough to stay finite; dividing by zero is an error here and infinite there, so nothing divides by it.
    fn float(&mut self, depth: usize) -> String {
        if depth == 0 {
            return self.one(&["0.5", "-2.25", "1e2", "0.0", "depth"]).into();
        }
        match self.roll(4) {
            0 => format!("-({})", self.float(depth - 1)),
            1 => format!("({} / {})", self.float(depth - 1), self.one(&["0.5", "-4.0"])),
            _ => {
                let sign = self.one(&["+", "-", "*"]);
                format!("({} {sign} {})", self.float(depth - 1), self.float(depth - 1))
            }
        }
    }

    fn int(&mut self, depth: usize, used: &mut Used) -> String {
        if depth == 0 {
            let leaves = [
                "0",
                "3",
                "17",
                "-1",
                "oil",
                "letters",
                "most",
                "best",
                "levels.reedgate.neap.stars",
                "size(name)",
                "lantern.oil",
                "size(satchel)",
            ];
            return self.one(&leaves).into();
        }
        let kind = self.roll(6);
        *used.entry(["+ -", "* / %", "negate", "least", "?: int", "size"][kind]).or_default() += 1;
        match kind {
            0 => {
                let sign = self.one(&["+", "-"]);
                format!("({} {sign} {})", self.int(depth - 1, used), self.int(depth - 1, used))
            }
            1 => {
                let sign = self.one(&["*", "/", "%"]);
                format!("({} {sign} {})", self.int(depth - 1, used), self.int(depth - 1, used))
            }
            2 => format!("-({})", self.int(depth - 1, used)),
            3 => {
                let name = self.one(&["least", "greatest"]);
                format!("{name}({}, {})", self.int(depth - 1, used), self.int(depth - 1, used))
            }
            4 => {
                let (condition, yes) = (self.bool(depth - 1, used), self.int(depth - 1, used));
                format!("(({condition}) ? {yes} : {})", self.int(depth - 1, used))
            }
            _ => format!("size({})", self.text()),
        }
    }

    fn text(&mut self) -> &'static str {
        self.one(&["name", "'Otter'", "\"otter\"", "''", "'a\\'b'"])
    }
}

type Used = BTreeMap<&'static str, u32>;

fn context() -> Context<'static, 'static> {
    let mut context = Context::default();
    context.add_variable_from_value("oil", 17_i64);
    context.add_variable_from_value("letters", -4_i64);
    context.add_variable_from_value("most", i64::MAX);
    context.add_variable_from_value("best", Other::Null);
    context.add_variable_from_value("met", true);
    context.add_variable_from_value("name", "Otter");
    context.add_variable_from_value("depth", 2.5_f64);
    let text = |text: &str| Other::String(std::sync::Arc::new(text.to_string()));
    let list = |items: Vec<Other>| Other::List(std::sync::Arc::new(items));
    context.add_variable_from_value("satchel", list(["F-04", "F-11", "F-11"].map(text).to_vec()));
    context.add_variable_from_value("scores", list([3, 17, -4].map(Other::Int).to_vec()));
    context.add_variable_from_value(
        "worn",
        Other::from(HashMap::from([("wick", Other::Int(12)), ("glass", Other::Int(0))])),
    );
    let lantern = [("oil", Other::Int(3)), ("lit", Other::Bool(true)), ("name", text("Ot"))];
    context.add_variable_from_value("lantern", Other::from(HashMap::from(lantern)));
    let level = |finished: bool, stars: i64| {
        let neap = HashMap::from([("finished", Other::Bool(finished)), ("stars", Other::Int(stars))]);
        Other::from(HashMap::from([("neap", Other::from(neap))]))
    };
    let levels = HashMap::from([("reedgate", level(true, 1)), ("long_mere", level(false, 0))]);
    context.add_variable_from_value("levels", Other::from(levels));
    context.add_function("least", |a: i64, b: i64| a.min(b)).unwrap();
    context.add_function("greatest", |a: i64, b: i64| a.max(b)).unwrap();
    context
}

fn same(ours: Val<'_>, theirs: &Result<Other, cel::ExecutionError>) -> bool {
    match (ours, theirs) {
        (Val::Error, Err(_)) | (Val::Null, Ok(Other::Null)) => true,
        (Val::Bool(a), Ok(Other::Bool(b))) => a == *b,
        (Val::Int(a), Ok(Other::Int(b))) => a == *b,
        (Val::Text(a), Ok(Other::String(b))) => a == b.as_str(),
        _ => false,
    }
}

#[test]
fn random_expressions_mean_the_same_to_another_evaluator() {
    let (played, context) = (Played::new(), context());
    let (mut dice, mut used) = (Dice(fastrand::Rng::with_seed(7)), Used::new());
    let (mut errors, mut yes, mut no, mut tried) = (0, 0, 0, 0);
    let all = tries(2_500, 20_000);
    while tried < all {
        let depth = 1 + dice.roll(4);
        let source = dice.bool(depth, &mut used);
        let program = match keblin_schema::condition::compile(&played.schema, &source) {
            Ok(program) => program,
            Err(error) => panic!("{source}: {error}"),
        };
        let ours = program.value(&played, 0);
        let other = cel::Program::compile(&source).unwrap_or_else(|error| panic!("{source}: {error}"));
        let theirs = other.execute(&context);
        assert!(same(ours, &theirs), "{source}\nours: {ours:?}\nthe other: {theirs:?}");
        match ours {
            Val::Error => errors += 1,
            Val::Bool(true) => yes += 1,
            _ => no += 1,
        }
        tried += 1;
    }
    println!("{yes} true, {no} false, {errors} errors; productions used: {used:?}");
    assert!(yes > all / 7 && no > all / 7 && errors > all / 20);
    assert!(used.len() == 19 && used.values().all(|count| *count > all / 40), "{used:?}");
}
