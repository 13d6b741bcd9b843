//! Golden files of the world: objects with every type, as they were written when their form was fixed. They are never
//! rewritten.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin::save::{Fingerprint, SaveCode, SealKey, Stamp, read, write, write_sealed};
use keblin::store::backend::Memory;
use keblin::verify::verify;
use keblin::{Date, Instant, ObjectId, SaveDir, Schema, Snapshot, Time, WorldObject};

use minicbor::Decoder;
use minicbor::data::Type;

use crate::forged::Forge;

keblin::schema!(world, "../../data/golden/world/world.toml");

use world::{areas, checkpoints, fields, kinds, levels, lists};

pub(crate) fn schema() -> &'static Arc<Schema> {
    world::schema()
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(kinds::boat)]
struct Boat {
    #[world(id)]
    id: ObjectId,
    afloat: bool,
    load: u8,
    speed: f64,
    since: Time,
    name: String,
    chart: Vec<u8>,
    built: Date,
    moored: Instant,
    wood: lists::Wood,
    home: keblin::Level<world::Game>,
    place: [f32; 2],
    lamp: [f32; 3],
    turn: [f32; 4],
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(kinds::bed, time_away = Bed::grow)]
struct Bed {
    #[world(id)]
    id: ObjectId,
    height: f64,
}

impl Bed {
    fn grow(&mut self, away: Time) {
        self.height += std::time::Duration::try_from(away).unwrap().as_secs_f64();
    }
}

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(kinds::stone)]
struct Stone {
    #[world(id)]
    id: ObjectId,
}

/// The western fen as its level makes it.
#[derive(Clone, Debug, PartialEq)]
struct West {
    boats: Vec<Boat>,
    beds: Vec<Bed>,
    stones: Vec<Stone>,
}

impl West {
    fn made() -> West {
        let beds = [7, 8, 9].map(|number| Bed { id: number.into(), height: 0.5 });
        let stones = (0..200).map(|number: u32| Stone { id: number.into() });
        West { boats: Vec::new(), beds: beds.to_vec(), stones: stones.collect() }
    }

    fn recalled(game: &mut world::Progress) -> West {
        let mut west = West::made();
        game.recall(areas::WEST, |area| {
            area.objects(&mut west.boats);
            area.objects(&mut west.beds);
            area.objects(&mut west.stones);
        })
        .unwrap();
        west
    }

    fn put_by(&self, game: &mut world::Progress) {
        game.put_by(areas::WEST, |area| {
            area.objects(&self.boats);
            area.objects(&self.beds);
            area.objects(&self.stones);
        })
        .unwrap();
    }
}

fn boat(id: ObjectId) -> Boat {
    Boat {
        id,
        afloat: true,
        load: 90,
        speed: -0.1,
        since: Time::from_nanos(92_400_000_001),
        name: "Ötti \"the\" otter".to_string(),
        chart: vec![0x00, 0xff],
        built: Date::from_days(20_000).unwrap(),
        moored: Instant::from_unix_ms(1_700_000_000_123).unwrap(),
        wood: lists::Wood::Birch,
        home: levels::MERE,
        place: [0.1, -65504.0],
        lamp: [1.5, 100_000.0, 0.000_001],
        turn: [0.5, 0.5, 0.5, -0.5],
    }
}

/// A game with objects that were changed, made, destroyed, and copied on the way.
fn played() -> Snapshot {
    let mut game = world::Progress::new();
    game.begin(None).unwrap();
    game.tick_secs(1.0);
    let mut west = West::recalled(&mut game);
    west.beds.remove(1);
    west.put_by(&mut game);
    game.enter(levels::MERE).unwrap();
    game.tick_secs(30.0);
    let mut west = West::recalled(&mut game);
    let id = game.new_object();
    west.boats.push(boat(id));
    west.put_by(&mut game);
    game.reach(checkpoints::mere::CAIRN).unwrap();
    game.tick_secs(12.5);
    let mut west = West::recalled(&mut game);
    let id = game.new_object();
    west.boats.push(Boat { name: String::new(), load: 0, ..boat(id) });
    west.stones.retain(|stone| stone.id != ObjectId::authored(100));
    west.put_by(&mut game);
    game.add(fields::LETTERS, 31);
    game.snapshot()
}

/// Returns every golden file since the fingerprint covers the world, but for the packed one: its name, and its bytes as
/// they are written today.
fn files() -> Vec<(&'static str, Vec<u8>)> {
    let stamp = Stamp::first(1_700_000_000_000, "checkpoint");
    let key = SealKey::new(include_bytes!("../../../../data/golden/seal.key")).unwrap();
    vec![("world_2", write(&played(), &stamp)), ("world_2_sealed", write_sealed(&played(), &stamp, &key))]
}

fn packed() -> Vec<u8> {
    let memory = Memory::default();
    memory.set_clock(1_700_000_000_000);
    let slot = SaveDir::on(Arc::new(memory.clone()), "saves").packing_areas().slot("otter").unwrap();
    slot.save(&played(), "checkpoint").unwrap();
    memory.files()[&slot.path()].clone()
}

fn path(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("../../data/golden/world/format_1_{name}.keblin"))
}

#[test]
fn todays_library_writes_the_golden_files_of_the_world_byte_for_byte() {
    for (name, bytes) in files() {
        let held = std::fs::read(path(name)).unwrap_or_else(|error| panic!("{name}: {error}"));
        assert!(held == bytes, "{name} is written in another way than when its form was fixed");
    }
}

/// The files from before the fingerprint covered the world have the fingerprint of this declaration all the same.
#[test]
fn the_first_golden_files_of_the_world_are_of_this_declaration() {
    for name in ["world", "world_sealed", "world_packed"] {
        let bytes = std::fs::read(path(name)).unwrap();
        let fingerprint = read(&bytes).unwrap().head.fingerprint;
        assert!(fingerprint.is_of(schema()) && fingerprint != Fingerprint::of(schema()), "{name}");
        let save = verify(&bytes, schema()).unwrap();
        assert!(*save.snapshot() == played(), "{name}");
        assert!(save.findings().iter().all(|finding| finding.code == SaveCode::SealNotChecked), "{name}");
    }
}

#[test]
fn the_fingerprint_of_another_world_is_another() {
    let text = std::fs::read_to_string(path("").with_file_name("world.toml")).unwrap();
    let of = |text: &str| Fingerprint::of(&Schema::parse("world.toml", text).unwrap().schema);
    let edits = [("height = {", "high = {"), ("id = \"west\"", "id = \"north\"")];
    for (from, to) in edits {
        assert_ne!(of(&text), of(&text.replace(from, to)), "{from}");
    }
}

/// A packed file may have other bytes with another version of the codec, but the same values.
#[test]
fn the_golden_files_of_the_world_have_the_same_values_packed_or_not() {
    let held = std::fs::read(path("world_packed")).unwrap();
    let today = packed();
    let plain = files()[0].1.len();
    for bytes in [&held, &today] {
        assert!(bytes.len() * 10 < plain * 9, "{} of {plain}", bytes.len());
        let save = verify(bytes, world::schema()).unwrap();
        assert!(*save.snapshot() == played());
        assert_eq!(save.findings(), []);
    }
    let mut game =
        world::Progress::restored(verify(&held, world::schema()).unwrap().into_progress().snapshot());
    game.resume().unwrap();
    // Back to the last checkpoint.
    let west = West::recalled(&mut game);
    assert_eq!(west.boats, [boat(west.boats[0].id)]);
    assert_eq!(west.beds.iter().map(|bed| bed.id).collect::<Vec<_>>(), [7.into(), 9.into()]);
    assert_eq!(west.stones.len(), 199);
    assert_eq!(game.get(fields::LETTERS), 31);
}

#[test]
fn a_packed_area_that_is_not_what_it_says_is_damage() {
    let bytes = packed();
    let section = |name: &str| {
        let file = read(&bytes).unwrap();
        let found = file.sections.iter().find(|section| section.name == name).unwrap();
        (found.body_offset, found.body.to_vec())
    };
    let (at, body) = section("area.west");
    assert!(body.starts_with(&[0x28, 0xb5, 0x2f, 0xfd]), "a frame of zstd");
    for changed in [0, body.len() / 2, body.len() - 1] {
        let mut damaged = bytes.clone();
        damaged[at + changed] ^= 0xff;
        assert!(verify(&damaged, world::schema()).is_err());
    }
    // With digests that match: another length, no frame, and a length that no such body can have.
    let forged = |body: &[u8]| {
        let file = read(&bytes).unwrap();
        let mut forge = Forge::of("reed_country");
        for section in &file.sections {
            match section.name {
                "area.west" => forge.section(section.name, true, 1, body),
                name if name.contains('.') => &mut forge,
                name => forge.section(name, true, 0, section.body),
            };
        }
        let error = verify(&forge.state(1, 1).bytes, world::schema()).unwrap_err();
        assert!(!error.is_refusal() && error.section == "area.west", "{error}");
        error.to_string()
    };
    assert!(forged(&body).contains("bytes, packed, but found something else"));
    assert!(forged(&[0x28, 0xb5]).contains("expected 2 bytes, packed"));
    // Zeros without end, packed.
    let endless = [0x28, 0xb5, 0x2f, 0xfd, 0x00, 0x58, 0x02, 0x00, 0x00, 0x00];
    assert!(forged(&endless).contains("packed"));
}

/// Checks that the keys of every map are in the order of their encoded bytes; returns how many keys there are.
fn keys_in_order(from: &mut Decoder<'_>) -> usize {
    let Type::Map = from.datatype().unwrap() else {
        from.skip().unwrap();
        return 0;
    };
    let (mut count, mut last) = (0, Vec::new());
    for _ in 0..from.map().unwrap().unwrap() {
        let at = from.position();
        from.skip().unwrap();
        let key = from.input()[at..from.position()].to_vec();
        assert!(last < key, "{last:?} before {key:?}");
        last = key;
        count += 1 + keys_in_order(from);
    }
    count
}

#[test]
fn the_maps_of_an_area_are_in_the_order_of_the_format() {
    let snapshot = played();
    let (_, bytes) = snapshot.areas().find(|(id, _)| *id == "west").unwrap();
    // Three kinds with three keys each, the time of one of them, and fourteen fields.
    assert_eq!(keys_in_order(&mut Decoder::new(bytes)), 3 + 3 * 3 + 1 + 14);
}
