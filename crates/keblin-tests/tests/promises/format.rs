//! The format: newer, foreign and unknown files are not mistaken for damaged ones, and every stored number is
//! compared with what it describes.

use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::Arc;

use keblin::save::{ReadError, SaveFile, SaveLimits, read, read_within, write};
use keblin::verify::verify;
use keblin::{Progress, Schema};
use minicbor::Decoder;
use minicbor::data::Type;

use crate::forged::{Forge, cbor};
use crate::round_trip::stamp;
use crate::tables::fen_post;

fn saved(schema: &Arc<Schema>) -> Vec<u8> {
    write(&Progress::new(Arc::clone(schema)).snapshot(), &stamp(1))
}

/// A forged file of the demo with the sections of a real one.
fn forged(file: &SaveFile<'_>) -> Forge {
    let mut forge = Forge::of("fen_post");
    for section in &file.sections {
        forge.section(section.name, true, 0, section.body);
    }
    forge
}

#[track_caller]
fn refusal(bytes: &[u8]) -> ReadError {
    read(bytes).map(|file| format!("{file:?}")).unwrap_err()
}

/// Changes every byte of some range once: the file is then damaged, and not something else.
#[track_caller]
fn damage_is_not_mistaken(bytes: &[u8], place: Range<usize>, schema: &Arc<Schema>) {
    for at in place {
        let mut spoilt = bytes.to_vec();
        spoilt[at] ^= 0x01;
        match verify(&spoilt, schema) {
            Ok(save) => assert!(save.fault().is_some(), "byte {at}: nothing was reported"),
            Err(error) => assert!(!error.is_refusal(), "byte {at}: {error}"),
        }
    }
}

#[test]
fn a_forged_file_reads_as_one_that_was_written() {
    let schema = fen_post();
    let bytes = saved(&schema);
    let forge = forged(&read(&bytes).unwrap()).state(1, 5).bytes.clone();
    assert!(verify(&forge, &schema).unwrap().snapshot() == verify(&bytes, &schema).unwrap().snapshot());
}

#[test]
fn a_newer_format_a_newer_version_and_a_foreign_game_are_told_apart_also_when_damaged() {
    let schema = fen_post();
    let bytes = saved(&schema);
    let sections = read(&bytes).unwrap().sections;
    let newer_format = Forge::in_format(2, "fen_post").state(1, 5).bytes.clone();
    assert_eq!(
        refusal(&newer_format).to_string(),
        "header, byte 11: written in format 2, but this library reads formats up to 1"
    );
    let draft = refusal(&Forge::in_format(0, "fen_post").bytes);
    assert_eq!(draft.to_string(), "header, byte 11: written in format 0, a draft that is no longer read");
    assert_eq!((draft.fault.code().as_str(), draft.is_refusal()), ("draft_format", true));
    let mut foreign = Forge::of("otter_brook");
    sections.iter().for_each(|section| _ = foreign.section(section.name, true, 0, section.body));
    let foreign = foreign.state(1, 5).bytes.clone();
    let newer_version = forged(&read(&bytes).unwrap()).state(1, 6).bytes.clone();
    let header = Forge::in_format(2, "fen_post").bytes.len();
    for (bytes, code) in
        [(newer_format, "newer_format"), (foreign, "other_game"), (newer_version, "newer_version")]
    {
        let error = verify(&bytes, &schema).unwrap_err();
        assert_eq!((error.fault.code().as_str(), error.is_refusal()), (code, true));
        // A newer format may have any bytes after its header.
        let known = if code == "newer_format" { header } else { bytes.len() };
        damage_is_not_mistaken(&bytes, 0..known, &schema);
    }
}

#[test]
fn what_a_later_version_wrote_and_needs_is_refused_also_behind_the_last_state() {
    let schema = fen_post();
    let bytes = saved(&schema);
    let file = read(&bytes).unwrap();
    let behind = |forge: &mut Forge| forge.block("patch", "patch", true, &[0x00]).bytes.clone();
    let cases = [
        (forged(&file).block("index", "index", true, &[0x80]).state(1, 5).bytes.clone(), "the block `index`"),
        (
            forged(&file).section("weather", true, 0, &[0x80]).state(1, 5).bytes.clone(),
            "the section `weather`",
        ),
        (
            forged(&file).section("weather", false, 7, &[0x80]).state(1, 5).bytes.clone(),
            "codec 7 of section `weather`",
        ),
        (
            forged(&file).block("profile", "section", true, &[0x81, 0x00]).state(1, 5).bytes.clone(),
            "a section of another shape",
        ),
        (behind(forged(&file).state(1, 5)), "the block `patch`"),
    ];
    for (bytes, what) in cases {
        let error = verify(&bytes, &schema).unwrap_err();
        assert!(error.is_refusal(), "{error}");
        let place = error.offset..error.offset + 20;
        let expected =
            format!("written by a later Keblin: {what} is required but not supported by this version");
        assert!(error.to_string().contains(&expected), "{error}");
        damage_is_not_mistaken(&bytes, place, &schema);
    }
}

#[test]
fn what_is_not_known_and_not_needed_is_carried_along_told_and_written_back() {
    let schema = fen_post();
    let bytes = saved(&schema);
    let mut forge = forged(&read(&bytes).unwrap());
    forge.section("weather", false, 0, &[0x82, 0x01, 0x02]).block(
        "index",
        "index",
        false,
        &[0x63, 0x61, 0x62, 0x63],
    );
    let places: Vec<_> =
        forge.rows.iter().rev().take(2).map(|row| usize::try_from(row.offset).unwrap()..).collect();
    let blocks: Vec<Vec<u8>> = places.iter().map(|place| forge.bytes[place.clone()].to_vec()).collect();
    let (index, weather) = (blocks[0].clone(), blocks[1][..blocks[1].len() - blocks[0].len()].to_vec());
    let save = verify(&forge.state(1, 5).bytes, &schema).unwrap();
    let told: Vec<String> = save.findings().iter().map(ToString::to_string).collect();
    assert_eq!(
        told,
        ["weather", "index"]
            .map(|name| format!("{name}: hint: unknown to this schema; preserved on save [carried_along]"))
    );
    // Played and saved twice by a game that knows nothing of them.
    let mut progress = save.into_progress();
    for number in 2..4 {
        progress.add(schema.field::<i64>("coppers").unwrap(), 5);
        let bytes = write(&progress.snapshot(), &stamp(number));
        for block in [&index, &weather] {
            assert!(bytes.windows(block.len()).any(|window| window == block), "a block was lost");
        }
        progress = verify(&bytes, &schema).unwrap().into_progress();
    }
    assert_eq!(progress.get(schema.field::<i64>("coppers").unwrap()), 130);
}

#[test]
fn every_number_that_is_stored_is_held_against_what_it_is_about() {
    let schema = fen_post();
    let bytes = saved(&schema);
    let file = read(&bytes).unwrap();
    let spoilt = |spoil: &dyn Fn(&mut Forge)| {
        let mut forge = forged(&file);
        spoil(&mut forge);
        forge.state(1, 5).bytes.clone()
    };
    let wrong_length = cbor(|out| {
        drop(out.array(4).unwrap().str("weather").unwrap().u32(0).unwrap().u64(5).unwrap().bytes(&[0x80]));
    });
    let mut wrong_foot = forged(&file).state(1, 5).bytes.clone();
    let number_at = wrong_foot.len() - 9;
    wrong_foot[number_at] ^= 0x02;
    let cases: [(&str, Vec<u8>, &str, &str); 9] = [
        (
            "the body's length",
            spoilt(&|f| _ = f.block("weather", "section", false, &wrong_length)),
            "weather",
            "expected 1 as the length of the body, but found 5",
        ),
        ("a row's length", spoilt(&|f| f.rows[1].length -= 1), "profile", "but found a block of "),
        ("a row's digest", spoilt(&|f| f.rows[1].digest[0] ^= 1), "profile", "their digest does not match"),
        (
            "a row's name",
            spoilt(&|f| f.rows[2].name = "pram".into()),
            "file",
            "expected section \"pram\", but found \"run\"",
        ),
        (
            "a row's offset",
            spoilt(&|f| (f.rows[1].offset, f.rows[1].length) = (f.rows[1].offset + 1, f.rows[1].length - 1)),
            "file",
            "expected the mark of a block",
        ),
        (
            "the header's row",
            spoilt(&|f| f.rows[0].digest[0] ^= 1),
            "state",
            "expected the header of this file first",
        ),
        (
            "the same section twice",
            spoilt(&|f| _ = f.section("run", true, 0, &[0x80])),
            "state",
            "expected each section once, but found \"run\" twice",
        ),
        (
            "no header's row",
            spoilt(&|f| drop(f.rows.remove(0))),
            "state",
            "expected the header of this file first",
        ),
        ("the foot", wrong_foot, "state", "the state's foot does not match the state"),
    ];
    for (what, bytes, section, message) in cases {
        let error = refusal(&bytes);
        assert_eq!(error.section, section, "{what}: {error}");
        assert!(error.to_string().contains(message), "{what}: {error}");
        assert!(
            error.to_string().starts_with(&format!("{section}, byte {}: ", error.offset)),
            "{what}: {error}"
        );
    }
}

#[test]
fn the_limits_are_the_readers_to_set() {
    let schema = fen_post();
    let bytes = saved(&schema);
    let mut limits = SaveLimits::default();
    assert!(read_within(&bytes, &limits).is_ok());
    limits.max_save_bytes = 100;
    let error = read_within(&bytes, &limits).unwrap_err();
    assert_eq!(
        error.to_string(),
        format!("file, byte 0: expected a save of at most 100 bytes, but found {}", bytes.len())
    );
    limits = SaveLimits::default();
    limits.max_rows = 2;
    let error = read_within(&bytes, &limits).unwrap_err();
    assert!(error.to_string().ends_with("expected a table of 1 to 2 rows, but found a list"), "{error}");
    limits = SaveLimits::default();
    limits.max_block_bytes = 300;
    assert_eq!(read_within(&bytes, &limits).unwrap_err().fault.code().as_str(), "too_large");
    limits = SaveLimits::default();
    limits.max_nesting = 1;
    assert_eq!(read_within(&bytes, &limits).unwrap_err().fault.code().as_str(), "too_deep");
}

#[test]
fn the_page_and_the_byte_table_say_the_same() {
    use keblin::save::layout;
    let page = crate::tables::read("docs/save-format.md");
    let hex = |bytes: &[u8]| bytes.iter().map(|byte| format!("{byte:02x}")).collect::<String>();
    let limits = SaveLimits::default();
    let facts = [
        format!("# The save file, format {}", layout::FORMAT),
        format!("| `85` | array of {} |", layout::HEADER_ITEMS),
        format!("| `db {}` | tag |", hex(&layout::BLOCK_MARK[1..])),
        format!("| `84`, `86` | array | of {} items or more |", layout::BLOCK_ITEMS),
        format!("Its content is an array of {}: name", layout::SECTION_CONTENT_ITEMS),
        format!("Its content is an array of {}:\n", layout::STATE_CONTENT_ITEMS),
        format!("A **digest** is {} bytes of", layout::DIGEST_BYTES),
        format!("the digests of at most {} states before it", layout::MAX_PREDECESSORS),
        format!("a byte string of {} bytes, the last {} bytes", layout::FOOT_BYTES, layout::FOOT_ITEM_BYTES),
        format!("the mark `{}`", hex(layout::FOOT_MARK)),
        format!(
            "at most {} MiB, {} rows, {} arrays and maps inside each other, looks through a damaged file at most {} times over, and passes over at most {} damaged places",
            limits.max_save_bytes >> 20,
            limits.max_rows,
            limits.max_nesting,
            limits.max_passes,
            limits.max_damaged
        ),
        format!("at most {} MiB.\n", keblin::snapshot::MAX_PICTURE_BYTES >> 20),
    ];
    let flat = page.split_whitespace().collect::<Vec<_>>().join(" ");
    for fact in facts {
        let fact = fact.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(&fact), "the page does not say {fact:?}");
    }
}

/// Collects the keys of a map and of the maps inside it, down to those that the game declares.
fn keys(map: &mut Decoder<'_>, found: &mut BTreeSet<String>) {
    for _ in 0..map.map().unwrap().unwrap() {
        let key = map.str().unwrap().to_string();
        match (key.as_str(), map.datatype().unwrap()) {
            ("fields" | "unlocked" | "told" | "entry" | "at_checkpoint", _) => map.skip().unwrap(),
            ("collected" | "opened", Type::Map) => map.skip().unwrap(),
            (_, Type::Map) => keys(map, found),
            _ => map.skip().unwrap(),
        }
        found.insert(key);
    }
}

#[test]
fn the_page_lists_what_each_section_holds() {
    let page = crate::tables::read("docs/save-format.md");
    // With a star that has an id and a level that latches, a profile has every key; with save points, a run.
    let more = "version = 5\nstars_by = 'each'\ncheckpoint_lasts = 'run'";
    let text = crate::tables::read("demo/progress.toml").replace("version = 5", more);
    let star = "stars = [{ id = 'arrived', when = 'true' }]\nlatch = true";
    let schema =
        Arc::new(Schema::parse("progress.toml", &text.replacen("stars = 3", star, 1)).unwrap().schema);
    let mut game = Progress::new(Arc::clone(&schema));
    game.begin(None).unwrap();
    game.enter(schema.level("reedgate").unwrap()).unwrap();
    let bytes = write(&game.snapshot(), &stamp(1));
    let ids: Vec<&str> = schema.levels.iter().map(|level| level.name.as_str()).collect();
    let file = read(&bytes).unwrap();
    for (name, values) in [("profile", &[][..]), ("run", &["playing", "down", "left", "finished"])] {
        let section = file.sections.iter().find(|section| section.name == name).unwrap();
        let mut held = BTreeSet::new();
        keys(&mut Decoder::new(section.body), &mut held);
        held.retain(|key| !ids.contains(&key.as_str()) && schema.difficulty(key).is_err());
        let at = page.find(&format!("- **`{name}`**: ")).unwrap();
        let words = page[at..].split("\n- ").next().unwrap().split('`').skip(3).step_by(2);
        // The state of a visit is a value, not a key.
        let listed = words.filter(|word| !values.contains(word)).map(ToString::to_string).collect();
        assert_eq!(held, listed, "{name}");
    }
}
