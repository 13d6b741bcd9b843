//! Examining large and hostile files: megabytes per second, next to the digest of the same bytes, which is the least
//! possible work. Without criterion: one run of each takes long enough.

#![expect(clippy::disallowed_methods, reason = "time is what is measured")]

#[expect(dead_code, reason = "the tests use more of it")]
#[path = "../../crates/keblin-tests/tests/promises/forged.rs"]
mod forged;

use std::hint::black_box;
use std::sync::Arc;
use std::time::Instant;

use keblin::save::layout::{BLOCK_MARK, digest};
use keblin::save::{Stamp, read, write};
use keblin::store::backend::Memory;
use keblin::verify::{examine, salvage, verify};
use keblin::{Keeper, Progress, SaveDir, Schema};

use forged::Forge;

fn schema() -> Arc<Schema> {
    let text = "game = 'otter'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n";
    Arc::new(Schema::parse("progress.toml", text).expect("a declaration").schema)
}

fn small_save() -> Vec<u8> {
    write(&Progress::new(schema()).snapshot(), &Stamp::first(0, "quit"))
}

/// Returns a file of this length with only marks after a save.
fn marks(len: usize, between: &[u8]) -> Vec<u8> {
    let mut bytes = small_save();
    while bytes.len() < len {
        bytes.extend_from_slice(BLOCK_MARK);
        bytes.extend_from_slice(between);
    }
    bytes
}

/// Returns marks that each claim everything after them as their content.
fn claims(len: usize) -> Vec<u8> {
    let mut bytes = small_save();
    let each = BLOCK_MARK.len() + 9;
    let count = (len - bytes.len()) / each;
    for left in (0..count).rev() {
        bytes.extend_from_slice(BLOCK_MARK);
        bytes.extend_from_slice(&[0x84, 0x61, 0x78, 0xf4, 0x5a]);
        bytes.extend_from_slice(&u32::try_from(left * each).unwrap_or(u32::MAX).to_be_bytes());
    }
    bytes.extend_from_slice(&[0x58, 0x20]);
    bytes.extend_from_slice(&[0; 32]);
    bytes
}

/// Returns this many states that share a profile of a megabyte.
fn sharing(states: u64) -> Vec<u8> {
    let (save, mut forge) = (small_save(), Forge::of("otter"));
    let file = read(&save).expect("a save");
    let mut profile = file.sections[0].body.to_vec();
    // A map with an extra key whose value nobody knows.
    profile[0] += 1;
    profile.extend(forged::cbor(|out| drop(out.str("zzzzzzzzzzzz").unwrap().bytes(&[7; 1 << 20]))));
    forge.section("profile", true, 0, &profile).section("run", true, 0, file.sections[1].body);
    for number in 1..=states {
        forge.state(number, 1);
    }
    forge.bytes
}

/// Returns a world of some areas, saved often, with only one number changed.
fn saved_often(areas: usize, area_bytes: usize, saves: i64) -> Vec<u8> {
    let memory = Memory::default();
    let slot = SaveDir::on(Arc::new(memory.clone()), "saves").slot("otter").expect("an id");
    let schema = schema();
    let mut kept = Keeper::open(&slot, &schema).expect("a first run");
    for area in 0..areas {
        kept.put_area(&format!("area_{area}"), Some(vec![7; area_bytes])).expect("an id");
    }
    for number in 0..saves {
        kept.set(schema.field::<i64>("shells").expect("a field"), number);
        kept.save_now().expect("saved");
    }
    memory.files().remove(&slot.path()).expect("a file")
}

fn main() {
    if std::env::args().any(|arg| arg == "--test") {
        return;
    }
    // A word on the command line picks the files whose names contain it.
    let wanted = std::env::args().skip(1).find(|arg| !arg.starts_with('-')).unwrap_or_default();
    let schema = schema();
    let world = saved_often(200, 160 << 10, 4000);
    let mut torn = world.clone();
    let middle = torn.len() / 2;
    torn[middle] ^= 1;
    let mut without_header = world.clone();
    without_header[10] ^= 1;
    let files: [(&str, Vec<u8>); 8] = [
        ("60 MB of marks", marks(60_000_000, &[])),
        ("60 MB of marks that begin as blocks do", marks(60_000_000, &[0x84, 0x67])),
        ("60 MB of marks inside each other", claims(60_000_000)),
        ("20,000 states that share a profile of a MB", sharing(20_000)),
        ("4,000 saves of a world of 33 MB", world),
        ("the same with a changed byte", torn),
        ("the same with a changed header", without_header),
        ("60 MB of zero bytes after a save", [marks(0, &[]), vec![0; 60_000_000]].concat()),
    ];
    println!("{:44} {:>8} {:>9} {:>9} {:>9}", "file", "MB", "digest", "verify", "examine");
    for (name, bytes) in files.into_iter().filter(|(name, _)| name.contains(&wanted)) {
        let megabytes = bytes.len() as f64 / 1e6;
        let rate = |look: &dyn Fn()| {
            let begun = Instant::now();
            look();
            megabytes / begun.elapsed().as_secs_f64()
        };
        let digest = rate(&|| _ = black_box(digest(&bytes)));
        let verified = rate(&|| _ = black_box(verify(&bytes, &schema).is_ok()));
        let examined = rate(&|| drop(black_box(examine(&bytes, &schema))));
        let salvaged = rate(&|| _ = black_box(salvage(&bytes, &schema).is_ok()));
        println!(
            "{name:44} {megabytes:8.1} {digest:9.0} {verified:9.0} {examined:9.0}  (salvage {salvaged:.0})"
        );
    }
}
