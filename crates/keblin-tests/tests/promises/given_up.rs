//! Who owns a slot, and until when: a keeper owns it until it is closed, within one program too.

use std::io::ErrorKind;
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Duration;

use keblin::store::backend::{Backend, Doing, Faulty, Memory};
use keblin::store::{DiskError, OpenError, SaveError, SwitchError};
use keblin::{Keeper, Notice, SaveDir};

use crate::keepers::{FRAME, Game, game, in_memory, settle, slot_on};
use crate::watched::{Watched, Watcher};

#[test]
fn a_second_keeper_of_a_slot_is_refused_in_the_same_program_too() {
    let (memory, slot) = in_memory();
    let Game { ref schema, best, .. } = game();
    let mut first = Keeper::open(&slot, schema).unwrap();
    first.submit(best, 100);
    first.save_now().unwrap();
    let other = slot_on(&(Arc::new(memory.clone()) as Arc<dyn Backend>));
    for same in [&slot, &slot.clone(), &other] {
        assert!(matches!(Keeper::open(same, schema), Err(OpenError::InUse { .. })));
        assert!(matches!(same.open(schema), Err(OpenError::InUse { .. })));
        assert!(matches!(same.save(&first.snapshot(), "quit"), Err(SaveError::InUse { .. })));
        assert_eq!(Keeper::view(same, schema).unwrap().get(best), Some(100));
    }
    slot.release();
    assert!(
        matches!(Keeper::open(&slot, schema), Err(OpenError::InUse { .. })),
        "it is the keeper's to give up"
    );
    first.close().unwrap();
    // Closing gives up the slot, although its `Slot` still exists.
    let mut again = Keeper::open(&other, schema).unwrap();
    assert_eq!(again.get(best), Some(100));
    again.submit(best, 101);
    drop(again);
    assert_eq!(Keeper::open(&slot, schema).unwrap().get(best), Some(101));
}

#[test]
fn a_first_run_is_taken_as_well() {
    let (_, slot) = in_memory();
    let Game { ref schema, .. } = game();
    let first = Keeper::open(&slot, schema).unwrap();
    assert!(matches!(Keeper::open(&slot, schema), Err(OpenError::InUse { .. })));
    drop(first);
    Keeper::open(&slot, schema).unwrap();
}

#[test]
fn a_continue_button_opens_the_slot_anew_in_place() {
    let (memory, slot) = in_memory();
    let Game { ref schema, best, shells } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.submit(best, 100);
    kept.begin(None).unwrap();
    kept.switch_to(&slot).unwrap();
    assert_eq!((kept.get(best).option(), kept.phase()), (Some(100), keblin::Phase::Title));
    let heron = SaveDir::on(Arc::new(memory.clone()), "saves").slot("heron").unwrap();
    kept.set(shells, 3);
    kept.switch_to(&heron).unwrap();
    assert_eq!((kept.get(best).option(), kept.get(shells)), (None, 0));
    assert_eq!(Keeper::open(&slot, schema).unwrap().get(shells), 3, "what was left is saved, and free");
    kept.close().unwrap();
    // If the other slot cannot be opened, the current one is still being played.
    memory.put_file(heron.path(), b"torn".to_vec());
    for path in memory.files().into_keys().filter(|path| path.to_string_lossy().contains("aside/heron.")) {
        memory.put_file(path, b"torn".to_vec());
    }
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.add(shells, 1);
    assert!(matches!(kept.switch_to(&heron), Err(SwitchError::Open(OpenError::Damaged(_)))));
    kept.add(shells, 1);
    kept.close().unwrap();
    assert_eq!(slot.view(schema).unwrap().progress.get(shells), 5);
}

/// Panics at some calls of `append` and `publish`.
#[derive(Debug, Default)]
struct Panicking {
    left: AtomicUsize,
}

impl Watcher for Panicking {
    fn before(&self, doing: Doing, _: &Path) -> Result<(), DiskError> {
        if matches!(doing, Doing::Append | Doing::Publish) {
            let had = self.left.fetch_update(Ordering::SeqCst, Ordering::SeqCst, |left| left.checked_sub(1));
            assert!(had.is_err(), "the cloud has fallen down");
        }
        Ok(())
    }
}

#[test]
fn files_that_panic_are_told_tried_again_and_hang_nothing() {
    let files = Arc::new(Watched::<Panicking>::default());
    let slot = slot_on(&(files.clone() as Arc<dyn Backend>));
    let Game { ref schema, shells, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(shells, 1);
    kept.save_now().unwrap();
    for (value, panics) in [(2, 1), (3, 2)] {
        files.watcher.left.store(panics, Ordering::SeqCst);
        kept.begin_replacing(None);
        kept.enter(schema.level("brook").unwrap()).unwrap();
        kept.finish().unwrap();
        kept.set(shells, value);
        kept.tick(FRAME);
        for _ in 0..20_000 {
            kept.tick(Duration::from_millis(100));
            if !kept.is_saving() {
                break;
            }
            std::thread::sleep(Duration::from_micros(100));
        }
        let told: Vec<Notice> = kept.drain_notices().collect();
        let told = told.iter().filter(|notice| matches!(notice, Notice::NotWritten { .. })).count();
        assert_eq!(told, 1, "reported once");
        assert_eq!(slot.view(schema).unwrap().progress.get(shells), value, "and tried again");
    }
    settle(&mut kept);
    files.watcher.left.store(1, Ordering::SeqCst);
    kept.set(shells, 4);
    let error = kept.close().unwrap_err();
    assert!(error.to_string().contains("writing panicked: the cloud has fallen down"), "{error}");
    assert_eq!(Keeper::open(&slot, schema).unwrap().get(shells), 3);
}

#[test]
fn a_write_that_has_failed_is_still_being_saved_until_it_is_told() {
    let files = Faulty::new(Arc::new(Memory::default()));
    let slot = slot_on(&(Arc::new(files.clone()) as Arc<dyn Backend>));
    let Game { ref schema, shells, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    files.fail(Doing::Publish, ErrorKind::StorageFull, 1);
    kept.set(shells, 1);
    kept.begin(None).unwrap();
    kept.enter(schema.level("brook").unwrap()).unwrap();
    kept.finish().unwrap();
    kept.tick(FRAME);
    // The writer fails while no frame ends. However long that takes, a game that waits for the save must not quit.
    for _ in 0..100 {
        assert!(kept.is_saving());
        std::thread::sleep(Duration::from_millis(1));
    }
    while kept.is_saving() {
        kept.tick(Duration::from_millis(100));
        std::thread::sleep(Duration::from_micros(200));
    }
    assert!(kept.drain_notices().any(|notice| matches!(notice, Notice::NotWritten { .. })));
    assert_eq!(slot.view(schema).unwrap().progress.get(shells), 1);
}

#[test]
fn a_change_is_whole_or_nothing_also_when_the_game_panics_in_the_middle() {
    let (_, slot) = in_memory();
    let Game { ref schema, shells, best } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(shells, 50);
    let entries = kept.journal().count();
    let fell = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
        let _ = kept.all_or_nothing(|game| {
            game.add(shells, -40);
            game.submit(best, 7);
            if game.get(shells) == 10 {
                panic!("the reward has no picture");
            }
            Ok::<(), ()>(())
        });
    }));
    assert!(fell.is_err());
    kept.all_or_nothing(|game| {
        game.add(shells, -1);
        Err::<(), _>("not enough")
    })
    .unwrap_err();
    assert_eq!((kept.get(shells), kept.get(best).option(), kept.journal().count()), (50, None, entries));
    assert_eq!(
        kept.all_or_nothing(|game| Ok::<_, ()>(game.add(shells, -20).after)),
        Ok(keblin::Value::Int(30))
    );
    assert_eq!(kept.journal().count(), entries + 1);
    kept.close().unwrap();
    assert_eq!(slot.view(schema).unwrap().progress.get(shells), 30);
}

#[test]
fn notices_that_nobody_takes_are_dropped_from_the_oldest_and_that_is_told() {
    let Game { schema, best, .. } = game();
    let mut game = keblin::Progress::new(schema);
    for value in 0..100_000 {
        game.submit(best, value);
    }
    let told: Vec<Notice> = game.drain_notices().collect();
    assert_eq!(told.len(), keblin::progress::MAX_NOTICES + 1);
    let expected = u64::try_from(100_001 - keblin::progress::MAX_NOTICES).unwrap();
    assert_eq!(told[0], Notice::Dropped { count: expected });
    assert!(
        matches!(told.last().unwrap(), Notice::NewRecord(record) if record.now == keblin::Value::Int(99_999))
    );
    assert_eq!(game.drain_notices().count(), 0);
}
