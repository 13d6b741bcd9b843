//! Reading and changing values, compared with the plain struct that a game would write by hand.

use std::hint::black_box;
use std::time::Duration;

use criterion::{Criterion, criterion_group, criterion_main};
use keblin::Field;
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

criterion_group! {
    name = benches;
    config = Criterion::default().measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_secs(1));
    targets = values
}
criterion_main!(benches);
