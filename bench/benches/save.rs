//! A snapshot to bytes and back, compared with serialisers that a game would use instead on structs of the same
//! values, with names. Those check nothing, and keep only the last write.

use std::hint::black_box;
use std::time::Duration;

use criterion::{Criterion, criterion_group, criterion_main};
use keblin::save::{Stamp, write};
use keblin::verify::verify;
use keblin_bench::workload::{ByHand, progress, schema};
use keblin_bench::{fen_post, in_play};

fn demo(c: &mut Criterion) {
    let schema = fen_post();
    let snapshot = in_play(&schema).snapshot();
    let stamp = Stamp::first(1_700_000_000_000, "quit");
    let bytes = write(&snapshot, &stamp);
    println!("the demo: {} bytes", bytes.len());
    let mut group = c.benchmark_group("the demo");
    group.bench_function("to bytes", |b| b.iter(|| black_box(write(&snapshot, &stamp))));
    group.bench_function("from bytes", |b| {
        b.iter(|| verify(black_box(&bytes), &schema).map(|save| black_box(save.into_progress())).is_ok());
    });
    group.finish();
}

fn workload(c: &mut Criterion) {
    let schema = schema();
    let snapshot = progress(&schema).snapshot();
    let stamp = Stamp::first(1_700_000_000_000, "quit");
    let bytes = write(&snapshot, &stamp);
    let plain = ByHand::sample();
    let cbor = minicbor_serde::to_vec(&plain).expect("plain values");
    let json = serde_json::to_vec(&plain).expect("plain values");
    let pack = rmp_serde::to_vec_named(&plain).expect("plain values");
    let mut ciborium = Vec::new();
    ciborium::into_writer(&plain, &mut ciborium).expect("plain values");
    let lengths = [bytes.len(), cbor.len(), ciborium.len(), pack.len(), json.len()];
    println!("workload A: keblin, minicbor-serde, ciborium, rmp-serde, json: {lengths:?} bytes");

    let mut group = c.benchmark_group("workload A to bytes");
    group.bench_function("keblin", |b| b.iter(|| black_box(write(&snapshot, &stamp))));
    group.bench_function("minicbor-serde", |b| b.iter(|| black_box(minicbor_serde::to_vec(&plain))));
    group.bench_function("ciborium", |b| {
        b.iter(|| {
            let mut bytes = Vec::new();
            ciborium::into_writer(&plain, &mut bytes).is_ok() && black_box(bytes).is_empty()
        });
    });
    group.bench_function("rmp-serde", |b| b.iter(|| black_box(rmp_serde::to_vec_named(&plain))));
    group.bench_function("json", |b| b.iter(|| black_box(serde_json::to_vec(&plain))));
    group.finish();

    let mut group = c.benchmark_group("workload A from bytes");
    group.bench_function("keblin, verified, to a Progress", |b| {
        b.iter(|| verify(black_box(&bytes), &schema).map(|save| black_box(save.into_progress())).is_ok());
    });
    group.bench_function("keblin, verified", |b| b.iter(|| verify(black_box(&bytes), &schema).is_ok()));
    group.bench_function("minicbor-serde", |b| {
        b.iter(|| minicbor_serde::from_slice::<ByHand>(black_box(&cbor)).is_ok());
    });
    group.bench_function("ciborium", |b| {
        b.iter(|| ciborium::from_reader::<ByHand, _>(black_box(ciborium.as_slice())).is_ok());
    });
    group.bench_function("rmp-serde", |b| {
        b.iter(|| rmp_serde::from_slice::<ByHand>(black_box(&pack)).is_ok());
    });
    group.bench_function("json", |b| {
        b.iter(|| serde_json::from_slice::<ByHand>(black_box(&json)).is_ok());
    });
    group.finish();
}

criterion_group! {
    name = benches;
    config = Criterion::default().measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_secs(1));
    targets = demo, workload
}
criterion_main!(benches);
