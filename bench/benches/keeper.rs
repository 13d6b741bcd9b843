//! Saving while a game runs: small saves, and a small part of a large world, compared with overwriting the same bytes
//! in place and with two databases that keep the same; and what taking a snapshot costs the frame. Without criterion:
//! the time goes into waiting for the disk, and the medians of many single saves are enough.

#![expect(clippy::disallowed_methods, reason = "writing files is what is measured")]

use std::fs::{File, OpenOptions};
use std::io::{Seek, SeekFrom, Write};
use std::mem::take;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

use keblin::save::{Stamp, write};
use keblin::store::DiskError;
use keblin::store::backend::{Backend, Disk, LeftAt, Lock};
use keblin::{Field, Keeper, SaveDir};
use keblin_bench::workload::{progress, schema};
use redb::{Database, ReadableDatabase, TableDefinition};

const AREAS: usize = 200;
const AREA_BYTES: usize = 80 << 10;
const SAVES: usize = 300;
const FRAMES: usize = 3000;

/// The disk, with its calls counted.
#[derive(Clone, Debug, Default)]
struct Counting(Arc<Counts>);

#[derive(Debug, Default)]
struct Counts {
    disk: Disk,
    syncs: AtomicU64,
    bytes: AtomicU64,
}

impl Counting {
    fn note(&self, syncs: u64, parts: &[&[u8]]) {
        self.0.syncs.fetch_add(syncs, Ordering::Relaxed);
        let bytes: usize = parts.iter().map(|part| part.len()).sum();
        self.0.bytes.fetch_add(bytes as u64, Ordering::Relaxed);
    }

    fn taken(&self) -> (u64, u64) {
        (self.0.syncs.swap(0, Ordering::Relaxed), self.0.bytes.swap(0, Ordering::Relaxed))
    }
}

impl Backend for Counting {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.0.disk.len(path)
    }
    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        self.0.disk.read(path, from, most)
    }
    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.note(0, parts);
        self.0.disk.append(path, left, parts)
    }
    fn sync(&self, path: &Path) -> Result<bool, DiskError> {
        self.note(1, &[]);
        self.0.disk.sync(path)
    }
    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        // The file, and the folders of both names.
        self.note(3, parts);
        self.0.disk.publish(path, beside, parts)
    }
    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        self.0.disk.set_aside(moves)
    }
    fn remove(&self, path: &Path) -> Result<bool, DiskError> {
        self.0.disk.remove(path)
    }
    fn written_unix_ms(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.0.disk.written_unix_ms(path)
    }
    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError> {
        self.0.disk.list(folder)
    }
    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError> {
        self.0.disk.lock(path)
    }
}

fn main() {
    if std::env::args().any(|arg| arg == "--test") {
        return;
    }
    small_saves();
    areas();
    frames();
}

/// The median of a number of times.
fn median(mut times: Vec<Duration>) -> Duration {
    times.sort();
    times[times.len() / 2]
}

fn micros(time: Duration) -> f64 {
    time.as_secs_f64() * 1e6
}

/// Ways of saving, taken in turn, so that all of them see the same disk.
fn in_turn<const N: usize>(mut ways: [&mut dyn FnMut(usize); N]) -> [Duration; N] {
    let mut times = [const { Vec::new() }; N];
    for number in 0..SAVES + 10 {
        for (way, times) in ways.iter_mut().zip(&mut times) {
            let begun = Instant::now();
            way(number);
            // The first ones create files, which a game does not do all the time.
            if number >= 10 {
                times.push(begun.elapsed());
            }
        }
    }
    times.map(median)
}

/// A file that is overwritten in place and synced, and keeps none of its old bytes.
struct Overwritten(File);

impl Overwritten {
    fn new(folder: &Path, len: usize) -> Overwritten {
        let path = folder.join("overwritten");
        std::fs::write(&path, vec![1; len]).expect("room");
        let file = OpenOptions::new().write(true).open(path).expect("it was written");
        file.sync_all().expect("a disk");
        Overwritten(file)
    }

    fn save(&mut self, at: usize, bytes: &[u8]) {
        self.0.seek(SeekFrom::Start(at as u64)).expect("a file");
        self.0.write_all(bytes).expect("room");
        self.0.sync_data().expect("a disk");
    }
}

fn sqlite(folder: &Path) -> rusqlite::Connection {
    let base = rusqlite::Connection::open(folder.join("base.sqlite")).expect("a base");
    base.execute_batch(
        "PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; CREATE TABLE parts (name INTEGER PRIMARY KEY, bytes BLOB)",
    )
    .expect("a table");
    base
}

fn put_in_sqlite(base: &mut rusqlite::Connection, parts: &[(usize, &[u8])]) {
    let transaction = base.transaction().expect("one");
    for (name, bytes) in parts {
        let mut statement =
            transaction.prepare_cached("INSERT OR REPLACE INTO parts VALUES (?1, ?2)").expect("a statement");
        statement.execute((*name as i64, *bytes)).expect("room");
    }
    transaction.commit().expect("a disk");
}

const PARTS: TableDefinition<'_, u64, &[u8]> = TableDefinition::new("parts");

fn put_in_redb(base: &Database, parts: &[(usize, &[u8])]) {
    let transaction = base.begin_write().expect("one");
    {
        let mut table = transaction.open_table(PARTS).expect("a table");
        for (name, bytes) in parts {
            table.insert(*name as u64, *bytes).expect("room");
        }
    }
    transaction.commit().expect("a disk");
}

/// A whole small save: workload A, 13.7 KB.
fn small_saves() {
    let folder = tempfile::tempdir().expect("a folder");
    let (files, schema) = (Counting::default(), schema());
    let slot = SaveDir::on(Arc::new(files.clone()), folder.path()).slot("bench").expect("a name");
    slot.append(&progress(&schema).snapshot(), "bench").expect("a disk");
    let mut game = Keeper::open(&slot, &schema).expect("a save");
    let count: Field<i64> = schema.field("profile_0").expect("a field");
    // The first one is a whole file, the second one makes the reserve.
    game.save_now().expect("a disk");
    game.save_now().expect("a disk");
    files.taken();
    game.save_now().expect("a disk");
    let (syncs, bytes) = files.taken();
    let sample = write(&progress(&schema).snapshot(), &Stamp::first(1, "bench"));
    let mut file = Overwritten::new(folder.path(), 16 << 10);
    let mut by_sqlite = sqlite(folder.path());
    let by_redb = Database::create(folder.path().join("base.redb")).expect("a base");
    let bare = vec![3; 16 << 10];
    let [ours, overwrite, sqlite, redb] = in_turn([
        &mut |number| {
            game.set(count, number as i64);
            game.save_now().expect("a disk");
        },
        &mut |_| file.save(0, &bare),
        &mut |_| put_in_sqlite(&mut by_sqlite, &[(0, &sample)]),
        &mut |_| put_in_redb(&by_redb, &[(0, &sample)]),
    ]);
    assert_eq!(slot.view(&schema).expect("a save").progress.get(count), SAVES as i64 + 9);
    println!("a small save of {} bytes: {:.0} us; {syncs} syncs, {bytes} bytes", sample.len(), micros(ours));
    told(ours, overwrite, sqlite, redb);
}

fn told(ours: Duration, overwrite: Duration, sqlite: Duration, redb: Duration) {
    for (what, theirs) in
        [("overwriting 16 KB or the same bytes", overwrite), ("rusqlite", sqlite), ("redb", redb)]
    {
        let ratio = ours.as_secs_f64() / theirs.as_secs_f64();
        println!("  {what}: {:.0} us, ratio {ratio:.2}", micros(theirs));
    }
}

/// One area of 80 KB changed, of 200 of them.
fn areas() {
    let folder = tempfile::tempdir().expect("a folder");
    let (files, schema) = (Counting::default(), schema());
    let slot = SaveDir::on(Arc::new(files.clone()), folder.path()).slot("bench").expect("a name");
    let mut game = Keeper::open(&slot, &schema).expect("a first run");
    let fill = |number: usize| vec![(number % 251) as u8; AREA_BYTES];
    for area in 0..AREAS {
        game.put_area(&format!("area_{area}"), Some(fill(area))).expect("a name");
    }
    game.save_now().expect("a disk");
    game.put_area("area_3", Some(fill(999))).expect("a name");
    game.save_now().expect("a disk");
    game.put_area("area_7", Some(fill(1000))).expect("a name");
    files.taken();
    game.save_now().expect("a disk");
    let (syncs, bytes) = files.taken();
    let mut file = Overwritten::new(folder.path(), AREAS * AREA_BYTES);
    let mut by_sqlite = sqlite(folder.path());
    let by_redb = Database::create(folder.path().join("base.redb")).expect("a base");
    for area in 0..AREAS {
        put_in_sqlite(&mut by_sqlite, &[(area, &fill(area))]);
        put_in_redb(&by_redb, &[(area, &fill(area))]);
    }
    // The game's data is filled beforehand, not as part of saving.
    let contents: Vec<Vec<u8>> = (0..SAVES + 10).map(|number| fill(number + 5)).collect();
    let mut given = contents.clone();
    let [ours, overwrite, sqlite, redb] = in_turn([
        &mut |number| {
            let area = format!("area_{}", number * 7 % AREAS);
            game.put_area(&area, Some(take(&mut given[number]))).expect("a name");
            game.save_now().expect("a disk");
        },
        &mut |number| file.save(number * 7 % AREAS * AREA_BYTES, &contents[number]),
        &mut |number| put_in_sqlite(&mut by_sqlite, &[(number * 7 % AREAS, &contents[number])]),
        &mut |number| put_in_redb(&by_redb, &[(number * 7 % AREAS, &contents[number])]),
    ]);
    let read = by_redb.begin_read().expect("one").open_table(PARTS).expect("a table");
    assert!(read.get(0_u64).expect("a part").is_some());
    println!(
        "80 KB changed of {} MB: {:.0} us; {syncs} syncs, {} bytes in addition to the area's {AREA_BYTES}, allowed {}",
        (AREAS * AREA_BYTES) >> 20,
        micros(ours),
        bytes - AREA_BYTES as u64,
        4096 + 72 * (AREAS + 3)
    );
    told(ours, overwrite, sqlite, redb);
}

/// What the frame pays for a snapshot of 16 MB while the previous one is being written.
fn frames() {
    let folder = tempfile::tempdir().expect("a folder");
    let schema = schema();
    let slot = SaveDir::at(folder.path()).slot("bench").expect("a name");
    let mut game = Keeper::open(&slot, &schema).expect("a first run");
    for area in 0..AREAS {
        game.put_area(&format!("area_{area}"), Some(vec![1; AREA_BYTES])).expect("a name");
    }
    game.save_now().expect("a disk");
    let level = schema.level("level_0").expect("a level");
    let mut times = Vec::new();
    let mut while_writing = 0;
    for frame in 0..FRAMES {
        let area = format!("area_{}", frame % AREAS);
        game.put_area(&area, Some(vec![(frame % 251) as u8; AREA_BYTES])).expect("a name");
        game.begin_replacing(None);
        game.enter(level).expect("it is open");
        game.finish().expect("it is being played");
        while_writing += usize::from(game.is_saving());
        let begun = Instant::now();
        game.tick(Duration::ZERO);
        times.push(begun.elapsed());
        std::thread::sleep(Duration::from_micros(500));
    }
    times.sort();
    println!(
        "handing over, {FRAMES} frames, {while_writing} of them while writing: median {:.1} us, p99.9 {:.1} us, longest {:.1} us",
        micros(times[FRAMES / 2]),
        micros(times[FRAMES - FRAMES / 1000 - 1]),
        micros(times[FRAMES - 1])
    );
}
