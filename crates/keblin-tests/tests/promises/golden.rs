//! Golden files: saves of format 1 as they were written when the format was fixed. They are never rewritten. Today's
//! library reads them, and writes the same snapshots as the same bytes, on every machine.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use keblin::save::{Lineage, SealKey, Stamp, read, write, write_after, write_device, write_sealed};
use keblin::snapshot::Picture;
use keblin::store::backend::Memory;
use keblin::verify::verify;
use keblin::{Field, Progress, SaveDir, Schema, Snapshot, Value};

const KEY: &[u8] = include_bytes!("../../../../data/golden/seal.key");

fn golden() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../data/golden")
}

fn schema() -> Arc<Schema> {
    let text = include_str!("../../../../data/golden/every_type.toml");
    let parsed = Schema::parse("every_type.toml", text);
    Arc::new(parsed.unwrap_or_else(|findings| panic!("{findings}")).schema)
}

fn set(game: &mut Progress, field: &str, text: &str) {
    let schema = Arc::clone(game.schema());
    let (_, def) = schema.field_named(field).unwrap();
    let value = schema.written(def.holds(), text).unwrap_or_else(|error| panic!("{field}: {error}"));
    let field: Field<Value> = schema.field(field).unwrap();
    game.set(field, value);
}

/// Three moments of one game, with no field at its default.
fn instants(schema: &Arc<Schema>) -> [Progress; 3] {
    let mut game = Progress::new(Arc::clone(schema));
    let (brook, weir) = (schema.level("brook").unwrap(), schema.level("weir").unwrap());
    game.begin(Some(schema.difficulty("wild").unwrap())).unwrap();
    game.enter(brook).unwrap();
    game.tick(Duration::from_nanos(92_400_000_001));
    game.add(schema.field::<i64>("reeds").unwrap(), 31);
    game.reach(schema.checkpoint(brook, "log").unwrap()).unwrap();
    let first = game.clone();
    for (field, text) in [
        ("met_the_heron", "true"),
        ("coppers", "555"),
        ("depth", "-1.1"),
        ("walked", "1e300"),
        ("name", "'Ötti \"the\" otter'"),
        ("lamp", "'glass'"),
        ("home", "'weir'"),
        ("at", "[0.1, -65504]"),
        ("camera", "[1.5, 100000, 0.000001]"),
        ("turn", "[0.5, 0.5, 0.5, 0.5]"),
        ("lantern", "{ oil = 3, lamp = 'tallow', lit = true, a_member_with_a_long_name = 0.25 }"),
        ("hooks", "[{ oil = 0, lit = true }, { lamp = 'wick', a_member_with_a_long_name = 1.1 }]"),
        ("splits", "['1s', '-1ms', '90m']"),
        ("lit", "['tallow', 'wick']"),
        ("worn", "{ b = 1, aa = -2, a_key_of_more_than_23_bytes = 3 }"),
        ("tries_here", "-500"),
        ("volume", "3"),
    ] {
        set(&mut game, field, text);
    }
    let photo: Field<Value> = schema.field("photo").unwrap();
    game.set(photo, Value::Bytes([0x00, 0xff, 0x7f].as_slice().into()));
    let blob = keblin::value::Opaque { version: 7, bytes: Arc::from([1, 2, 3].as_slice()) };
    let field: Field<keblin::value::Opaque> = schema.field("blob").unwrap();
    game.set(field, blob);
    game.die();
    game.respawn().unwrap();
    game.finish_with_stars(2).unwrap();
    let best = schema.field_per::<Option<keblin::Time>, _>("best_time").unwrap();
    game.submit(best.at((brook, schema.difficulty("wild").unwrap())), keblin::Time::from_millis(92_400));
    let second = game.clone();
    game.end_run().unwrap();
    game.begin(None).unwrap();
    game.enter(brook).unwrap();
    game.finish_with_stars(3).unwrap();
    game.enter(weir).unwrap();
    game.add(schema.field::<i64>("reeds").unwrap(), 7);
    [first, second, game]
}

/// Returns every golden file: its name, and its bytes as they are written today.
pub(crate) fn files() -> Vec<(&'static str, Vec<u8>)> {
    let schema = schema();
    let [first, second, third] = instants(&schema).map(|game| game.snapshot());
    let stamp = Stamp::first(1_700_000_000_000, "checkpoint");
    let key = SealKey::new(KEY).unwrap();
    let picture = Picture::new("image/png", vec![0x89, 0x50, 0x4e, 0x47]).unwrap();
    let mut three = write(&first, &stamp);
    for (snapshot, cause) in [(&second, "finish"), (&third, "quit")] {
        let file = read(&three).unwrap();
        let lineage = Lineage::of(&file);
        let stamp = Stamp::after(Some(&lineage), 1_700_000_000_000 + 60_000 * lineage.number, cause);
        let more = write_after(&file, snapshot, &stamp, None);
        three.extend(more);
    }
    let areas = with_areas(&second, &third);
    let edited = Stamp { edited: true, ..stamp.clone() };
    vec![
        ("first_run", write(&Progress::new(schema).snapshot(), &stamp)),
        ("every_type", write(&second, &stamp)),
        ("three_states", three),
        ("sealed", write_sealed(&third, &stamp, &key)),
        ("with_picture", write(&third.with_picture(picture), &edited)),
        ("device", write_device(&second, &stamp)),
        ("history", areas[..read(&areas).unwrap().end()].to_vec()),
        ("history_room", areas),
    ]
}

/// Returns two states of a slot; the second shares an area with the first.
fn with_areas(first: &Snapshot, second: &Snapshot) -> Vec<u8> {
    let memory = Memory::default();
    memory.set_machine(1);
    let slot = SaveDir::on(Arc::new(memory.clone()), "saves").slot("otter").unwrap();
    for (snapshot, number) in [(first, 1_u8), (second, 2)] {
        memory.set_clock(1_700_000_000_000 + 60_000 * u64::from(number));
        let mut game = Progress::restored(snapshot.clone());
        game.put_area("fens", Some((0..=255).collect())).unwrap();
        game.put_area("west", Some([number; 24].into())).unwrap();
        slot.append(&game.snapshot(), "checkpoint").unwrap();
    }
    memory.files()[&slot.path()].clone()
}

#[test]
fn todays_library_writes_the_golden_files_byte_for_byte() {
    for (name, bytes) in files() {
        let path = golden().join(format!("format_1_{name}.keblin"));
        let held = std::fs::read(&path).unwrap_or_else(|error| panic!("{path:?}: {error}"));
        assert!(held == bytes, "{name} is written in another way than when format 1 was fixed");
        assert!(read(&held).is_ok_and(|file| file.is_last()), "{name} is no longer read");
    }
}

/// The files that a slot has written before saves said who wrote what hold the same values.
#[test]
fn the_first_golden_files_of_a_slot_hold_what_a_slot_writes_today() {
    let (schema, today) = (schema(), files());
    for (name, like) in [("areas", "history"), ("room", "history_room")] {
        let held = std::fs::read(golden().join(format!("format_1_{name}.keblin"))).unwrap();
        let (_, bytes) = today.iter().find(|(name, _)| *name == like).unwrap();
        let [held, today] = [&held, bytes].map(|bytes| verify(bytes, &schema).unwrap().snapshot().clone());
        assert!(held == today, "{name}");
    }
}
