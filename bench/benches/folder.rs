//! Whole folders: 20,000 saves verified, compared with reading the files; and the list of 100 large slots. Without
//! criterion: one round takes seconds, so three of them and their median are enough.

#![expect(clippy::disallowed_methods, reason = "reading files is what is measured")]

use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use keblin::SaveDir;
use keblin::save::{Lineage, Stamp, read, write, write_after};
use keblin::snapshot::Picture;
use keblin::verify::check;
use keblin_bench::workload::{progress, schema};
use rayon::prelude::*;

const SAVES: usize = 20_000;
const SLOTS: usize = 100;
const SPINS: u64 = 400_000_000;
const SLOT_BYTES: usize = 16 << 20;

fn main() {
    // `cargo bench` passes its own flags, and `cargo test --benches` only checks that it starts.
    if std::env::args().any(|arg| arg == "--test") {
        return;
    }
    let folder = tempfile::tempdir().expect("a folder");
    let paths = saves(folder.path());
    let read_only = || paths.iter().map(|path| fs::read(path).expect("a save").len()).sum::<usize>();
    let schema = schema();
    let whole = |path: &PathBuf| {
        check(&fs::read(path).expect("a save"), &schema, None).is_ok_and(|found| found.is_empty())
    };
    let verified = || paths.iter().filter(|path| whole(path)).count();
    let on_two = rayon::ThreadPoolBuilder::new().num_threads(2).build().expect("two threads");
    let verified_on_two = || on_two.install(|| paths.par_iter().filter(|path| whole(path)).count());
    assert_eq!((verified(), verified_on_two()), (SAVES, SAVES));
    // What a second thread gains on this machine at this time, with work that shares nothing.
    let spin =
        |rounds: u64| (0..rounds).fold(1_u64, |sum, round| sum.rotate_left(5) ^ round.wrapping_mul(sum | 1));
    let spin_on_two = || {
        std::thread::scope(|scope| {
            [(); 2].map(|()| scope.spawn(|| spin(SPINS / 2))).map(|half| half.join().expect("it adds up"))
        })
    };
    let mut times: [Vec<Duration>; 5] = Default::default();
    for _ in 0..3 {
        times[0].push(timed(read_only));
        times[1].push(timed(verified));
        times[2].push(timed(verified_on_two));
        times[3].push(timed(|| spin(SPINS)));
        times[4].push(timed(spin_on_two));
    }
    let [plain, one, two, spin_one, spin_two] = times.map(median);
    println!("{SAVES} saves: read {plain:.2?}, verified {one:.2?}, on two threads {two:.2?}");
    println!("verified / read {:.2}", one.as_secs_f64() / plain.as_secs_f64());
    let gain = |one: Duration, two: Duration| one.as_secs_f64() / two.as_secs_f64();
    println!(
        "one thread / two {:.2}; of work that shares nothing {:.2}",
        gain(one, two),
        gain(spin_one, spin_two)
    );
    drop(folder);
    list_of_slots();
}

fn timed<T>(run: impl Fn() -> T) -> Duration {
    let begun = Instant::now();
    std::hint::black_box(run());
    begun.elapsed()
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort();
    times[times.len() / 2]
}

/// Saves of workload A, all different.
fn saves(folder: &Path) -> Vec<PathBuf> {
    let schema = schema();
    let mut game = progress(&schema);
    let count = schema.field::<i64>("profile_0").expect("a field");
    (0..SAVES)
        .map(|number| {
            game.set(count, number as i64);
            let path = folder.join(format!("save_{number:05}.keblin"));
            fs::write(&path, write(&game.snapshot(), &Stamp::first(1_700_000_000_000, "bench")))
                .expect("room");
            path
        })
        .collect()
}

/// Returns how many bytes of each slot the list reads, as counted by the operating system.
fn list_of_slots() {
    let folder = tempfile::tempdir().expect("a folder");
    let schema = schema();
    let picture = Picture::new("image/png", vec![0x5a; 4 << 20]).expect("not too large");
    let snapshot = progress(&schema).snapshot().with_picture(picture);
    let mut bytes = write(&snapshot, &Stamp::first(1_700_000_000_000, "bench"));
    while bytes.len() < SLOT_BYTES {
        let file = read(&bytes).expect("a save");
        let stamp = Stamp::after(Some(&Lineage::of(&file)), 1_700_000_000_000, "bench");
        let more = write_after(&file, &snapshot, &stamp, None);
        bytes.extend(more);
    }
    for slot in 0..SLOTS {
        fs::write(folder.path().join(format!("slot_{slot:03}.keblin")), &bytes).expect("room");
    }
    let dir = SaveDir::at(folder.path());
    let before = bytes_read();
    let begun = Instant::now();
    let entries = dir.list().expect("a list");
    let took = begun.elapsed();
    assert!(entries.len() == SLOTS && entries.iter().all(|entry| entry.head.is_ok()));
    let of_each = bytes_read().zip(before).map(|(after, before)| (after - before) / SLOTS as u64);
    println!("list of {SLOTS} slots of {} bytes: {took:.2?}, {of_each:?} bytes read of each", bytes.len());
}

/// Returns how many bytes this process has read; only Linux counts them.
fn bytes_read() -> Option<u64> {
    let text = fs::read_to_string("/proc/self/io").ok()?;
    text.lines().find_map(|line| line.strip_prefix("rchar: ")?.parse().ok())
}
