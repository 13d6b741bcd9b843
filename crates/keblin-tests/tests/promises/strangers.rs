//! What comes back, and what must not: pins, erasures, other programs' saves in place of ours, and a clock that goes
//! back.

use std::path::PathBuf;
use std::sync::Arc;

use keblin::progress::{AsideReason, Erase};
use keblin::save::layout::MAX_PREDECESSORS;
use keblin::store::backend::Backend;
use keblin::store::{Origin, PinError, SaveError};
use keblin::{Field, Keeper, Notice, SaveDir};

use crate::keepers::{FRAME, Game, game, in_memory, settle, shells, slot_on};
use crate::tables::schema;

#[test]
fn a_pin_brings_back_the_run_and_takes_no_record() {
    let (_, slot) = in_memory();
    let Game { ref schema, shells: field, best } = game();
    let lamp: Field<i64> = schema.field("lamp").unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.begin(None).unwrap();
    kept.enter(schema.level("brook").unwrap()).unwrap();
    kept.set(lamp, 12);
    kept.submit(best, 3);
    kept.pin("before_the_weir").unwrap();
    kept.set(lamp, 1);
    kept.submit(best, 9);
    kept.add(field, 50);
    kept.end_run().unwrap();
    assert!(matches!(kept.back_to("before_the_weir", false), Err(PinError::Refused(_))));
    kept.back_to("before_the_weir", true).unwrap();
    assert_eq!((kept.get(lamp), kept.get(best).option(), kept.get(field)), (12, Some(9), 50));
    assert_eq!(kept.level(), schema.level("brook").ok());
    let pins = kept.pins().unwrap();
    assert_eq!(pins.len(), 1);
    assert_eq!(pins[0].name.as_str(), "before_the_weir");
    assert_eq!(pins[0].head.as_ref().unwrap().state.cause, "pin");
    assert!(matches!(kept.pin("../x"), Err(PinError::Name { .. })));
    assert!(matches!(kept.back_to("elsewhere", true), Err(PinError::Missing { .. })));
    kept.unpin("before_the_weir").unwrap();
    assert!(kept.pins().unwrap().is_empty());
    assert!(matches!(kept.unpin("before_the_weir"), Err(PinError::Missing { .. })));
}

#[test]
fn what_is_erased_does_not_come_back_by_a_pin() {
    let (_, slot) = in_memory();
    let Game { ref schema, best, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.begin(None).unwrap();
    kept.submit(best, 9);
    kept.pin("bridge").unwrap();
    kept.erase(&Erase::Field(schema.field_named("best").unwrap().0), true).unwrap();
    kept.back_to("bridge", true).unwrap();
    assert_eq!(kept.get(best), None);
    kept.submit(best, 2);
    kept.pin("bridge").unwrap();
    kept.erase(&Erase::Profile, true).unwrap();
    kept.tick(FRAME);
    settle(&mut kept);
    assert!(kept.pins().unwrap().is_empty(), "a pin of a profile that is erased is set aside");
}

#[test]
fn what_is_erased_does_not_come_back_by_a_file_that_somebody_put_there() {
    let (memory, slot) = in_memory();
    let Game { ref schema, best, .. } = game();
    let (elsewhere, far) = in_memory();
    let mut other = Keeper::open(&far, schema).unwrap();
    other.submit(best, 70);
    other.close().unwrap();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.submit(best, 5);
    kept.save_now().unwrap();
    let theirs = elsewhere.files()[&far.path()].clone();
    memory.publish(&slot.path(), std::path::Path::new("saves/temporary"), &[&theirs]).unwrap();
    kept.erase(&Erase::Field(schema.field_named("best").unwrap().0), true).unwrap();
    let replaced = kept.save_now().unwrap().unwrap().replaced.unwrap();
    assert!(replaced.has_met && std::sync::Arc::ptr_eq(replaced.snapshot.schema(), schema));
    assert_eq!(kept.get(best), None);
    kept.close().unwrap();
    assert_eq!(slot.view(schema).unwrap().progress.get(best), None);
}

#[test]
fn what_a_build_does_not_know_is_kept_when_two_saves_meet() {
    let text = |more: &str| {
        format!(
            "game = 'met'\nversion = 1\n[fields]\nbest = {{ type = 'int', scope = 'profile', keep = 'highest' }}\n{more}"
        )
    };
    let (plain, newer) = (schema(&text("")), schema(&text("medals = { type = 'int', scope = 'profile' }\n")));
    let medals: Field<i64> = newer.field("medals").unwrap();
    let best: Field<Option<i64>> = plain.field("best").unwrap();
    let (elsewhere, far) = in_memory();
    let mut theirs = Keeper::open(&far, &newer).unwrap();
    theirs.set(medals, 7);
    theirs.close().unwrap();
    let (memory, slot) = in_memory();
    let mut kept = Keeper::open(&slot, &plain).unwrap();
    kept.submit(best, 5);
    kept.save_now().unwrap();
    memory.put_file(slot.path(), elsewhere.files()[&far.path()].clone());
    kept.submit(best, 6);
    assert!(kept.save_now().unwrap().unwrap().replaced.unwrap().has_met);
    kept.close().unwrap();
    let seen = slot.view(&newer).unwrap().progress;
    let best: Field<Option<i64>> = newer.field("best").unwrap();
    assert_eq!((seen.get(medals), seen.get(best).option()), (7, Some(6)));
}

#[test]
fn a_backup_of_somebody_else_is_kept_aside_before_an_erasure_takes_its_place() {
    let (memory, slot) = in_memory();
    let Game { ref schema, best, .. } = game();
    // Two programs open the slot before either of them saves.
    let program = || slot_on(&(Arc::new(memory.clone()) as Arc<dyn Backend>));
    let mut theirs = Keeper::open(&program(), schema).unwrap();
    let mut ours = Keeper::open(&program(), schema).unwrap();
    theirs.submit(best, 20);
    theirs.close().unwrap();
    let backup = memory.files()[&slot.previous_path()].clone();
    let (elsewhere, far) = in_memory();
    let mut stranger = Keeper::open(&far, schema).unwrap();
    stranger.submit(best, 15);
    stranger.close().unwrap();
    memory.put_file(slot.path(), elsewhere.files()[&far.path()].clone());
    ours.submit(best, 30);
    ours.erase(&Erase::Field(schema.field_named("best").unwrap().0), true).unwrap();
    let saved = ours.save_now().unwrap().unwrap();
    ours.close().unwrap();
    let kept = |path: &PathBuf| memory.files().get(path) == Some(&backup);
    assert!(saved.set_aside.iter().any(|(path, why)| *why == AsideReason::Replaced && kept(path)));
    assert_eq!(slot.view(schema).unwrap().progress.get(best), None);
}

#[test]
fn a_slot_that_is_removed_takes_its_pins_with_it() {
    let (memory, slot) = in_memory();
    let Game { ref schema, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.pin("bridge").unwrap();
    kept.close().unwrap();
    drop(slot);
    let saves = SaveDir::on(Arc::new(memory.clone()), "saves");
    assert_eq!(
        saves.remove("otter").unwrap().len(),
        4,
        "the file, its backup, this machine's own state and the pin"
    );
    assert!(saves.slot("otter").unwrap().pins().unwrap().is_empty());
}

#[test]
fn two_first_runs_of_one_slot_never_lower_a_record() {
    let (memory, one) = in_memory();
    let other = slot_on(&(Arc::new(memory.clone()) as Arc<dyn Backend>));
    let Game { ref schema, shells: field, best } = game();
    let mut first = Keeper::open(&one, schema).unwrap();
    let mut second = Keeper::open(&other, schema).unwrap();
    second.submit(best, 50);
    second.set(field, 2);
    second.save_now().unwrap();
    // While the other copy has the slot, nothing is written over it.
    first.submit(best, 30);
    first.set(field, 1);
    assert!(matches!(first.save_now(), Err(SaveError::InUse { .. })));
    second.close().unwrap();
    drop(other);
    let saved = first.save_now().unwrap().unwrap();
    let replaced = saved.replaced.unwrap();
    assert_eq!(replaced.set_aside, PathBuf::from("saves/aside/otter.replaced-1.keblin"));
    assert_eq!(first.get(best), Some(50), "the better record is taken over");
    assert_eq!(first.get(field), 1, "a plain value is ours");
    assert!(first.drain_notices().any(|notice| notice == Notice::Reconciled));
    first.close().unwrap();
    let opened = one.open(schema).unwrap();
    assert_eq!((opened.origin, opened.progress.get(best).option()), (Origin::File, Some(50)));
}

#[test]
fn a_file_replaced_underneath_is_set_aside_and_its_records_are_taken_over() {
    let (memory, slot) = in_memory();
    let Game { ref schema, best, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.submit(best, 5);
    kept.save_now().unwrap();
    let earlier = memory.files()[&slot.path()].clone();
    kept.submit(best, 8);
    kept.save_now().unwrap();
    let put_there = |bytes: &[u8]| {
        memory.publish(&slot.path(), std::path::Path::new("saves/temporary"), &[bytes]).unwrap();
    };
    // What this game saved earlier is not new.
    put_there(&earlier);
    let saved = kept.save_now().unwrap().unwrap();
    assert!(saved.replaced.is_none() && saved.written_bytes == saved.len_bytes);
    // What another machine saved is new.
    let (elsewhere, far) = in_memory();
    let mut other = Keeper::open(&far, schema).unwrap();
    other.submit(best, 70);
    other.close().unwrap();
    put_there(&elsewhere.files()[&far.path()]);
    let saved = kept.save_now().unwrap().unwrap();
    assert!(saved.replaced.is_some());
    assert_eq!(kept.get(best), Some(70));
    // Damage is kept for anyone who wants to look at it.
    put_there(b"torn");
    kept.save_now().unwrap();
    assert_eq!(memory.files()[&PathBuf::from("saves/aside/otter.damaged-1.keblin")], b"torn");
    assert_eq!(slot.view(schema).unwrap().progress.get(best), Some(70));
}

#[test]
fn a_clock_that_goes_back_takes_no_save_with_it() {
    let (memory, slot) = in_memory();
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    for (number, now) in (1..).zip([2_000_000_000_000, 1_000_000_000_000, 0, 1_500_000_000_000]) {
        memory.set_clock(now);
        kept.set(field, number);
        let area = u8::try_from(number).unwrap();
        kept.put_area("fens", Some(vec![area; 2000])).unwrap();
        kept.put_area("west", Some(vec![7; 2000])).unwrap();
        assert_eq!(kept.save_now().unwrap().unwrap().number, number.unsigned_abs());
        assert_eq!(shells(&slot, &game()), number);
    }
    kept.close().unwrap();
    assert_eq!(shells(&slot, &game()), 4);
    // The backup was renewed when the clock said that 15 minutes had passed, in either direction.
    let copy = &memory.files()[&slot.previous_path()];
    assert_eq!(keblin::verify::verify(copy, schema).unwrap().head().number, 4);
}

#[test]
fn the_copy_of_a_file_that_rots_after_many_saves_is_no_strangers() {
    let Game { ref schema, shells, .. } = game();
    let (memory, slot) = in_memory();
    memory.set_clock(1_000_000);
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.put_area("west", Some(vec![7; 400])).unwrap();
    // More than a state names as predecessors.
    for _ in 0..MAX_PREDECESSORS + 20 {
        kept.add(shells, 1);
        kept.save_now().unwrap();
    }
    let bytes = &memory.files()[&slot.path()];
    let at = bytes.windows(64).position(|part| part == [7; 64]).unwrap();
    memory.rot(&slot.path(), at + 9, 1);
    memory.set_clock(1_000_000 + 16 * 60 * 1000);
    kept.put_area("fens", Some(vec![9; 400])).unwrap();
    kept.set(shells, 500);
    let saved = kept.save_now().unwrap().unwrap();
    assert_eq!(saved.written_bytes, saved.len_bytes, "a whole file");
    assert!(saved.replaced.is_none(), "{:?}", saved.replaced);
    assert!(saved.set_aside.iter().all(|(_, why)| *why == AsideReason::Damaged), "{:?}", saved.set_aside);
}
