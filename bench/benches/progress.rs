//! Reading and changing values, compared with the plain struct that a game would write by hand, and looking things up,
//! compared with the standard library's ordered set and its set by hash.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::hint::black_box;
use std::sync::Arc;
use std::time::Duration;

use criterion::{Criterion, criterion_group, criterion_main};
use keblin::{Field, Progress, Schema};
use keblin_bench::{fen_post, in_play};

struct ByHand {
    oil: i64,
}

fn values(c: &mut Criterion) {
    let schema = fen_post();
    let oil: Field<i64> = schema.field("oil").expect("a field of the demo");
    let mut progress = in_play(&schema);
    let mut by_hand = ByHand { oil: 60 };

    let mut group = c.benchmark_group("read");
    group.bench_function("keblin", |b| b.iter(|| black_box(&progress).get(oil)));
    group.bench_function("by hand", |b| b.iter(|| black_box(&by_hand).oil));
    group.finish();

    let mut group = c.benchmark_group("add");
    let mut amount = 1;
    group.bench_function("keblin", |b| {
        b.iter(|| {
            amount = -amount;
            black_box(progress.add(oil, black_box(amount)).clamped)
        });
    });
    group.bench_function("by hand", |b| {
        b.iter(|| {
            amount = -amount;
            by_hand.oil = (by_hand.oil + black_box(amount)).clamp(0, 90);
            black_box(by_hand.oil)
        });
    });
    group.finish();

    c.bench_function("tick", |b| b.iter(|| progress.tick(black_box(Duration::from_nanos(16_666_667)))));
    c.bench_function("clone", |b| b.iter(|| black_box(progress.clone())));
}

/// How many look-ups one round makes; half of them find something.
const LOOK_UPS: i64 = 1000;

fn look_ups(c: &mut Criterion) {
    let text = "game = 'otter'\nversion = 1\n[fields]\n\
        seen = { type = 'set', of = 'int', max_items = 300, scope = 'profile' }\n\
        bag = { type = 'map', key = 'int', of = 'int', max_items = 300, scope = 'profile' }\n\
        words = { type = 'set', of = 'text', max_len = 20, max_items = 300, scope = 'profile' }\n";
    let schema = Arc::new(Schema::parse("progress.toml", text).expect("a sound declaration").schema);
    let seen: Field<BTreeSet<i64>> = schema.field("seen").expect("a declared field");
    let bag: Field<BTreeMap<i64, i64>> = schema.field("bag").expect("a declared field");
    let words: Field<BTreeSet<String>> = schema.field("words").expect("a declared field");
    let word = |number: i64| format!("something_{number:03}");
    let mut game = Progress::new(schema);
    game.set(seen, (0..300).collect());
    game.set(bag, (0..300).map(|number| (number, 1)).collect());
    game.set(words, (0..300).map(word).collect());
    let ordered: BTreeSet<i64> = (0..300).collect();
    let hashed: HashSet<i64> = (0..300).collect();
    let sought: Vec<i64> = (0..LOOK_UPS).map(|at| at * 7 % 600).collect();
    let sought_words: Vec<String> = sought.iter().map(|number| word(*number)).collect();

    let mut group = c.benchmark_group("1,000 look-ups among 300");
    let count =
        |is_there: &dyn Fn(&i64) -> bool| black_box(&sought).iter().filter(|one| is_there(one)).count();
    group.bench_function("a set", |b| b.iter(|| count(&|one| game.contains(seen, *one))));
    group.bench_function("a map", |b| b.iter(|| count(&|one| game.entry(bag, *one).is_some())));
    group.bench_function("std's ordered set", |b| b.iter(|| count(&|one| ordered.contains(one))));
    group.bench_function("std's set by hash", |b| b.iter(|| count(&|one| hashed.contains(one))));
    group.bench_function("a set of texts, each with a new String", |b| {
        b.iter(|| black_box(&sought_words).iter().filter(|one| game.contains(words, (*one).clone())).count());
    });
    group.finish();
}

criterion_group! {
    name = benches;
    config = Criterion::default().measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_secs(1));
    targets = values, look_ups
}
criterion_main!(benches);
