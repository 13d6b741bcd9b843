//! Damage: whatever happens to the bytes of a save, it is reported, nothing unsaved is accepted, and a game never
//! silently starts over.

use std::collections::BTreeMap;
use std::fs;
use std::sync::Arc;

use keblin::save::{Lineage, Stamp, layout, read, write, write_after};
use keblin::store::{OpenError, Origin, Slot};
use keblin::verify::verify;
use keblin::{Field, Notice, Progress, SaveDir, Schema, Snapshot};
use proptest::prelude::*;

use crate::long::tries;
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
    let header_len = bytes.windows(9).position(|bytes| bytes == layout::BLOCK_MARK).unwrap();
    for spoilt in damaged(&bytes) {
        let in_header = spoilt.len() == bytes.len() && spoilt[header_len..] == bytes[header_len..];
        let error = match verify(&spoilt, &schema) {
            // The state repeats everything in the header except the name of the game, and it has the shape of this
            // game.
            Ok(save) if in_header => save.fault().unwrap().clone(),
            Ok(_) => panic!("damage in silence"),
            Err(error) => error,
        };
        assert!(error.offset <= bytes.len(), "{error}");
        assert!(!error.is_refusal(), "damage was taken for another game or version: {error}");
        *told.entry(error.fault.code().as_str()).or_default() += 1;
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

/// Three saves in one file, and the contents of each.
pub(crate) fn three_states(schema: &Arc<Schema>) -> (Vec<u8>, Vec<Snapshot>) {
    let (earlier, later) = two_saves(schema);
    let mut last = later.clone();
    last.set(schema.field::<i64>("letters").unwrap(), 35);
    let snapshots = [earlier, later, last].map(|game| game.snapshot());
    let mut bytes = write(&snapshots[0], &stamp(1));
    for (number, snapshot) in (2..).zip(&snapshots[1..]) {
        let file = read(&bytes).unwrap();
        let stamp = Stamp::after(Some(&Lineage::of(&file)), stamp(number).saved_at_unix_ms, "quit");
        let more = write_after(&file, snapshot, &stamp, None);
        bytes.extend(more);
    }
    (bytes, snapshots.to_vec())
}

/// The result for damaged bytes. Anything else is a bug.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Outcome {
    /// The last state, without a report: the damage is not in a state that is taken.
    Last,
    /// The last state, and the damage after it is reported.
    LastAndTold,
    /// An earlier state, and the damage is reported.
    EarlierAndTold,
    /// No state, and the place of the damage is reported.
    Told,
}

#[track_caller]
fn outcome(bytes: &[u8], schema: &Arc<Schema>, saved: &[Snapshot]) -> Outcome {
    match verify(bytes, schema) {
        Ok(save) => {
            let which = saved.iter().rposition(|snapshot| snapshot == save.snapshot());
            let Some(which) = which else { panic!("a state that was never saved") };
            match (which + 1 == saved.len(), save.fault()) {
                (true, None) => Outcome::Last,
                (true, Some(_)) => Outcome::LastAndTold,
                (false, Some(_)) => Outcome::EarlierAndTold,
                (false, None) => panic!("a state was lost in silence"),
            }
        }
        Err(error) => {
            assert!(!error.is_refusal(), "damage was taken for another game or version: {error}");
            assert!(error.offset <= bytes.len(), "{error}");
            Outcome::Told
        }
    }
}

#[test]
fn of_several_states_the_last_whole_one_is_taken_and_never_a_mixture() {
    let schema = fen_post();
    let (bytes, saved) = three_states(&schema);
    assert_eq!(outcome(&bytes, &schema, &saved), Outcome::Last);
    let mut counts: BTreeMap<Outcome, usize> = BTreeMap::new();
    // Each byte changed in one of the two ways, and every cut: the test of a single state above tries both ways.
    let (changed, cuts) =
        (damaged(&bytes).take(2 * bytes.len()).step_by(2), damaged(&bytes).skip(2 * bytes.len()));
    for spoilt in changed {
        *counts.entry(outcome(&spoilt, &schema, &saved)).or_default() += 1;
    }
    for spoilt in cuts {
        // A file that ends exactly after an earlier state is that earlier file, without damage.
        let known = match read(&spoilt) {
            Ok(file) if file.is_last() => usize::try_from(file.head.number).unwrap(),
            _ => saved.len(),
        };
        *counts.entry(outcome(&spoilt, &schema, &saved[..known])).or_default() += 1;
    }
    for behind in [&b"half a blo"[..], &bytes[..100], &[0; 5000]] {
        let longer = [&bytes, behind].concat();
        *counts.entry(outcome(&longer, &schema, &saved)).or_default() += 1;
    }
    println!("{} bytes: {counts:?}", bytes.len());
    for expected in [Outcome::Last, Outcome::LastAndTold, Outcome::EarlierAndTold, Outcome::Told] {
        assert!(counts.contains_key(&expected), "{expected:?} never occurred: {counts:?}");
    }
}

#[test]
fn two_saves_spliced_at_random_give_one_of_their_states_or_none() {
    let schema = fen_post();
    let (one, mut saved) = three_states(&schema);
    let mut other_game = two_saves(&schema).1;
    other_game.set(schema.field::<i64>("coppers").unwrap(), 777);
    let stamp = Stamp { created_unix_ms: 1_699_999_999_999, ..stamp(9) };
    let other = write(&other_game.snapshot(), &stamp);
    saved.push(other_game.snapshot());
    let mut random = fastrand::Rng::with_seed(4);
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for _ in 0..tries(1_500, 10_000) {
        let (from, with) = if random.bool() { (&one, &other) } else { (&other, &one) };
        let mut spliced = from[..random.usize(..=from.len())].to_vec();
        spliced.extend(&with[random.usize(..=with.len())..]);
        if random.bool() {
            spliced.extend(&from[random.usize(..=from.len())..]);
        }
        let came_of_it = match verify(&spliced, &schema) {
            Ok(save) => {
                assert!(saved.contains(save.snapshot()), "a state that was never saved");
                // Nothing is reported only if the bytes are one of the saves, or one that ends earlier.
                let is_whole = one.starts_with(&spliced) || other == spliced;
                assert!(save.fault().is_some() || is_whole, "damage in silence");
                "a state, and the damage reported"
            }
            Err(error) => {
                assert!(!error.is_refusal(), "{error}");
                "no state, and the damage reported"
            }
        };
        *counts.entry(came_of_it).or_default() += 1;
    }
    println!("{counts:?}");
    assert!(counts.len() == 2 && counts.values().all(|count| *count > 100), "{counts:?}");
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
    let header_len = good.windows(9).position(|bytes| bytes == layout::BLOCK_MARK).unwrap();
    let mut tries = 0;
    // Each byte changed in one of the two ways, and every cut: the others are verified above.
    let (changed, cuts) =
        (damaged(&good).take(2 * good.len()).step_by(2), damaged(&good).skip(2 * good.len()));
    for spoilt in changed.chain(cuts) {
        fs::write(slot.path(), &spoilt).unwrap();
        let mut opened = slot.open(&schema).unwrap();
        if spoilt.len() == good.len() && spoilt[header_len..] == good[header_len..] {
            // Damage to the one block that all states of a file share costs none of them.
            assert!(matches!(opened.origin, Origin::EarlierState { .. }), "{:?}", opened.origin);
            assert_eq!(opened.progress.get(letters), 31);
            assert!(opened.progress.drain_notices().any(|notice| notice == Notice::FellBack));
            tries += 1;
            continue;
        }
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
    let opened = slot.view(&schema).unwrap();
    let letters = schema.field::<i64>("letters").unwrap();
    assert_eq!(opened.progress.get(letters), 31, "this machine's own last state is still there");
    assert!(matches!(opened.origin, Origin::Previous { set_aside: None, .. }));
    for entry in fs::read_dir(folder.path().join("aside")).unwrap() {
        let path = entry.unwrap().path();
        if path.to_string_lossy().contains(".own-") {
            fs::remove_file(path).unwrap();
        }
    }
    let opened = slot.open(&schema).unwrap();
    assert_eq!(opened.progress.get(letters), 28);
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
    let Err(OpenError::Damaged(ruin)) = slot.open(&schema) else { panic!("damage was not reported") };
    assert_eq!(ruin.faults().len(), 2);
    assert!(ruin.to_string().starts_with("slot otter does not have an intact save\n"), "{ruin}");
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
