//! A snapshot to bytes and back, against a struct of the same values in JSON, which a game would write by hand instead.

use std::collections::BTreeMap;
use std::hint::black_box;
use std::time::Duration;

use criterion::{Criterion, criterion_group, criterion_main};
use keblin::save::{Stamp, write};
use keblin::verify::verify;
use keblin_bench::{fen_post, in_play};
use serde::{Deserialize, Serialize};

#[derive(Serialize, Deserialize)]
struct Route {
    finished: bool,
    stamps: u8,
    tries: u64,
    deaths: u64,
    best_crossing_ms: Option<u64>,
}

#[derive(Serialize, Deserialize)]
struct ByHand {
    letters: i64,
    best_letters: Option<i64>,
    oil: i64,
    oil_cap: i64,
    boats: i64,
    run_clock_ms: u64,
    route_clock_ms: u64,
    coppers: i64,
    routes: BTreeMap<String, BTreeMap<String, Route>>,
    arrival: BTreeMap<String, i64>,
    mooring: Option<BTreeMap<String, i64>>,
}

fn by_hand() -> ByHand {
    let route = || Route { finished: true, stamps: 2, tries: 1, deaths: 0, best_crossing_ms: Some(92_400) };
    let tides = || ["neap", "spring"].map(|tide| (tide.to_string(), route())).into();
    let names =
        ["reedgate", "long_mere", "otter_weir", "black_sluice", "heron_holm", "mill_race", "lantern_quay"];
    let copied = ["letters", "oil", "oil_cap", "boats", "run_clock", "route_clock"];
    ByHand {
        letters: 28,
        best_letters: None,
        oil: 60,
        oil_cap: 60,
        boats: 4,
        run_clock_ms: 369_600,
        route_clock_ms: 0,
        coppers: 120,
        routes: names.map(|name| (name.to_string(), tides())).into(),
        arrival: copied.map(|name| (name.to_string(), 28)).into(),
        mooring: None,
    }
}

fn saves(c: &mut Criterion) {
    let schema = fen_post();
    let snapshot = in_play(&schema).snapshot();
    let stamp = Stamp {
        number: 7,
        created_unix_ms: 1_700_000_000_000,
        saved_at_unix_ms: 1_700_000_000_001,
        cause: "quit".into(),
    };
    let bytes = write(&snapshot, &stamp);
    let (plain, json) = (by_hand(), serde_json::to_vec(&by_hand()).expect("plain values"));
    println!("bytes: keblin {}, json by hand {}", bytes.len(), json.len());

    let mut group = c.benchmark_group("to bytes");
    group.bench_function("keblin", |b| b.iter(|| black_box(write(&snapshot, &stamp))));
    group.bench_function("json by hand", |b| b.iter(|| black_box(serde_json::to_vec(&plain))));
    group.finish();

    let mut group = c.benchmark_group("from bytes");
    group.bench_function("keblin, verified", |b| {
        b.iter(|| verify(black_box(&bytes), &schema).map(|save| black_box(save.into_progress())).is_ok());
    });
    group.bench_function("json by hand, unchecked", |b| {
        b.iter(|| serde_json::from_slice::<ByHand>(black_box(&json)).is_ok());
    });
    group.finish();
}

criterion_group! {
    name = benches;
    config = Criterion::default().measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_secs(1));
    targets = saves
}
criterion_main!(benches);
