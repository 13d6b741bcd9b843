//! Broken files: one for each kind of damage and of hostile bytes, with the tool's report next to them. Each is made
//! here again and compared, so that you can read in code what is broken about it.

use std::path::{Path, PathBuf};

use keblin::save::layout::BLOCK_MARK;
use keblin::save::read;

use crate::forged::{Forge, Row, cbor};
use crate::golden;

fn broken() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../data/broken")
}

fn golden_file(name: &str) -> Vec<u8> {
    golden::files().into_iter().find(|(file, _)| *file == name).map(|(_, bytes)| bytes).unwrap_or_default()
}

/// A file with one byte changed.
fn changed(bytes: &[u8], at: usize) -> Vec<u8> {
    let mut bytes = bytes.to_vec();
    bytes[at] ^= 0x01;
    bytes
}

/// A forged file with the sections of a golden one.
fn forged(game: &str, version: u32, spoil: impl FnOnce(&mut Forge)) -> Vec<u8> {
    let bytes = golden_file("every_type");
    let mut forge = Forge::of(game);
    for section in &read(&bytes).unwrap().sections {
        forge.section(section.name, true, 0, section.body);
    }
    spoil(&mut forge);
    forge.state(1, version).bytes.clone()
}

/// Every broken file: its name, and its bytes.
pub(crate) fn files() -> Vec<(&'static str, Vec<u8>)> {
    let (one, three) = (golden_file("every_type"), golden_file("three_states"));
    let file = read(&one).unwrap();
    let last = read(&three).unwrap();
    let (profile, run) = (file.sections[0].body_offset, file.sections[1].body_offset);
    let end = one.len();
    let deep = [&[0xa1, 0x61, 0x61][..], &[0x81; 10_000], &[0x00]].concat();
    let huge = [&[0xbb][..], &(1_u64 << 63).to_be_bytes()].concat();
    let row = |spoil: fn(&mut [Row])| forged("reed_bed", 1, |forge| spoil(&mut forge.rows));
    let with_profile = |body: &[u8]| {
        let run = file.sections[1].body;
        Forge::of("reed_bed")
            .section("profile", true, 0, body)
            .section("run", true, 0, run)
            .state(1, 1)
            .bytes
            .clone()
    };
    vec![
        ("empty", Vec::new()),
        ("no_save", b"a text that somebody called a save".to_vec()),
        ("header_changed", changed(&one, 14)),
        ("header_digest_changed", changed(&one, 40)),
        ("mark_changed", changed(&one, profile - 33)),
        ("word_changed", changed(&one, profile - 20)),
        ("profile_changed", changed(&one, profile + 60)),
        ("run_changed", changed(&one, run + 30)),
        ("state_changed", changed(&one, file.head.offset + 40)),
        ("state_digest_changed", changed(&one, end - 40)),
        ("foot_changed", changed(&one, end - 12)),
        ("cut_in_the_header", one[..30].to_vec()),
        ("cut_in_the_profile", one[..profile + 100].to_vec()),
        ("cut_in_the_state", one[..end - 100].to_vec()),
        ("cut_by_a_byte", one[..end - 1].to_vec()),
        ("seal_changed", changed(&golden_file("sealed"), golden_file("sealed").len() - 40)),
        ("last_of_three_states_changed", changed(&three, last.head.offset + 40)),
        ("last_of_three_states_cut", three[..three.len() - 50].to_vec()),
        ("first_of_three_states_changed", changed(&three, profile + 60)),
        ("bytes_behind_the_state", [&one[..], b"and something else"].concat()),
        ("spliced", [&one[..end / 2], &three[end / 2..]].concat()),
        ("nested_deep", with_profile(&deep)),
        ("map_of_2_to_63", with_profile(&huge)),
        ("block_of_2_to_63", [&Forge::of("reed_bed").bytes[..], BLOCK_MARK, &huge].concat()),
        ("table_points_outside", row(|rows| rows[2].offset = 1 << 40)),
        ("table_overlaps", row(|rows| rows[2].offset -= 1)),
        ("table_goes_back", row(|rows| rows.swap(1, 2))),
        ("table_of_another_section", row(|rows| rows[1].digest = rows[2].digest)),
        (
            "no_run",
            Forge::of("reed_bed")
                .section("profile", true, 0, file.sections[0].body)
                .state(1, 1)
                .bytes
                .clone(),
        ),
        (
            "value_of_another_type",
            with_profile(&cbor(|out| drop(out.map(1).unwrap().str("played").unwrap().bool(true)))),
        ),
        ("newer_format", Forge::in_format(2, "reed_bed").state(1, 1).bytes.clone()),
        ("newer_version", forged("reed_bed", 2, |_| {})),
        ("other_game", forged("otter_brook", 1, |_| {})),
        (
            "needed_block_not_known",
            forged("reed_bed", 1, |forge| _ = forge.block("index", "index", true, &[0x80])),
        ),
        ("codec_not_known", forged("reed_bed", 1, |forge| _ = forge.section("weather", true, 7, &[0x80]))),
    ]
}

#[test]
fn each_broken_file_is_what_its_name_says() {
    let mut names: Vec<String> = files().iter().map(|(name, _)| format!("{name}.keblin")).collect();
    for (name, bytes) in files() {
        let path = broken().join(format!("{name}.keblin"));
        let held = std::fs::read(&path).unwrap_or_else(|error| panic!("{path:?}: {error}"));
        assert!(held == bytes, "{name} is not as it is made here");
    }
    let entries = std::fs::read_dir(broken()).unwrap().map(|entry| entry.unwrap().file_name());
    let mut held: Vec<String> = entries.filter_map(|name| name.into_string().ok()).collect();
    held.retain(|name| name.ends_with(".keblin"));
    names.sort();
    held.sort();
    assert_eq!(held, names);
}
