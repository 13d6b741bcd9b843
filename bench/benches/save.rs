//! A snapshot to bytes and back, compared with serialisers that a game would use instead on structs of the same
//! values, with names. Those check nothing, and keep only the last write.

use std::hint::black_box;
use std::time::Duration;

use criterion::{Criterion, criterion_group, criterion_main};
use keblin::reconcile::reconcile;
use keblin::save::{Stamp, write};
use keblin::verify::verify;
use keblin::{Keeper, Progress};
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

/// Two saves of workload A that continue the same one on two machines; each has played on in the run.
fn two_saves(c: &mut Criterion) {
    let schema = schema();
    let saved = |mut game: Keeper, machine: u64| {
        game.save_now().expect("it only becomes due");
        let saved = game.on_machine(machine).take_due(1_700_000_000_000 + machine);
        saved.expect("it is small").expect("it is due").bytes
    };
    let first = write(&progress(&schema).snapshot(), &Stamp::first(1_700_000_000_000, "quit"));
    let open = |bytes: &[u8]| Keeper::from_bytes(&schema, Some(bytes)).expect("it was just written");
    let base = saved(open(&first), 1);
    let played = |level: usize, machine: u64| {
        let mut game = open(&base);
        game.begin_replacing(None);
        let level = schema.level(schema.levels[level].name.as_str()).expect("a level of the workload");
        game.enter(level).expect("every level is open");
        game.finish_with_stars(1 + i64::from(machine == 2)).expect("it was entered");
        verify(&saved(game, machine), &schema).expect("it was just written").snapshot().clone()
    };
    let (ours, theirs) = (played(0, 1), played(1, 2));
    let in_memory = [&ours, &theirs].map(|of| Progress::restored(of.clone()).snapshot());
    let mut group = c.benchmark_group("workload A, two saves");
    group.bench_function("reconcile", |b| {
        b.iter(|| reconcile(black_box(&ours), black_box(&theirs)).is_ok());
    });
    group.bench_function("reconcile, without who wrote what", |b| {
        b.iter(|| reconcile(black_box(&in_memory[0]), black_box(&in_memory[1])).is_ok());
    });
    group.bench_function("clone both", |b| {
        b.iter(|| black_box((black_box(&ours).clone(), black_box(&theirs).clone())));
    });
    group.bench_function("clone both as progress", |b| {
        let (ours, theirs) = (Progress::restored(ours.clone()), Progress::restored(theirs.clone()));
        b.iter(|| black_box((black_box(&ours).clone(), black_box(&theirs).clone())));
    });
    group.finish();
}

criterion_group! {
    name = benches;
    config = Criterion::default().measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_secs(1));
    targets = demo, workload, two_saves
}
criterion_main!(benches);
