//! Files that replace ours: while the game is closed, while it runs, and in the middle of a save; files that rot, and
//! files that cannot be read.

use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use keblin::progress::{AsideReason, Erase};
use keblin::store::backend::{Backend, Doing, Faulty, Memory, PowerCut, Tear};
use keblin::store::{OpenError, Origin, Slot};
use keblin::{Keeper, Notice};

use crate::keepers::{Game, game, in_memory, slot_on};
use crate::watched::{Watched, Watcher};

fn set_asides(kept: &mut Keeper) -> Vec<AsideReason> {
    let why = |notice| if let Notice::SetAside { why, .. } = notice { Some(why) } else { None };
    kept.drain_notices().filter_map(why).collect()
}

/// Saves of another program: a best value, and a number of shells.
pub(crate) fn of_a_stranger(best: i64, shells: i64) -> Vec<u8> {
    let (memory, slot) = in_memory();
    let game = game();
    let mut kept = Keeper::open(&slot, &game.schema).unwrap();
    kept.submit(game.best, best);
    kept.set(game.shells, shells);
    kept.close().unwrap();
    memory.files()[&slot.path()].clone()
}

/// Our save: best 100 and 10 shells, saved twice, closed.
fn ours() -> (Memory, Slot, Vec<u8>) {
    let (memory, slot) = in_memory();
    let game = game();
    memory.set_clock(1_000_000);
    let mut kept = Keeper::open(&slot, &game.schema).unwrap();
    kept.submit(game.best, 40);
    kept.save_now().unwrap();
    let earlier = memory.files()[&slot.path()].clone();
    kept.close().unwrap();
    memory.set_clock(2_000_000);
    let mut kept = Keeper::open(&slot, &game.schema).unwrap();
    kept.submit(game.best, 100);
    kept.set(game.shells, 10);
    kept.close().unwrap();
    // Saved once more, so that the backup has all of it.
    let mut kept = Keeper::open(&slot, &game.schema).unwrap();
    kept.save_now().unwrap();
    kept.close().unwrap();
    (memory, slot, earlier)
}

#[test]
fn a_strangers_file_put_in_place_while_the_game_was_closed_meets_ours_and_neither_is_lost() {
    let Game { ref schema, best, shells } = game();
    // Either the other save is the later one, or ours is.
    for clock in [1_500_000, 9_000_000_000_000_000] {
        let (memory, slot, _) = ours();
        let theirs = {
            let (elsewhere, far) = in_memory();
            elsewhere.set_clock(clock);
            let mut other = Keeper::open(&far, schema).unwrap();
            other.submit(best, 70);
            other.set(shells, 3);
            other.close().unwrap();
            elsewhere.files()[&far.path()].clone()
        };
        memory.put_file(slot.path(), theirs.clone());
        let copy = memory.files()[&slot.previous_path()].clone();
        let before = memory.files();
        let seen = slot.view(schema).unwrap();
        assert!(matches!(seen.origin, Origin::Met { .. }), "{:?}", seen.origin);
        assert_eq!(memory.files(), before, "looking writes nothing");
        let mut kept = Keeper::open(&slot, schema).unwrap();
        let is_theirs = clock > 2_000_000;
        assert_eq!((kept.get(best).option(), kept.get(shells)), (Some(100), if is_theirs { 3 } else { 10 }));
        assert!(kept.drain_notices().any(|notice| notice == Notice::Reconciled));
        let mut files = memory.files();
        files.retain(|path, _| path.extension().is_some_and(|ending| ending == "keblin"));
        assert_eq!(files.len(), before.len() - 2, "and so does opening: the only other files are locks");
        kept.save_now().unwrap();
        let kept_aside: &[&[u8]] = if is_theirs { &[&copy, &theirs] } else { &[&theirs] };
        assert_eq!(set_asides(&mut kept), vec![AsideReason::Replaced; kept_aside.len()]);
        for (kept, number) in kept_aside.iter().zip(1..) {
            let path = format!("saves/aside/otter.replaced-{number}.keblin");
            assert_eq!(memory.files()[Path::new(&path)], *kept, "what gave way is kept");
        }
        kept.close().unwrap();
        let mut again = Keeper::open(&slot, schema).unwrap();
        assert_eq!((again.origin(), again.get(best).option()), (&Origin::File, Some(100)));
        assert!(!again.drain_notices().any(|notice| notice == Notice::Reconciled), "met once and for all");
    }
}

#[test]
fn an_older_one_of_ours_put_back_gives_way_to_the_copy_wherever_a_save_is_cut_off() {
    let Game { ref schema, best, .. } = game();
    let (memory, slot, earlier) = ours();
    memory.put_file(slot.path(), earlier.clone());
    let files = PowerCut::of(&memory);
    let slot = slot_on(&(Arc::new(files.clone()) as Arc<dyn Backend>));
    let mut kept = Keeper::open(&slot, schema).unwrap();
    assert_eq!(kept.get(best), Some(100));
    kept.save_now().unwrap();
    // The same once more while the game runs.
    files.files().put_file(slot.path(), earlier);
    kept.submit(best, 110);
    kept.save_now().unwrap();
    assert_eq!(set_asides(&mut kept), [AsideReason::Older]);
    kept.close().unwrap();
    files.after_each_call(&[Tear::Lost, Tear::Kept, Tear::Half, Tear::LastOnly], |calls, tear, left| {
        let slot = slot_on(&(Arc::new(left) as Arc<dyn Backend>));
        let opened = slot.open(schema).unwrap();
        assert!(
            opened.progress.get(best).is_some_and(|best| best >= 100),
            "after call {calls}, {tear:?}: {:?}",
            opened.origin
        );
    });
}

#[test]
fn what_was_erased_does_not_come_back_by_an_old_file_however_many_saves_later() {
    let Game { ref schema, best, shells } = game();
    let erase = Erase::Field(schema.field_named("best").unwrap().0);
    for while_it_runs in [true, false] {
        let (memory, slot) = in_memory();
        let mut kept = Keeper::open(&slot, schema).unwrap();
        kept.submit(best, 9);
        kept.save_now().unwrap();
        let old = memory.files()[&slot.path()].clone();
        kept.erase(&erase, true).unwrap();
        for number in 0..200 {
            kept.set(shells, number);
            kept.save_now().unwrap();
        }
        drop(kept.drain_notices());
        if while_it_runs {
            memory.put_file(slot.path(), old.clone());
            kept.add(shells, 1);
            let saved = kept.save_now().unwrap().unwrap();
            assert!(saved.replaced.unwrap().has_met, "only the record was erased");
            assert_eq!(set_asides(&mut kept), [AsideReason::Replaced]);
            kept.close().unwrap();
        } else {
            kept.close().unwrap();
            memory.put_file(slot.path(), old.clone());
        }
        let kept = Keeper::open(&slot, schema).unwrap();
        assert_eq!(kept.get(best), None, "{while_it_runs}");
        // The contents of the file that the old one replaced are lost, except for the backup.
        assert!(kept.get(shells) >= 199 || !while_it_runs);
        drop(kept);
        assert!(memory.files().values().any(|bytes| *bytes == old), "and nothing is destroyed");
    }
}

#[test]
fn killed_while_something_is_erased_the_next_save_erases_the_copy_too() {
    let Game { ref schema, best, .. } = game();
    let files = PowerCut::new();
    let slot = slot_on(&(Arc::new(files.clone()) as Arc<dyn Backend>));
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.submit(best, 4_771_077);
    kept.save_now().unwrap();
    let before = files.calls();
    kept.erase(&Erase::Field(schema.field_named("best").unwrap().0), true).unwrap();
    kept.save_now().unwrap();
    let (number, mut erased_in_one) = ([0x1a, 0x00, 0x48, 0xcd, 0x05], 0);
    for calls in before..files.calls() {
        let left = files.after(calls, Tear::Kept);
        let slot = slot_on(&(Arc::new(left.clone()) as Arc<dyn Backend>));
        let mut kept = Keeper::open(&slot, schema).unwrap();
        let has_it = |path: &PathBuf| {
            left.files().get(path).is_some_and(|bytes| bytes.windows(number.len()).any(|part| part == number))
        };
        if kept.get(best).is_none() {
            erased_in_one += usize::from(has_it(&slot.previous_path()));
            kept.save_now().unwrap();
            assert!(!has_it(&slot.path()) && !has_it(&slot.previous_path()), "after call {calls}");
        }
    }
    assert!(erased_in_one > 0, "it was never cut off between the two files");
}

#[test]
fn a_rotten_byte_never_becomes_the_copy_before() {
    let Game { ref schema, shells, .. } = game();
    let (memory, slot) = in_memory();
    memory.set_clock(1_000_000);
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.put_area("west", Some(vec![7; 4000])).unwrap();
    kept.save_now().unwrap();
    let rot = |from: u8| {
        let mut bytes = memory.files()[&slot.path()].clone();
        let at = bytes.windows(64).position(|part| part == [from; 64]).unwrap();
        bytes[at + 9] ^= 1;
        // On the same file: a disk rots, but nobody has replaced the file.
        memory.rot(&slot.path(), at + 9, bytes[at + 9]);
    };
    kept.put_area("fens", Some(vec![8; 4000])).unwrap();
    kept.save_now().unwrap();
    rot(7);
    memory.set_clock(1_000_000 + 16 * 60 * 1000);
    kept.put_area("fens", Some(vec![9; 4000])).unwrap();
    kept.set(shells, 5);
    let saved = kept.save_now().unwrap().unwrap();
    assert_eq!(saved.written_bytes, saved.len_bytes, "a whole file, from what the game holds");
    assert_eq!(saved.set_aside.len(), 1, "{:?}", saved.set_aside);
    for path in [slot.path(), slot.previous_path()] {
        let bytes = &memory.files()[&path];
        let save = keblin::verify::verify(bytes, schema).unwrap();
        assert!(save.fault().is_none());
        let area =
            |name: &str| keblin::Progress::restored(save.snapshot().clone()).area(name).unwrap().to_vec();
        assert_eq!(area("west"), vec![7; 4000], "{path:?}");
    }
    assert_eq!(slot.view(schema).unwrap().progress.get(shells), 5);
}

/// Replaces the file right before a call of some kind returns.
#[derive(Debug, Default)]
struct Meddler {
    files: Memory,
    at: Mutex<Option<(Doing, PathBuf, Vec<u8>)>>,
}

impl Watcher for Meddler {
    fn after(&self, doing: Doing, path: &Path, is_still_there: bool) -> bool {
        let is_it = |(when, meant, _): &mut (Doing, PathBuf, Vec<u8>)| *when == doing && *meant == path;
        let meddled = self.at.lock().unwrap().take_if(is_it);
        // Appending succeeds: only the sync after it can see the other file.
        let is_seen = meddled.is_some() && doing == Doing::Publish;
        if let Some((_, path, bytes)) = meddled {
            self.files.put_file(path, bytes);
        }
        is_still_there && !is_seen
    }
}

#[test]
fn a_file_exchanged_in_the_middle_of_a_save_is_seen_and_the_save_is_published_again() {
    let Game { ref schema, best, shells } = game();
    for when in [Doing::Append, Doing::Publish] {
        let memory = Memory::default();
        let watcher = Meddler { files: memory.clone(), at: Mutex::default() };
        let files = Arc::new(Watched { files: memory, watcher });
        let slot = slot_on(&(files.clone() as Arc<dyn Backend>));
        let mut kept = Keeper::open(&slot, schema).unwrap();
        kept.set(shells, 1);
        kept.save_now().unwrap();
        if when == Doing::Publish {
            // So that there is a whole file to write.
            files.files.put_file(slot.path(), b"torn".to_vec());
        }
        *files.watcher.at.lock().unwrap() = Some((when, slot.path(), of_a_stranger(70, 3)));
        kept.set(shells, 2);
        let saved = kept.save_now().unwrap().unwrap();
        assert!(files.watcher.at.lock().unwrap().is_none(), "{when:?}: nobody meddled");
        assert!(saved.replaced.is_some_and(|replaced| replaced.has_met), "{when:?}");
        assert_eq!((kept.get(best).option(), kept.get(shells)), (Some(70), 2), "{when:?}");
        kept.close().unwrap();
        let opened = slot.view(schema).unwrap();
        assert_eq!(
            (opened.progress.get(best).option(), opened.progress.get(shells)),
            (Some(70), 2),
            "{when:?}"
        );
    }
}

/// Files with one that can never be read.
fn with_a_bad_sector(memory: &Memory, path: PathBuf) -> Slot {
    let faulty = Faulty::new(Arc::new(memory.clone()));
    faulty.fail_for(path, Doing::Read, ErrorKind::Other);
    slot_on(&(Arc::new(faulty) as Arc<dyn Backend>))
}

#[test]
fn one_file_that_cannot_be_read_costs_no_more_than_that_file() {
    let Game { ref schema, best, shells } = game();
    // The file: the backup is taken, and the file stays until the next save sets it aside.
    let (memory, slot, _) = ours();
    let bad = with_a_bad_sector(&memory, slot.path());
    let mut kept = Keeper::open(&bad, schema).unwrap();
    assert!(matches!(kept.origin(), Origin::Previous { set_aside: None, .. }), "{:?}", kept.origin());
    assert_eq!(kept.get(best), Some(100));
    assert!(memory.files().contains_key(&slot.path()), "it may be readable again in a moment");
    kept.set(shells, 11);
    kept.save_now().unwrap();
    assert_eq!(set_asides(&mut kept), [AsideReason::Unreadable]);
    kept.close().unwrap();
    assert_eq!(slot.view(schema).unwrap().progress.get(shells), 11);
    // The backup: the save opens, and the error is reported.
    let (memory, slot, _) = ours();
    let bad = with_a_bad_sector(&memory, slot.previous_path());
    let mut kept = Keeper::open(&bad, schema).unwrap();
    assert_eq!((kept.origin(), kept.findings()[0].code.as_str()), (&Origin::File, "copy_unreadable"));
    kept.set(shells, 12);
    kept.close().unwrap();
    assert_eq!(slot.view(schema).unwrap().progress.get(shells), 12);
    // The settings: default values, and the error is reported.
    let (memory, slot, _) = ours();
    let device = PathBuf::from("saves/aside/device.keblin");
    let bad = with_a_bad_sector(&memory, device);
    let mut kept = Keeper::open(&bad, schema).unwrap();
    assert_eq!(
        (kept.get(best).option(), kept.findings()[0].code.as_str()),
        (Some(100), "settings_unreadable")
    );
    kept.set(schema.field::<i64>("volume").unwrap(), 3);
    kept.close().unwrap();
    assert_eq!(slot.view(schema).unwrap().progress.get(schema.field::<i64>("volume").unwrap()), 3);
    // Every file of the slot: the player must decide, and nothing is changed.
    let (memory, slot, _) = ours();
    let faulty = Faulty::new(Arc::new(memory.clone()));
    faulty.fail_for(slot.path(), Doing::Read, ErrorKind::Other);
    faulty.fail_for(slot.previous_path(), Doing::Read, ErrorKind::Other);
    let before = memory.files();
    let own = before.keys().find(|path| path.to_string_lossy().contains(".own-")).unwrap();
    faulty.fail_for(own.clone(), Doing::Read, ErrorKind::Other);
    let bad = slot_on(&(Arc::new(faulty) as Arc<dyn Backend>));
    assert!(matches!(Keeper::open(&bad, schema), Err(OpenError::Disk(_))));
    assert_eq!(memory.files().len(), before.len());
}

#[test]
fn an_unreadable_save_is_an_entry_of_the_list_and_keeps_no_other_from_being_offered() {
    let Game { ref schema, .. } = game();
    let (memory, slot, earlier) = ours();
    let faulty = Faulty::new(Arc::new(memory.clone()));
    faulty.fail_for(slot.path(), Doing::Read, ErrorKind::Other);
    memory.put_file("saves/heron.keblin", earlier.clone());
    memory.put_file("saves/aside/rush.previous.keblin", earlier.clone());
    let files: Arc<dyn Backend> = Arc::new(faulty.clone());
    let list = keblin::SaveDir::on(Arc::clone(&files), "saves").list().unwrap();
    let told: Vec<String> = list
        .iter()
        .map(|entry| {
            let head = entry.head.as_ref();
            format!("{} {}", entry.name, head.map_or_else(|error| error.fault.code().as_str(), |_| "whole"))
        })
        .collect();
    assert_eq!(told, ["heron whole", "otter unreadable", "rush missing"]);
    // A ruin with one file set aside that cannot be read, and another one that can.
    memory.put_file("saves/reed.keblin", b"torn".to_vec());
    memory.put_file("saves/aside/reed.damaged-1.keblin", earlier.clone());
    memory.put_file("saves/aside/reed.damaged-2.keblin", earlier);
    faulty.fail_for(PathBuf::from("saves/aside/reed.damaged-1.keblin"), Doing::Read, ErrorKind::Other);
    let reed = keblin::SaveDir::on(files, "saves").slot("reed").unwrap();
    let Err(OpenError::Damaged(ruin)) = Keeper::open(&reed, schema) else { panic!() };
    assert!(ruin.offer().is_some());
    let opened = ruin.earlier().unwrap().unwrap();
    Keeper::opened(&reed, opened).unwrap().close().unwrap();
}

#[test]
fn what_was_set_aside_goes_when_it_is_much_and_old_and_a_pin_never_does() {
    const MIB: usize = 1 << 20;
    let Game { ref schema, .. } = game();
    let (memory, slot) = in_memory();
    memory.set_clock(0);
    let name = |number: usize| format!("saves/aside/otter.damaged-{number}.keblin");
    for number in 1..=6 {
        memory.put_file(name(number), vec![0; 60 * MIB]);
    }
    let day = 24 * 60 * 60 * 1000;
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.pin("bridge").unwrap();
    memory.set_clock(day);
    kept.close().unwrap();
    let there = |number: usize| memory.files().contains_key(Path::new(&name(number)));
    assert!((1..=6).all(there), "much, but not old");
    memory.set_clock(40 * day);
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.save_now().unwrap();
    let left: Vec<usize> = (1..=6).filter(|number| there(*number)).collect();
    assert_eq!(left, [3, 4, 5, 6], "the oldest went, until it was no longer much");
    assert_eq!(kept.pins().unwrap().len(), 1);
}

#[test]
fn ten_thousand_pins_are_set_aside_together() {
    let Game { ref schema, best, .. } = game();
    let (memory, slot) = in_memory();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.submit(best, 9);
    kept.pin("bridge").unwrap();
    kept.save_now().unwrap();
    let pin = memory.files()[Path::new("saves/aside/otter.pin-bridge.keblin")].clone();
    for number in 0..10_000 {
        memory.put_file(format!("saves/aside/otter.pin-p{number}.keblin"), pin.clone());
    }
    kept.erase(&Erase::Profile, true).unwrap();
    let begun = std::time::Instant::now();
    kept.close().unwrap();
    // A list of names for each of them would take minutes.
    assert!(begun.elapsed().as_secs() < 20, "{:?}", begun.elapsed());
    let names = memory.files().into_keys().map(|path| path.to_string_lossy().into_owned());
    let (erased, pins): (Vec<String>, Vec<String>) = names
        .filter(|name| name.contains("erased") || name.contains("pin-"))
        .partition(|name| name.contains("erased"));
    assert_eq!((erased.len(), pins.len()), (10_001, 0));
}
