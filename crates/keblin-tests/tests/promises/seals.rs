//! Seals: a game with a key recognises the states that it wrote.

use std::sync::Arc;

use keblin::save::{Seal, SealKey, read, write, write_after, write_sealed};
use keblin::verify::verify_sealed;
use keblin::{Progress, SaveDir, Schema};

use crate::round_trip::stamp;
use crate::tables::fen_post;

fn key(byte: u8) -> SealKey {
    SealKey::new(&[byte; 32]).unwrap()
}

fn sealed(schema: &Arc<Schema>) -> Vec<u8> {
    write_sealed(&Progress::new(Arc::clone(schema)).snapshot(), &stamp(1), &key(7))
}

#[track_caller]
fn told(bytes: &[u8], schema: &Arc<Schema>, key: Option<&SealKey>) -> (Seal, Vec<&'static str>) {
    let save = verify_sealed(bytes, schema, key).unwrap();
    (save.seal(), save.findings().iter().map(|finding| finding.code.as_str()).collect())
}

#[test]
fn a_seal_holds_for_the_key_it_was_made_with_and_no_other() {
    let schema = fen_post();
    let bytes = sealed(&schema);
    let plain = write(&Progress::new(Arc::clone(&schema)).snapshot(), &stamp(1));
    assert_eq!(told(&bytes, &schema, Some(&key(7))), (Seal::Holds, vec![]));
    assert_eq!(told(&bytes, &schema, Some(&key(8))), (Seal::Broken, vec!["seal_broken"]));
    assert_eq!(told(&bytes, &schema, None), (Seal::NotChecked, vec!["seal_not_checked"]));
    assert_eq!(told(&plain, &schema, Some(&key(7))), (Seal::None, vec!["seal_missing"]));
    assert_eq!(told(&plain, &schema, None), (Seal::None, vec![]));
    assert_eq!(sealed(&schema), bytes, "the same snapshot and key give the same bytes");
}

#[test]
fn a_seal_of_one_state_is_none_of_another() {
    let schema = fen_post();
    let mut game = Progress::new(Arc::clone(&schema));
    let first = sealed(&schema);
    game.set(schema.field::<i64>("coppers").unwrap(), 999);
    let second = write_after(&read(&first).unwrap(), &game.snapshot(), &stamp(2), Some(&key(7)));
    let both = [&first[..], &second].concat();
    assert_eq!(told(&both, &schema, Some(&key(7))).0, Seal::Holds);
    // The seal of the first state in place of the second's, with a matching foot.
    let seal_at =
        |bytes: &[u8]| bytes.windows(4).rposition(|window| window == [0xd1, 0x84, 0x43, 0xa1]).unwrap();
    let (from, to) = (seal_at(&first), seal_at(&both));
    let length = first.len() - 34 - from;
    let mut forged = both.clone();
    forged[to..to + length].copy_from_slice(&first[from..from + length]);
    let check = *blake3::hash(&forged[to - 34..to + length]).as_bytes();
    let end = forged.len();
    forged[end - 8..].copy_from_slice(&check[..8]);
    assert_eq!(told(&forged, &schema, Some(&key(7))), (Seal::Broken, vec!["seal_broken"]));
}

#[test]
fn a_seal_with_a_byte_changed_is_damage_with_and_without_the_key() {
    let schema = fen_post();
    let bytes = sealed(&schema);
    for at in bytes.len() - 34 - 77..bytes.len() {
        let mut spoilt = bytes.clone();
        spoilt[at] ^= 0x10;
        for key in [None, Some(&key(7))] {
            let error = verify_sealed(&spoilt, &schema, key).unwrap_err();
            assert!(!error.is_refusal(), "byte {at}: {error}");
        }
    }
}

#[test]
fn a_folder_with_a_key_seals_what_it_saves_and_tells_what_is_not_its_own() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let game = Progress::new(Arc::clone(&schema));
    SaveDir::at(folder.path()).slot("heron").unwrap().save(&game.snapshot(), "quit").unwrap();
    let dir = SaveDir::at(folder.path()).sealed(key(7));
    let codes = |name: &str| {
        let opened = dir.slot(name).unwrap().open(&schema).unwrap();
        opened.findings.iter().map(|finding| finding.code.as_str()).collect::<Vec<_>>()
    };
    assert_eq!(codes("heron"), ["seal_missing"]);
    dir.slot("heron").unwrap().save(&game.snapshot(), "quit").unwrap();
    assert!(codes("heron").is_empty());
}

#[test]
fn a_key_is_long_enough_and_in_no_log() {
    let error = SealKey::new(b"short").unwrap_err();
    assert_eq!(error.to_string(), "expected a key of at least 16 bytes, but found 5");
    assert_eq!(format!("{:?}", key(7)), "SealKey(32 bytes)");
}
