//! Objects of a world to bytes and back: 200 areas of 500 objects. The floor is copying the same columns; the peers are
//! serialisers on a `Vec` of the same structs, which a game would use instead. They compare nothing and check nothing.
//! Without criterion: the medians of a few runs in turn are enough.

#![expect(clippy::disallowed_methods, reason = "time is what is measured")]

use std::hint::black_box;
use std::time::{Duration, Instant};

use keblin::{Area, ObjectId, WorldObject};
use serde::{Deserialize, Serialize};

keblin::schema!(world, "world.toml");

const RUNS: usize = 9;
const OBJECTS: u32 = 500;

/// An object as a game has it.
#[derive(Clone, WorldObject)]
#[world(world::kinds::crate_)]
struct Crate {
    #[world(id)]
    id: ObjectId,
    place: [f32; 3],
    turn: [f32; 4],
    drift: [f32; 3],
    load: i64,
    marks: i64,
    lit: bool,
}

/// A serialiser: its name, to bytes, and back.
type Peer = (&'static str, fn(&Vec<Plain>) -> Vec<u8>, fn(&[u8]) -> Option<Vec<Plain>>);

/// The same for serde.
#[derive(Serialize, Deserialize)]
struct Plain {
    id: u64,
    place: [f32; 3],
    turn: [f32; 4],
    drift: [f32; 3],
    load: i64,
    marks: i64,
    lit: bool,
}

fn crates(area: usize) -> Vec<Crate> {
    let one = |number: u32| {
        let at = number as f32 / 7.0;
        Crate {
            id: ObjectId::authored(number),
            place: [at, area as f32, -at],
            turn: [0.0, 0.0, at.sin(), at.cos()],
            drift: [0.5, at, 0.0],
            load: i64::from(number) * 31,
            marks: i64::from(number % 8),
            lit: number.is_multiple_of(3),
        }
    };
    (0..OBJECTS).map(one).collect()
}

fn plain(area: usize) -> Vec<Plain> {
    let of = crates(area).into_iter().zip(0_u64..);
    of.map(|(Crate { place, turn, drift, load, marks, lit, .. }, id)| Plain {
        id,
        place,
        turn,
        drift,
        load,
        marks,
        lit,
    })
    .collect()
}

fn took(look: impl FnOnce()) -> Duration {
    let begun = Instant::now();
    look();
    begun.elapsed()
}

fn median(mut times: Vec<Duration>) -> f64 {
    times.sort_unstable();
    times[times.len() / 2].as_secs_f64() * 1e6
}

fn line(what: &str, micros: f64, floor: f64) {
    println!("{what:48} {micros:10.1} µs {:8.2}", micros / floor);
}

fn main() {
    if std::env::args().any(|arg| arg == "--test") {
        return;
    }
    let areas: Vec<Area<world::Game>> = Area::all().collect();
    let mut game = world::Progress::new();
    let mut all: Vec<Vec<Crate>> = (0..areas.len()).map(crates).collect();
    for (area, crates) in areas.iter().zip(&mut all) {
        game.recall(*area, |area| area.objects(crates)).expect("a loaded area");
    }
    let (mut floor, mut out, mut one, mut back, mut cold) = (vec![], vec![], vec![], vec![], vec![]);
    let bytes = areas.len() * OBJECTS as usize * 65;
    let (from, mut to) = (vec![7_u8; bytes], vec![0_u8; bytes]);
    for run in 0..RUNS {
        floor.push(took(|| black_box(&mut to).copy_from_slice(black_box(&from))));
        all.iter_mut().flatten().for_each(|one| one.load += 1);
        out.push(took(|| {
            for (area, crates) in areas.iter().zip(&all) {
                game.record_area(*area, |area| area.objects(crates)).expect("finite numbers");
            }
        }));
        all[run].iter_mut().for_each(|one| one.load += 1);
        one.push(took(|| {
            game.record_area(areas[run], |area| area.objects(&all[run])).expect("finite numbers")
        }));
        for (area, crates) in areas.iter().zip(&all) {
            game.put_by(*area, |area| area.objects(crates)).expect("finite numbers");
        }
        back.push(took(|| {
            for (area, crates) in areas.iter().zip(&mut all) {
                game.recall(*area, |area| area.objects(crates)).expect("a readable area");
            }
        }));
        for (area, crates) in areas.iter().zip(&all) {
            game.put_by(*area, |area| area.objects(crates)).expect("finite numbers");
        }
        let mut made: Vec<Vec<Crate>> = vec![Vec::new(); areas.len()];
        cold.push(took(|| {
            for (area, crates) in areas.iter().zip(&mut made) {
                game.recall(*area, |area| area.objects(crates)).expect("a readable area");
            }
        }));
        all = made;
    }
    let floor = median(floor);
    println!("{} bytes of columns", bytes);
    line("copying the columns", floor, floor);
    line("200 areas recorded", median(out), floor);
    line("one area recorded", median(one), floor);
    let back = median(back);
    line("200 areas recalled into the game's structs", back, floor);
    line("the same, of one area", back / areas.len() as f64, floor);
    line("200 areas recalled into nothing, made again", median(cold), floor);

    let all: Vec<Vec<Plain>> = (0..areas.len()).map(plain).collect();
    let peers: [Peer; 4] = [
        (
            "postcard",
            |one| postcard::to_allocvec(one).unwrap_or_default(),
            |bytes| postcard::from_bytes(bytes).ok(),
        ),
        (
            "bitcode",
            |one| bitcode::serialize(one).unwrap_or_default(),
            |bytes| bitcode::deserialize(bytes).ok(),
        ),
        (
            "minicbor-serde",
            |one| minicbor_serde::to_vec(one).unwrap_or_default(),
            |bytes| minicbor_serde::from_slice(bytes).ok(),
        ),
        (
            "serde_json",
            |one| serde_json::to_vec(one).unwrap_or_default(),
            |bytes| serde_json::from_slice(bytes).ok(),
        ),
    ];
    for (name, write, read) in peers {
        let (mut out, mut back) = (vec![], vec![]);
        let bytes: Vec<Vec<u8>> = all.iter().map(write).collect();
        for _ in 0..RUNS {
            out.push(took(|| all.iter().for_each(|one| drop(black_box(write(one))))));
            back.push(took(|| bytes.iter().for_each(|one| drop(black_box(read(one))))));
        }
        line(&format!("{name}, to bytes"), median(out), floor);
        line(&format!("{name}, back"), median(back), floor);
    }
}
