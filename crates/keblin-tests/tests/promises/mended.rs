//! Files with a changed structure and matching digests: blocks left out, doubled or swapped, with other words, flags,
//! names, codecs and lengths; rows of tables changed; values exchanged. Flipped bytes never reach these cases. Each
//! file is opened, played, saved and opened again.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;

use keblin::save::layout::BLOCK_MARK;
use keblin::save::read;
use keblin::store::OpenError;
use keblin::store::backend::{Backend, Memory};
use keblin::verify::{examine, salvage, verify};
use keblin::{Keeper, Schema};
use minicbor::Decoder;

use crate::forged::Forge;
use crate::keepers::slot_on;
use crate::{golden, tables};

/// How many changes each golden file gets.
const MUTATIONS: usize = 200;

/// A block in a file: its word, whether it is mandatory, its content, and its name if it is a section.
#[derive(Clone)]
struct Block {
    word: String,
    mandatory: bool,
    name: String,
    codec: u32,
    body: Vec<u8>,
}

/// Returns the sections of the last state of a file.
fn blocks(bytes: &[u8]) -> Vec<Block> {
    let file = read(bytes).unwrap();
    let block = |section: &keblin::save::Section<'_>| Block {
        word: "section".to_string(),
        mandatory: section.name != "picture",
        name: section.name.to_string(),
        codec: 0,
        body: section.body.to_vec(),
    };
    file.sections.iter().map(block).collect()
}

/// Changes an item of a body to another one of the same or another type, or a map to one with a missing or repeated
/// key.
fn change_value(random: &mut fastrand::Rng, body: &mut Vec<u8>) {
    // The offsets of the items.
    let mut starts = Vec::new();
    let mut decoder = Decoder::new(body);
    while decoder.position() < body.len() {
        let at = decoder.position();
        starts.push(at);
        let is_open = match decoder.datatype() {
            Ok(minicbor::data::Type::Map) => decoder.map().is_ok(),
            Ok(minicbor::data::Type::Array) => decoder.array().is_ok(),
            _ => decoder.skip().is_ok(),
        };
        if !is_open {
            break;
        }
    }
    let end = |at: usize| {
        let mut decoder = Decoder::new(body);
        decoder.set_position(at);
        decoder.skip().map_or(at + 1, |()| decoder.position())
    };
    if starts.is_empty() {
        return;
    }
    let at = starts[random.usize(..starts.len())];
    let whole = at..end(at).min(body.len());
    let other = starts[random.usize(..starts.len())];
    let other = body[other..end(other).min(body.len())].to_vec();
    let replacement: Vec<u8> = match random.u8(..9) {
        0 => vec![0xf6],
        1 => vec![0x1b, 0x7f, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff],
        2 => vec![0x3b, 0x7f, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff],
        3 => vec![0xf9, 0x7e, 0x00],
        4 => b"\x66unlock".to_vec(),
        5 => vec![0x80],
        6 => vec![0xa0],
        7 => Vec::new(),
        _ => other,
    };
    body.splice(whole, replacement);
}

/// Returns a file with the changed blocks and matching digests.
fn mutated(random: &mut fastrand::Rng, game: &str, version: u32, bytes: &[u8]) -> Vec<u8> {
    let mut blocks = blocks(bytes);
    let format = if random.u8(..40) == 0 { 2 } else { 1 };
    for _ in 0..random.usize(1..4) {
        let count = blocks.len();
        if count == 0 {
            break;
        }
        let at = random.usize(..count);
        match random.u8(..12) {
            0 => drop(blocks.remove(at)),
            1 => blocks.push(blocks[at].clone()),
            2 => blocks.swap(at, random.usize(..count)),
            3 => {
                blocks[at].word = ["state", "erasures", "weather", "sections"][random.usize(..4)].to_string()
            }
            4 => blocks[at].mandatory = !blocks[at].mandatory,
            5 => {
                blocks[at].name =
                    ["profile", "run", "device", "area.fens", "x"][random.usize(..5)].to_string()
            }
            6 => blocks[at].codec = random.u32(..3),
            7 => {
                let len = blocks[at].body.len();
                blocks[at].body.truncate(random.usize(..len.max(1)));
            }
            _ if blocks[at].body.len() < 100_000 => change_value(random, &mut blocks[at].body),
            _ => {}
        }
    }
    let mut forge = Forge::in_format(format, game);
    for block in &blocks {
        match block.word.as_str() {
            "section" => {
                forge.section(&block.name, block.mandatory, block.codec, &block.body);
            }
            word => {
                let content = if block.body.is_empty() { &[0xf6][..] } else { &block.body };
                forge.block(&block.name, word, block.mandatory, content);
            }
        }
    }
    match random.u8(..20) {
        0 => {
            let len = forge.rows.len();
            forge.rows.swap(0, len - 1);
        }
        1 => drop(forge.rows.pop()),
        2 => {
            let len = forge.rows.len();
            forge.rows[len - 1].offset ^= 1;
        }
        3 => forge.rows.iter_mut().for_each(|row| row.name = "profile".to_string()),
        4 => forge.rows.iter_mut().for_each(|row| row.length = row.length.wrapping_add(1)),
        _ => {}
    }
    let numbers = [0, 1, 7, u64::MAX];
    forge.state(numbers[random.usize(..4)], version + u32::from(random.u8(..30) == 0));
    if random.u8(..6) == 0 {
        forge.bytes.extend_from_slice(&vec![0; random.usize(..5000)]);
    }
    if random.u8(..10) == 0 {
        forge.bytes.extend_from_slice(BLOCK_MARK);
    }
    forge.bytes.clone()
}

/// The result for a file.
fn came_of(schema: &Arc<Schema>, bytes: &[u8]) -> &'static str {
    drop(examine(bytes, schema));
    drop(salvage(bytes, schema));
    let files = Memory::of([("saves/otter.keblin".into(), bytes.to_vec())]);
    let slot = slot_on(&(Arc::new(files.clone()) as Arc<dyn Backend>));
    let mut game = match Keeper::open(&slot, schema) {
        Ok(game) => game,
        Err(OpenError::Refused { .. }) => {
            assert_eq!(files.files()[&slot.path()], bytes, "what is refused is left untouched");
            return "refused";
        }
        Err(OpenError::Damaged(ruin)) => {
            assert_eq!(files.files()[&slot.path()], bytes, "nothing is changed before the player agrees");
            drop(ruin.start_fresh().unwrap());
            return "damaged";
        }
        Err(other) => panic!("{other}"),
    };
    game.begin_replacing(None);
    if let Some(level) = schema.level_at(0) {
        drop(game.enter(level));
    }
    drop(game.die());
    drop(game.respawn());
    drop(game.finish());
    game.save_now().unwrap();
    game.tick(std::time::Duration::from_secs(100));
    game.save_now().unwrap();
    let expected = game.snapshot();
    game.close().unwrap();
    let opened = Keeper::open(&slot, schema).unwrap();
    assert!(opened.snapshot() == expected, "what was played comes back as something else");
    "opened"
}

#[test]
fn files_changed_in_their_structure_open_are_refused_or_are_damaged_and_play_on() {
    let schema = Arc::new(
        Schema::parse("every_type.toml", &tables::read("data/golden/every_type.toml")).unwrap().schema,
    );
    let mut counts = std::collections::BTreeMap::<&str, usize>::new();
    for (name, golden) in golden::files() {
        let mut random = fastrand::Rng::with_seed(name.len() as u64);
        for number in 0..MUTATIONS {
            let bytes = mutated(&mut random, "reed_bed", 1, &golden);
            let came = catch_unwind(AssertUnwindSafe(|| came_of(&schema, &bytes)));
            let came = came.unwrap_or_else(|_| panic!("mutation {number} of {name}"));
            *counts.entry(came).or_default() += 1;
            // What was read once is read again.
            let _ = verify(&bytes, &schema);
        }
    }
    println!("{counts:?}");
    assert!(counts.len() == 3 && counts.values().all(|count| *count > 50), "{counts:?}");
}
