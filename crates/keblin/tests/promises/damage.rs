//! Damage: whatever happens to the bytes of a save, it is told, nothing is believed that was not saved, and a game never
//! silently begins anew.

use std::collections::BTreeMap;
use std::fs;
use std::sync::Arc;

use keblin::save::{read, write};
use keblin::store::{OpenError, Origin, Slot};
use keblin::verify::verify;
use keblin::{Field, Notice, Progress, SaveDir, Schema};
use proptest::prelude::*;

use crate::round_trip::stamp;
use crate::tables::fen_post;

/// Two saves of one slot, with 28 letters and then 31.
fn two_saves(schema: &Arc<Schema>) -> (Progress, Progress) {
    let letters: Field<i64> = schema.field("letters").unwrap();
    let reedgate = schema.level("reedgate").unwrap();
    let mut game = Progress::new(Arc::clone(schema));
    game.begin(None).unwrap();
    game.enter(reedgate).unwrap();
    game.reach(schema.checkpoint(reedgate, "osier").unwrap()).unwrap();
    game.set(letters, 28);
    let earlier = game.clone();
    game.set(letters, 31);
    (earlier, game)
}

/// Every way a file is damaged here: each byte changed in two ways, and the file cut anywhere.
fn damaged(bytes: &[u8]) -> impl Iterator<Item = Vec<u8>> {
    let changed = (0..bytes.len()).flat_map(|at| [0x01, 0xff].map(|flip| (at, flip)));
    let changed = changed.map(|(at, flip)| {
        let mut spoilt = bytes.to_vec();
        spoilt[at] ^= flip;
        spoilt
    });
    changed.chain((0..bytes.len()).map(|len| bytes[..len].to_vec()))
}

#[test]
fn any_byte_changed_and_any_cut_is_told_with_section_and_offset() {
    let schema = fen_post();
    let bytes = write(&two_saves(&schema).1.snapshot(), &stamp(2));
    let mut told: BTreeMap<&str, usize> = BTreeMap::new();
    let mut sections: BTreeMap<String, usize> = BTreeMap::new();
    for spoilt in damaged(&bytes) {
        let error = verify(&spoilt, &schema).unwrap_err();
        assert!(error.offset <= bytes.len(), "{error}");
        assert!(!error.is_refusal(), "damage was taken for another game or version: {error}");
        *told.entry(error.fault.code()).or_default() += 1;
        *sections.entry(error.section).or_default() += 1;
    }
    println!("{told:?}\n{sections:?}");
    for code in ["cut", "digest", "empty", "not_a_save", "unexpected"] {
        assert!(told.contains_key(code), "{code} never occurred: {told:?}");
    }
    for section in ["header", "profile", "run", "state", "file"] {
        assert!(sections.contains_key(section), "{section} was never named: {sections:?}");
    }
}

fn slot_with_two_saves(dir: &SaveDir, schema: &Arc<Schema>) -> Slot {
    let slot = dir.slot("otter").unwrap();
    let (earlier, later) = two_saves(schema);
    slot.save(&earlier.snapshot(), "quit").unwrap();
    slot.save(&later.snapshot(), "quit").unwrap();
    slot
}

#[test]
fn a_damaged_save_falls_back_to_the_one_before_and_is_set_aside() {
    let schema = fen_post();
    let letters: Field<i64> = schema.field("letters").unwrap();
    let folder = tempfile::tempdir().unwrap();
    let slot = slot_with_two_saves(&SaveDir::at(folder.path()), &schema);
    let (good, previous) = (fs::read(slot.path()).unwrap(), fs::read(slot.previous_path()).unwrap());
    let mut tries = 0;
    // Each byte changed in one of the two ways, and every cut: the others are verified above.
    let (changed, cuts) =
        (damaged(&good).take(2 * good.len()).step_by(2), damaged(&good).skip(2 * good.len()));
    for spoilt in changed.chain(cuts) {
        fs::write(slot.path(), &spoilt).unwrap();
        let mut opened = slot.open(&schema).unwrap();
        assert_eq!(opened.progress.get(letters), 28);
        let Origin::Previous { set_aside: Some(aside), .. } = opened.origin else {
            panic!("{:?}", opened.origin)
        };
        assert_eq!(fs::read(&aside).unwrap(), spoilt, "set aside as it was");
        assert!(!slot.path().exists());
        assert!(opened.progress.drain_notices().any(|notice| notice == Notice::FellBack));
        assert_eq!(fs::read(slot.previous_path()).unwrap(), previous);
        tries += 1;
        if tries % 50 == 0 {
            fs::remove_dir_all(folder.path().join("aside")).unwrap();
            fs::create_dir_all(folder.path().join("aside")).unwrap();
            fs::write(slot.previous_path(), &previous).unwrap();
        }
    }
    assert_eq!(tries, 2 * good.len());
}

#[test]
fn a_missing_file_beside_a_copy_is_damage_and_not_a_first_run() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let slot = slot_with_two_saves(&SaveDir::at(folder.path()), &schema);
    fs::remove_file(slot.path()).unwrap();
    let opened = slot.open(&schema).unwrap();
    assert_eq!(opened.progress.get::<i64>(schema.field("letters").unwrap()), 28);
    assert!(matches!(opened.origin, Origin::Previous { set_aside: None, .. }));
}

#[test]
fn with_both_damaged_a_new_game_is_only_begun_when_the_player_agrees() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let slot = slot_with_two_saves(&SaveDir::at(folder.path()), &schema);
    for path in [slot.path(), slot.previous_path()] {
        let mut bytes = fs::read(&path).unwrap();
        let middle = bytes.len() / 2;
        bytes[middle] ^= 0x10;
        fs::write(&path, bytes).unwrap();
    }
    let before = [fs::read(slot.path()).unwrap(), fs::read(slot.previous_path()).unwrap()];
    let Err(OpenError::Damaged(ruin)) = slot.open(&schema) else { panic!("damage was not told") };
    assert_eq!(ruin.faults().len(), 2);
    assert!(ruin.to_string().starts_with("no whole save of slot otter is left\n"), "{ruin}");
    assert_eq!(
        before,
        [fs::read(slot.path()).unwrap(), fs::read(slot.previous_path()).unwrap()],
        "nothing is touched"
    );
    let opened = ruin.start_fresh().unwrap();
    assert_eq!(opened.origin, Origin::FirstRun);
    let aside = |number| folder.path().join(format!("aside/otter.damaged-{number}.keblin"));
    assert_eq!(before, [fs::read(aside(1)).unwrap(), fs::read(aside(2)).unwrap()], "set aside, not deleted");
    assert_eq!(slot.open(&schema).unwrap().origin, Origin::FirstRun);
}

#[test]
fn a_damaged_file_is_kept_when_the_game_saves_over_it() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let slot = slot_with_two_saves(&SaveDir::at(folder.path()), &schema);
    let previous = fs::read(slot.previous_path()).unwrap();
    fs::write(slot.path(), b"torn").unwrap();
    slot.save(&two_saves(&schema).1.snapshot(), "quit").unwrap();
    assert_eq!(fs::read(folder.path().join("aside/otter.damaged-1.keblin")).unwrap(), b"torn");
    assert_eq!(fs::read(slot.previous_path()).unwrap(), previous, "only a whole save takes the copy's place");
    assert_eq!(slot.open(&schema).unwrap().origin, Origin::File);
}

proptest! {
    #[test]
    fn any_bytes_at_all_are_read_without_a_panic(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
        prop_assert!(read(&bytes).is_err());
    }

    #[test]
    fn bytes_behind_a_good_start_are_read_without_a_panic(
        keep in 0..1600_usize,
        rest in prop::collection::vec(any::<u8>(), 1..200),
    ) {
        let schema = fen_post();
        let mut bytes = write(&two_saves(&schema).1.snapshot(), &stamp(2));
        bytes.truncate(keep);
        bytes.extend(rest);
        prop_assert!(verify(&bytes, &schema).is_err());
    }
}
