//! Hostile bytes: whatever they claim, reading ends soon and needs only as much memory as the file justifies.

use std::time::Instant;

use keblin::Progress;
use keblin::save::layout::BLOCK_MARK;
use keblin::save::{read, write};
use keblin::verify::{examine, salvage, verify};

use crate::forged::{Forge, Row, cbor};
use crate::round_trip::stamp;
use crate::steps::parsed;
use crate::tables::fen_post;

/// How many times the file's length reading may take as memory.
const MAX_TIMES_FILE: usize = 3;

/// A fixed amount of memory that anything may take in addition.
const ROOM_BYTES: usize = 1 << 20;

/// Reads bytes in every possible way; returns the code of the error.
#[track_caller]
#[expect(clippy::print_stdout, reason = "what was measured is for people to read")]
fn refused(name: &str, bytes: &[u8]) -> &'static str {
    let schema = fen_post();
    // The first read also makes the schema's plan.
    let _ = verify(&write(&Progress::new(schema.clone()).snapshot(), &stamp(1)), &schema);
    let begun = Instant::now();
    let mut code = "";
    let taken = allocation_counter::measure(|| {
        code = verify(bytes, &schema).err().map_or("read", |error| error.fault.code().as_str());
        drop(examine(bytes, &schema));
        drop(salvage(bytes, &schema));
    });
    let (len, most) = (bytes.len(), usize::try_from(taken.bytes_max).unwrap());
    println!("{name}: {len} bytes, {code}, at most {most} bytes held, {:?}", begun.elapsed());
    assert!(most <= MAX_TIMES_FILE * len + ROOM_BYTES, "{name}: {most} bytes for a file of {len}");
    code
}

/// Returns a forged file of the demo with its own profile.
fn with_profile(body: &[u8]) -> Vec<u8> {
    let bytes = write(&Progress::new(fen_post()).snapshot(), &stamp(1));
    let file = read(&bytes).unwrap();
    let run = file.sections.iter().find(|section| section.name == "run").unwrap().body.to_vec();
    Forge::of("fen_post")
        .section("profile", true, 0, body)
        .section("run", true, 0, &run)
        .state(1, 5)
        .bytes
        .clone()
}

#[test]
fn nesting_ten_thousand_deep_is_refused() {
    for (name, open) in [("arrays", 0x81), ("maps", 0xa1)] {
        let key: &[u8] = if open == 0xa1 { &[0x61, 0x61] } else { &[] };
        let mut deep: Vec<u8> = [&[open], key].concat().repeat(10_000);
        deep.push(0x00);
        // In the map of a section, in a block's content, and as tags, which are nested items too.
        let body = [&[0xa1, 0x61, 0x61][..], &deep].concat();
        assert_eq!(refused(&format!("{name} in a section"), &with_profile(&body)), "too_deep");
        let block = Forge::of("fen_post").block("deep", "deep", true, &deep).state(1, 5).bytes.clone();
        assert_eq!(refused(&format!("{name} in a block"), &block), "too_deep");
    }
    let tags = [vec![0xc1; 10_000], vec![0x00]].concat();
    let block = Forge::of("fen_post").block("tags", "tags", true, &tags).state(1, 5).bytes.clone();
    assert_eq!(refused("tags in a block", &block), "later_keblin");
}

#[test]
fn lengths_beyond_all_memory_are_refused() {
    let huge = (1_u64 << 63).to_be_bytes();
    for (name, head) in [("bytes", 0x5b), ("text", 0x7b), ("array", 0x9b), ("map", 0xbb)] {
        let body = [&[head][..], &huge].concat();
        assert_eq!(
            refused(&format!("{name} of 2^63 in a section"), &with_profile(&body)).len(),
            if head == 0xbb { 3 } else { 10 }
        );
        let block = [&Forge::of("fen_post").bytes[..], BLOCK_MARK, &body].concat();
        refused(&format!("{name} of 2^63 in a block"), &block);
    }
    let rows = cbor(|out| drop(out.array(1 << 63)));
    assert_eq!(refused("a file of one array of 2^63", &rows), "not_a_save");
    let mut foot = Forge::of("fen_post").section("profile", true, 0, &[0xa0]).state(1, 5).bytes.clone();
    let length_at = foot.len() - 24;
    foot[length_at..length_at + 8].copy_from_slice(&huge);
    assert_eq!(refused("a foot of 2^63", &foot), "foot");
}

#[test]
fn tables_that_point_outside_overlap_or_loop_are_refused() {
    let table = |spoil: &dyn Fn(&mut Vec<Row>)| {
        let mut forge = Forge::of("fen_post");
        forge.section("profile", true, 0, &[0xa0]).section("run", true, 0, &[0xa0]);
        spoil(&mut forge.rows);
        forge.state(1, 5).bytes.clone()
    };
    let cases: [(&str, Vec<u8>); 7] = [
        ("after the file", table(&|rows| rows[2].offset = 1 << 40)),
        ("at 2^64", table(&|rows| (rows[2].offset, rows[2].length) = (u64::MAX, u64::MAX))),
        ("longer than the file", table(&|rows| rows[2].length = 1 << 40)),
        ("the same twice", table(&|rows| rows[2] = rows[1].clone())),
        ("overlapping", table(&|rows| rows[2].offset -= 1)),
        ("backwards", table(&|rows| rows.swap(1, 2))),
        ("itself", table(&|rows| rows[2].offset += rows[2].length)),
    ];
    for (name, bytes) in cases {
        assert_eq!(refused(name, &bytes), "unexpected");
    }
    let many = table(&|rows| *rows = rows.iter().cycle().take(100_000).cloned().collect());
    assert_eq!(refused("100,000 rows", &many), "unexpected");
}

#[test]
fn a_million_tiny_blocks_and_as_many_false_marks_end_soon() {
    let mut forge = Forge::of("fen_post");
    let tiny = {
        let mut one = Forge::of("x");
        let start = one.bytes.len();
        one.block("x", "x", false, &[0x00]).bytes[start..].to_vec()
    };
    forge.bytes.extend(tiny.repeat(1_000_000));
    assert_eq!(refused("a million tiny blocks", &forge.bytes), "cut");
    // States that name only the header: each must be examined, but none has what a save needs.
    let mut forge = Forge::of("fen_post");
    for number in 0..20_000 {
        forge.rows.truncate(1);
        forge.state(number, 5);
    }
    assert_eq!(refused("20,000 empty states", &forge.bytes), "cut");
    // Marks that each claim everything after them as their content: examining each to its end would take days.
    let mut forge = Forge::of("fen_post");
    let (start, count) = (forge.bytes.len(), 200_000);
    let each = BLOCK_MARK.len() + 9;
    let end = start + count * each;
    for _ in 0..count {
        let here = forge.bytes.len();
        let claimed = u32::try_from(end - here - each).unwrap();
        forge.bytes.extend(BLOCK_MARK);
        forge.bytes.extend([0x84, 0x61, 0x78, 0xf4, 0x5a]);
        forge.bytes.extend(claimed.to_be_bytes());
    }
    forge.bytes.extend([0x58, 0x20]);
    forge.bytes.extend([0; 32]);
    refused("200,000 marks inside each other", &forge.bytes);
    let error = verify(&forge.bytes, &fen_post()).unwrap_err();
    assert!(["digest", "searched_too_long"].contains(&error.fault.code().as_str()), "{error}");
}

const EVERYTHING: &str = "game = 'marsh'\nversion = 1\ncheckpoint_lasts = 'run'\n[lists]\nrunes = ['oak', 'ash']\n\
    [shapes.entry]\nmembers = { who = { type = 'text', max_len = 3 }, on = { type = 'date' }, \
    marks = { type = 'list', of = 'int', max_items = 2 }, runes = { type = 'map', key = 'runes', of = 'int', max_items = 2 } }\n\
    [fields]\ncoins = { type = 'int', scope = 'run', on_death = 'entry' }\n\
    since = { type = 'instant', scope = 'level', on_death = 'checkpoint' }\n\
    best = { type = 'int', scope = 'profile', keep = 'highest', places = 2, with = 'entry' }\n\
    [[levels]]\nid = 'ford'\ncheckpoints = ['fire']\n[[levels]]\nid = 'wood'\n";

/// Every byte of a save with save points, days, instants and entries of a table, changed under digests that match.
#[test]
fn a_changed_byte_under_a_matching_digest_is_refused_or_can_be_played() {
    let schema = std::sync::Arc::new(parsed(EVERYTHING));
    let shape = |text| schema.written(keblin::kind::Kind::Shape(0).into(), text).unwrap();
    let mut game = Progress::new(std::sync::Arc::clone(&schema));
    let best: keblin::Field<Option<i64>> = schema.field("best").unwrap();
    game.submit_with(best, 9, shape("{ who = 'ANN', on = '2026-11-29', marks = [7], runes = { ash = 3 } }"));
    game.begin_replacing(None);
    let ford = schema.level("ford").unwrap();
    game.enter(ford).unwrap();
    let since: keblin::Field<Option<keblin::Instant>> = schema.field("since").unwrap();
    game.set(since, keblin::Instant::from_unix_ms(1_790_000_000_000).unwrap());
    game.reach(schema.checkpoint(ford, "fire").unwrap()).unwrap();
    game.enter(schema.level("wood").unwrap()).unwrap();
    let bytes = write(&game.snapshot(), &stamp(1));
    let file = read(&bytes).unwrap();
    let body = |name: &str| file.sections.iter().find(|section| section.name == name).unwrap().body.to_vec();
    let bodies = [body("profile"), body("run")];
    let (mut opened, mut refused) = (0, 0);
    for (section, at) in (0..2).flat_map(|section| (0..bodies[section].len()).map(move |at| (section, at))) {
        for change in [0x01, 0x20, 0x80, 0xff] {
            let mut bodies = bodies.clone();
            bodies[section][at] ^= change;
            let forged = Forge::of("marsh")
                .section("profile", true, 0, &bodies[0])
                .section("run", true, 0, &bodies[1])
                .state(1, 1)
                .bytes
                .clone();
            let Ok(save) = verify(&forged, &schema) else {
                refused += 1;
                continue;
            };
            opened += 1;
            let mut game = save.into_progress();
            _ = game.resume();
            game.die();
            _ = game.respawn();
            let again = write(&game.snapshot(), &stamp(2));
            assert!(verify(&again, &schema).is_ok(), "section {section}, byte {at}, {change:#x}");
        }
    }
    assert!(opened > 100 && refused > 100, "{opened} opened, {refused} refused");
}
