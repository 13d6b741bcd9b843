//! Evaluating a rule, compared with a hand-written tree of enums, and with another evaluator of the standard.

use std::collections::HashMap;
use std::hint::black_box;
use std::time::Duration;

use criterion::{Criterion, criterion_group, criterion_main};
use keblin::{Field, Progress};
use keblin_bench::{fen_post, in_play};

/// What a game would write by hand: an expression as a tree, with values looked up by position in plain vectors.
enum Tree {
    Int(i64),
    Field(usize),
    Stars(usize),
    Finished(usize),
    Add(Box<Tree>, Box<Tree>),
    AtLeast(Box<Tree>, Box<Tree>),
    Below(Box<Tree>, Box<Tree>),
    And(Box<Tree>, Box<Tree>),
    Or(Box<Tree>, Box<Tree>),
}

#[derive(Clone, Copy)]
enum Val {
    Int(i64),
    Bool(bool),
    Error,
}

struct State {
    fields: Vec<i64>,
    stars: Vec<i64>,
    finished: Vec<bool>,
}

impl Tree {
    fn eval(&self, state: &State) -> Val {
        let ints = |a: &Tree, b: &Tree, f: fn(i64, i64) -> Val| match (a.eval(state), b.eval(state)) {
            (Val::Int(a), Val::Int(b)) => f(a, b),
            _ => Val::Error,
        };
        match self {
            Tree::Int(number) => Val::Int(*number),
            Tree::Field(field) => Val::Int(state.fields[*field]),
            Tree::Stars(level) => Val::Int(state.stars[*level]),
            Tree::Finished(level) => Val::Bool(state.finished[*level]),
            Tree::Add(a, b) => ints(a, b, |a, b| a.checked_add(b).map_or(Val::Error, Val::Int)),
            Tree::AtLeast(a, b) => ints(a, b, |a, b| Val::Bool(a >= b)),
            Tree::Below(a, b) => ints(a, b, |a, b| Val::Bool(a < b)),
            Tree::And(a, b) => match a.eval(state) {
                Val::Bool(false) => Val::Bool(false),
                Val::Bool(true) => b.eval(state),
                _ => Val::Error,
            },
            Tree::Or(a, b) => match a.eval(state) {
                Val::Bool(true) => Val::Bool(true),
                Val::Bool(false) => b.eval(state),
                _ => Val::Error,
            },
        }
    }
}

fn boxed(tree: Tree) -> Box<Tree> {
    Box::new(tree)
}

/// One rule in three forms: ours, as a tree, and for the other evaluator.
struct Rule {
    name: &'static str,
    source: &'static str,
    tree: Tree,
}

fn rules() -> Vec<Rule> {
    let stars = |level| boxed(Tree::Stars(level));
    let sum = Tree::Add(boxed(Tree::Add(boxed(Tree::Add(stars(0), stars(1))), stars(2))), stars(3));
    vec![
        Rule {
            name: "a field against a number",
            source: "oil >= 20",
            tree: Tree::AtLeast(boxed(Tree::Field(0)), boxed(Tree::Int(20))),
        },
        Rule {
            name: "the lock of the demo's fifth route",
            source: "levels.black_sluice.neap.finished && levels.reedgate.neap.stars + levels.long_mere.neap.stars \
                     + levels.otter_weir.neap.stars + levels.black_sluice.neap.stars >= 8",
            tree: Tree::And(boxed(Tree::Finished(3)), boxed(Tree::AtLeast(boxed(sum), boxed(Tree::Int(8))))),
        },
        Rule {
            name: "three comparisons",
            source: "oil < 10 || letters >= 5 && coppers >= 100",
            tree: Tree::Or(
                boxed(Tree::Below(boxed(Tree::Field(0)), boxed(Tree::Int(10)))),
                boxed(Tree::And(
                    boxed(Tree::AtLeast(boxed(Tree::Field(1)), boxed(Tree::Int(5)))),
                    boxed(Tree::AtLeast(boxed(Tree::Field(2)), boxed(Tree::Int(100)))),
                )),
            ),
        },
    ]
}

fn other_context(progress: &Progress) -> cel::Context<'static, 'static> {
    let schema = progress.schema();
    let mut context = cel::Context::default();
    for name in ["oil", "letters", "coppers"] {
        let field: Field<i64> = schema.field(name).expect("a field of the demo");
        context.add_variable_from_value(name, progress.get(field));
    }
    let neap = schema.difficulty("neap").ok();
    let level = |name: &str| {
        let facts = progress.facts(schema.level(name).expect("a level of the demo"), neap);
        let neap = HashMap::from([
            ("finished", cel::Value::Bool(facts.finished)),
            ("stars", cel::Value::Int(facts.stars.into())),
        ]);
        (name.to_string(), cel::Value::from(HashMap::from([("neap", cel::Value::from(neap))])))
    };
    let levels: HashMap<String, cel::Value> =
        ["reedgate", "long_mere", "otter_weir", "black_sluice"].map(level).into();
    context.add_variable_from_value("levels", cel::Value::from(levels));
    context
}

fn conditions(c: &mut Criterion) {
    let schema = fen_post();
    let progress = in_play(&schema);
    let state = State { fields: vec![60, 28, 120], stars: vec![2; 4], finished: vec![true; 4] };
    let context = other_context(&progress);
    for Rule { name, source, tree } in rules() {
        let program = keblin::condition::compile(&schema, source).expect("a sound rule");
        let other = cel::Program::compile(source).expect("a rule of the standard");
        assert!(program.holds(&progress, 0));
        assert!(matches!(tree.eval(&state), Val::Bool(true)));
        assert_eq!(other.execute(&context).expect("no error"), cel::Value::Bool(true));
        let mut group = c.benchmark_group(name);
        group.bench_function("keblin", |b| b.iter(|| black_box(&program).holds(black_box(&progress), 0)));
        group.bench_function("tree by hand", |b| {
            b.iter(|| matches!(black_box(&tree).eval(black_box(&state)), Val::Bool(true)))
        });
        group.bench_function("other evaluator", |b| {
            b.iter(|| black_box(&other).execute(black_box(&context)).is_ok())
        });
        group.finish();
    }
}

criterion_group! {
    name = benches;
    config = Criterion::default().measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_secs(1));
    targets = conditions
}
criterion_main!(benches);
