//! The engine on a large game: 200 levels on 3 difficulties, 300 fields, 400 conditions. Reading and adding compared
//! with a plain struct, and events per second.

use std::hint::black_box;
use std::time::Duration;

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use keblin::{Field, Progress};
use keblin_bench::large_game;

struct ByHand {
    values: Vec<i64>,
}

fn engine(c: &mut Criterion) {
    let schema = large_game();
    let field = |id: &str| -> Field<i64> { schema.field(id).expect("a field of the large game") };
    let (plain, named) = (field("plain_7"), field("named_0"));
    let level = |index: usize| schema.level_at(index).expect("a level");
    let mut game = Progress::new(std::sync::Arc::clone(&schema));
    game.begin(None).expect("no run is under way");
    game.enter(level(0)).expect("the first level is open");
    let mut by_hand = ByHand { values: vec![10; 300] };

    let mut group = c.benchmark_group("large: read");
    group.bench_function("keblin", |b| b.iter(|| black_box(&game).get(plain)));
    group.bench_function("by hand", |b| b.iter(|| black_box(&by_hand).values.get(7).copied()));
    group.finish();

    let mut amount = 1;
    let mut group = c.benchmark_group("large: add");
    group.bench_function("keblin", |b| {
        b.iter(|| {
            amount = -amount;
            black_box(game.add(plain, black_box(amount)).clamped)
        });
    });
    group.bench_function("keblin, four conditions name it", |b| {
        b.iter(|| {
            amount = -amount;
            black_box(game.add(named, black_box(amount)).clamped)
        });
    });
    group.bench_function("by hand", |b| {
        b.iter(|| {
            amount = -amount;
            if let Some(value) = by_hand.values.get_mut(7) {
                *value = (*value + black_box(amount)).clamp(0, 1000);
            }
            black_box(&by_hand);
        });
    });
    group.finish();

    let fields: Vec<Field<i64>> = (0..100).map(|index| field(&format!("plain_{index}"))).collect();
    let mut group = c.benchmark_group("large: events");
    group.throughput(Throughput::Elements(100));
    group.bench_function("a hundred value events", |b| {
        b.iter(|| {
            amount = -amount;
            fields.iter().for_each(|field| drop(black_box(game.add(*field, amount))));
        });
    });
    group.throughput(Throughput::Elements(20));
    group.bench_function("twenty mixed events: a visit with its values, deaths, ticks and finish", |b| {
        b.iter(|| mixed(&mut game, &fields));
    });
    group.throughput(Throughput::Elements(1));
    group.bench_function("finish", |b| {
        let ready = || {
            let mut game = game.clone();
            game.leave().expect("a run is under way");
            game.enter(level(0)).expect("the first level is open");
            game
        };
        b.iter_batched_ref(ready, |game| black_box(game.finish().is_ok()), BatchSize::LargeInput);
    });
    group.finish();
    c.bench_function("large: clone", |b| b.iter(|| black_box(game.clone())));
}

fn mixed(game: &mut Progress, fields: &[Field<i64>]) {
    let schema = std::sync::Arc::clone(game.schema());
    let first = schema.level_at(0).expect("a level");
    let checkpoint = schema.checkpoint_at(first, 0).expect("a checkpoint");
    game.leave().expect("a run is under way");
    game.enter(first).expect("the first level is open");
    fields.iter().take(8).for_each(|field| drop(game.add(*field, 1)));
    (0..3).for_each(|_| game.tick(Duration::from_millis(16)));
    game.reach(checkpoint).expect("a checkpoint of this level");
    game.die();
    game.respawn().expect("after a death");
    fields.iter().take(3).for_each(|field| drop(game.add(*field, -1)));
    black_box(game.finish().is_ok());
    game.drain_notices().for_each(drop);
}

criterion_group! {
    name = benches;
    config = Criterion::default().measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_secs(1));
    targets = engine
}
criterion_main!(benches);
