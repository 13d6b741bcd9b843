//! A bounded run of the fuzz targets: every golden and broken file, and thousands of mutations of them.

use std::fs;

use crate::long::tries;
use crate::tables::project;

#[path = "../../../../fuzz/look.rs"]
mod look;

#[path = "../../../../fuzz/look_texts.rs"]
mod look_texts;

use look_texts::As;

/// Returns the files of a folder of saves, as whole files and as their parts.
fn seeds() -> Vec<Vec<u8>> {
    let mut seeds = Vec::new();
    for folder in ["data/golden", "data/broken"] {
        let mut paths: Vec<_> =
            fs::read_dir(project(folder)).unwrap().map(|entry| entry.unwrap().path()).collect();
        paths.sort();
        for path in paths.iter().filter(|path| path.extension().is_some_and(|ending| ending == "keblin")) {
            let bytes = fs::read(path).unwrap();
            if let Ok(file) = keblin::save::read(&bytes) {
                for section in &file.sections {
                    let way = match section.name {
                        "profile" => 1,
                        "run" => 2,
                        "device" => 3,
                        _ => 4,
                    };
                    seeds.push([&[way], section.body].concat());
                }
            }
            seeds.push([&[0][..], &bytes].concat());
        }
    }
    seeds
}

/// Returns a seed with a few bytes changed, removed, doubled, or taken from another seed.
fn mutated(random: &mut fastrand::Rng, seeds: &[Vec<u8>]) -> Vec<u8> {
    let mut bytes = seeds[random.usize(..seeds.len())].clone();
    for _ in 0..random.usize(1..4) {
        let len = bytes.len();
        if len < 3 {
            break;
        }
        let (from, to) = (random.usize(1..len), random.usize(1..len));
        let (from, to) = (from.min(to), from.max(to));
        match random.u8(..6) {
            0 => bytes[from] ^= 1 << random.u8(..8),
            1 => bytes[from] = random.u8(..),
            2 => drop(bytes.drain(from..to)),
            3 => {
                let piece = bytes[from..to].to_vec();
                bytes.splice(from..from, piece);
            }
            4 => {
                let other = &seeds[random.usize(..seeds.len())];
                let piece = &other[random.usize(..other.len())..];
                bytes.splice(from.., piece.iter().copied());
            }
            _ => {
                bytes[from] = [0x00, 0x18, 0x1b, 0x5b, 0x7b, 0x9b, 0xbb, 0xf6, 0xfb, 0xff][random.usize(..10)]
            }
        }
    }
    bytes
}

#[test]
fn mutations_of_all_saves_are_read_without_a_panic_and_written_back_the_same() {
    let seeds = seeds();
    let mut random = fastrand::Rng::with_seed(7);
    let (mut read, mut refused) = (0, 0);
    for seed in &seeds {
        look::look(seed);
    }
    let rounds = tries(800, 6_000);
    for round in 0..rounds {
        let mut bytes = mutated(&mut random, &seeds);
        if round % 7 == 0 {
            bytes[0] = random.u8(..look::WAYS);
        }
        match look::look(&bytes) {
            true => read += 1,
            false => refused += 1,
        }
    }
    println!("{} seeds, {read} mutations read, {refused} refused", seeds.len());
    assert!(read > rounds / 50 && refused > rounds / 50, "{read} read, {refused} refused");
}

/// Returns the texts of folders as a whole, and for conditions each text in them.
fn texts(folders: &[&str], ending: &str) -> Vec<String> {
    let mut texts = Vec::new();
    for folder in folders {
        let entries = fs::read_dir(project(folder)).unwrap().map(|entry| entry.unwrap().path());
        let mut paths: Vec<_> =
            entries.filter(|path| path.extension().is_some_and(|found| found == ending)).collect();
        paths.sort();
        texts.extend(paths.iter().map(|path| fs::read_to_string(path).unwrap()));
    }
    texts
}

/// Returns a text with a few words or characters changed, removed, doubled, or taken from another.
fn changed(random: &mut fastrand::Rng, seeds: &[String]) -> String {
    let mut text: Vec<char> = seeds[random.usize(..seeds.len())].chars().collect();
    for _ in 0..random.usize(1..4) {
        let len = text.len();
        if len < 3 {
            break;
        }
        let from = random.usize(..len);
        let to = (from + 1 + random.usize(..20)).min(len);
        let other: Vec<char> = seeds[random.usize(..seeds.len())].chars().collect();
        let piece: Vec<char> = other[random.usize(..other.len())..].iter().take(20).copied().collect();
        match random.u8(..5) {
            0 => text[from] = char::from(random.u8(32..127)),
            1 => drop(text.drain(from..to)),
            2 => drop(text.splice(from..from, piece)),
            3 => drop(text.splice(from..to, piece)),
            _ => drop(text.splice(from..to, random.i64(..).to_string().chars())),
        }
    }
    text.into_iter().collect()
}

#[test]
fn mutations_of_all_texts_are_taken_or_complained_about() {
    let declarations = texts(&["demo", "demo/frozen", "data/planted", "data/golden"], "toml");
    let conditions: Vec<String> = declarations
        .iter()
        .flat_map(|text| text.split('"').skip(1).step_by(2))
        .filter(|text| text.contains(['<', '=', '>', '&', '.']))
        .map(str::to_string)
        .collect();
    let ways = [
        (As::Declaration, declarations, tries(100, 700)),
        (As::Steps, texts(&["demo/migrations"], "toml"), tries(60, 200)),
        (As::Condition, conditions, tries(1_000, 6_000)),
        (As::Rehearsal, texts(&["demo/rehearsals"], "txt"), tries(100, 500)),
    ];
    let mut random = fastrand::Rng::with_seed(11);
    for (taken_as, seeds, rounds) in ways {
        let mut taken = seeds.iter().filter(|seed| look_texts::look(seed, taken_as)).count();
        for _ in 0..rounds {
            taken += usize::from(look_texts::look(&changed(&mut random, &seeds), taken_as));
        }
        println!("{taken_as:?}: {} seeds, {taken} of {rounds} mutations taken", seeds.len());
        assert!(taken > rounds / 50 && taken < rounds, "{taken_as:?}: {taken} of {rounds}");
    }
}
