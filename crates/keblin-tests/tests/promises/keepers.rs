//! The keeper: when it writes, what a game sees of it, and what happens when writing fails.

use std::io::ErrorKind;
use std::sync::Arc;
use std::time::Duration;

use keblin::progress::Erase;
use keblin::snapshot::Picture;
use keblin::store::backend::{Backend, Doing, Faulty, Memory, PowerCut, Tear};
use keblin::store::{OpenError, Origin, PinError, SaveError, Slot};
use keblin::{Field, Keeper, Notice, SaveDir, Schema};

use crate::tables::{fen_post, schema};

pub(crate) const FRAME: Duration = Duration::from_millis(16);

pub(crate) const GAME: &str = r#"
    game = "kept"
    version = 1
    autosave = ["finish", "every 60s"]
    [fields]
    shells = { type = "int", scope = "profile", min = 0 }
    best = { type = "int", scope = "profile", keep = "highest" }
    lamp = { type = "int", scope = "run", on_death = "stays" }
    volume = { type = "int", scope = "device", default = 7 }
    [[levels]]
    id = "brook"
    [[levels]]
    id = "weir"
"#;

pub(crate) struct Game {
    pub(crate) schema: Arc<Schema>,
    pub(crate) shells: Field<i64>,
    pub(crate) best: Field<Option<i64>>,
}

pub(crate) fn game() -> Game {
    let schema = schema(GAME);
    let (shells, best) = (schema.field("shells").unwrap(), schema.field("best").unwrap());
    Game { schema, shells, best }
}

pub(crate) fn slot_on(files: &Arc<dyn Backend>) -> Slot {
    SaveDir::on(Arc::clone(files), "saves").slot("otter").unwrap()
}

pub(crate) fn in_memory() -> (Memory, Slot) {
    let memory = Memory::default();
    let files: Arc<dyn Backend> = Arc::new(memory.clone());
    (memory, slot_on(&files))
}

/// Runs frames until no save is due or being written.
pub(crate) fn settle(game: &mut Keeper) {
    for _ in 0..20_000 {
        game.tick(Duration::ZERO);
        if !game.is_saving() {
            return game.tick(Duration::ZERO);
        }
        std::thread::sleep(Duration::from_micros(200));
    }
    panic!("it never came to rest");
}

pub(crate) fn shells(slot: &Slot, game: &Game) -> i64 {
    slot.view(&game.schema).unwrap().progress.get(game.shells)
}

#[test]
fn a_keeper_says_beforehand_which_frames_save() {
    let (memory, slot) = in_memory();
    let text = GAME.replace("every 60s", "every 7s").replace("\"finish\"", "\"finish\", \"change every 3s\"");
    let (schema, mut random) = (schema(&text), fastrand::Rng::with_seed(31));
    let shells: Field<i64> = schema.field("shells").unwrap();
    let brook = schema.level("brook").unwrap();
    let mut kept = Keeper::open(&slot, &schema).unwrap();
    kept.begin(None).unwrap();
    kept.enter(brook).unwrap();
    let (mut saves, mut frames) = (0, 0);
    for _ in 0..2_000 {
        match random.u8(..60) {
            0 => _ = kept.add(shells, 1),
            1 => _ = kept.finish(),
            2 => _ = kept.enter(brook),
            3 => kept.pause(random.bool()),
            4 => _ = kept.erase(&Erase::Field(0), true),
            _ => {}
        }
        let before = memory.files();
        let elapsed = Duration::from_millis(random.u64(..200));
        let says = kept.will_save(elapsed);
        kept.tick(elapsed);
        settle(&mut kept);
        let has_saved = memory.files() != before;
        // Time that is not played may make it say so for nothing.
        assert!(says || !has_saved, "a frame that saves was not announced");
        (saves, frames) = (saves + u32::from(has_saved), frames + u32::from(says));
    }
    assert!(saves > 40 && frames < saves + 300, "{saves} saves, {frames} announced");
}

#[test]
fn events_make_it_due_and_the_frame_that_ends_hands_it_over_once() {
    let (memory, slot) = in_memory();
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.tick(FRAME);
    assert!(memory.files().is_empty(), "a first run that has done nothing has written something");
    kept.begin(None).unwrap();
    kept.enter(schema.level("brook").unwrap()).unwrap();
    kept.finish().unwrap();
    assert!(memory.files().is_empty(), "the frame has not ended");
    // The value after the event, whatever the order of the calls.
    kept.add(field, 5);
    kept.tick(FRAME);
    settle(&mut kept);
    assert_eq!(shells(&slot, &game()), 5);
    let before = memory.files();
    kept.add(field, 1);
    kept.tick(FRAME);
    settle(&mut kept);
    assert_eq!(memory.files(), before, "nothing that `autosave` names has happened");
    kept.resume().unwrap_err();
    kept.enter(schema.level("weir").unwrap()).unwrap();
    for _ in 0..60 {
        kept.tick(Duration::from_secs(1));
    }
    settle(&mut kept);
    assert_eq!(shells(&slot, &game()), 6, "a minute was played");
}

#[test]
fn seven_changes_are_one_write_and_the_value_after_them_is_in_it() {
    let (_, slot) = in_memory();
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(field, 31);
    assert_eq!(kept.save_now().unwrap().unwrap().number, 1);
    for _ in 0..7 {
        kept.add(field, 1);
        kept.tick(FRAME);
    }
    let saved = kept.save_now().unwrap().unwrap();
    assert_eq!((saved.number, shells(&slot, &game())), (2, 38));
    assert!(saved.written_bytes < saved.len_bytes, "it was appended");
    kept.set(field, 40);
    kept.suspend().unwrap();
    assert_eq!(shells(&slot, &game()), 40);
    kept.add(field, 3);
    let line = kept.overlay().into_iter().find(|line| line.name == "shells").unwrap();
    assert_eq!((line.unsaved, line.to_string().as_str()), (true, "shells 43 unsaved"));
    kept.close().unwrap();
    assert_eq!(shells(&slot, &game()), 43);
}

#[test]
fn killed_between_any_two_steps_of_writing_the_letters_are_those_before_or_after() {
    let schema = fen_post();
    let letters: Field<i64> = schema.field("letters").unwrap();
    let files = PowerCut::new();
    let slot = slot_on(&(Arc::new(files.clone()) as Arc<dyn Backend>));
    let mut kept = Keeper::open(&slot, &schema).unwrap();
    kept.begin(None).unwrap();
    kept.enter(schema.level("reedgate").unwrap()).unwrap();
    kept.add(letters, 31);
    kept.save_now().unwrap();
    let before = files.calls();
    (0..7).for_each(|_| drop(kept.add(letters, 1)));
    kept.save_now().unwrap();
    let after = files.calls();
    kept.add(letters, 2);
    kept.suspend().unwrap();
    let suspended = files.calls();
    kept.add(letters, 3);
    let held = |calls, tear| {
        let left = Arc::new(files.after(calls, tear)) as Arc<dyn Backend>;
        slot_on(&left).open(&schema).unwrap().progress.get(letters)
    };
    for calls in before..=suspended {
        for tear in [Tear::Lost, Tear::Kept, Tear::Half, Tear::Zeroed, Tear::Mixed(7)] {
            let held = held(calls, tear);
            let expected: &[i64] = match calls {
                _ if calls < after => &[31, 38],
                _ if calls < suspended => &[38, 40],
                _ => &[40],
            };
            assert!(expected.contains(&held), "{held} after call {calls}, {tear:?}");
        }
    }
    assert_eq!(after - before, 3, "to append, to make room and to sync, and nothing else");
    assert_eq!(suspended - after, 2, "to write into the room and to sync, and nothing else");
}

#[test]
fn a_write_that_fails_is_told_once_and_tried_again_while_play_goes_on() {
    let memory = Memory::default();
    let faulty = Faulty::new(Arc::new(memory.clone()));
    let slot = slot_on(&(Arc::new(faulty.clone()) as Arc<dyn Backend>));
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(field, 1);
    kept.save_now().unwrap();
    let failures = [
        (Doing::Append, ErrorKind::StorageFull),
        (Doing::Sync, ErrorKind::Other),
        (Doing::Publish, ErrorKind::PermissionDenied),
        (Doing::Read, ErrorKind::Other),
        (Doing::Append, ErrorKind::ReadOnlyFilesystem),
    ];
    for (number, (doing, error)) in (2..).zip(failures) {
        drop(kept.drain_notices());
        if doing == Doing::Publish {
            // So that it has a whole file to write.
            drop(kept.drain_notices());
            faulty.fail(Doing::Append, error, 1);
            kept.save_now().unwrap_err();
        }
        faulty.fail(doing, error, 1);
        kept.set(field, number);
        let told = match kept.save_now() {
            Err(SaveError::Disk(told)) => told,
            other => panic!("{doing:?} did not fail: {other:?}"),
        };
        assert!(!told.to_string().is_empty() && told.path.starts_with("saves"), "{told}");
        let found = slot.view(schema);
        assert!(
            found.is_err() || (number - 1..=number).contains(&found.unwrap().progress.get(field)),
            "{doing:?} has lost something"
        );
        // The keeper tries again, soon at first and then later, and reports the failure once.
        let mut frames = 0;
        while kept.is_saving() {
            kept.tick(FRAME);
            std::thread::sleep(Duration::from_micros(50));
            frames += 1;
            assert!(frames < 20_000, "{doing:?} is not tried again");
        }
        kept.tick(FRAME);
        let told: Vec<Notice> =
            kept.drain_notices().filter(|notice| matches!(notice, Notice::NotWritten { .. })).collect();
        assert_eq!(told.len(), 1, "{doing:?}: {told:?}");
        assert_eq!(shells(&slot, &game()), number, "{doing:?}");
        assert!(frames > 60, "{doing:?} is tried again after a second, not in every frame");
    }
    kept.close().unwrap();
    assert_eq!(shells(&slot, &game()), 6);
}

#[test]
fn nothing_is_appended_where_a_write_or_a_sync_has_failed() {
    let memory = Memory::default();
    let faulty = Faulty::new(Arc::new(memory.clone()));
    let slot = slot_on(&(Arc::new(faulty.clone()) as Arc<dyn Backend>));
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.save_now().unwrap();
    for doing in [Doing::Append, Doing::Sync] {
        let appended = kept.save_now().unwrap().unwrap();
        assert!(appended.written_bytes < appended.len_bytes);
        faulty.fail(doing, ErrorKind::Other, 1);
        kept.add(field, 1);
        kept.save_now().unwrap_err();
        let whole = kept.save_now().unwrap().unwrap();
        assert_eq!(whole.written_bytes, whole.len_bytes, "{doing:?}");
        assert!(whole.replaced.is_none(), "what is there is ours");
    }
}

#[test]
fn areas_are_written_when_they_change_and_shared_when_they_do_not() {
    let (memory, slot) = in_memory();
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    let size = 20_000;
    for area in 0..10 {
        kept.put_area(&format!("area_{area}"), Some(vec![area; size])).unwrap();
    }
    let first = kept.save_now().unwrap().unwrap();
    assert!(first.written_bytes > 10 * size);
    kept.put_area("area_3", Some(vec![77; size])).unwrap();
    // Putting the same bytes again is not a change.
    kept.put_area("area_4", Some(vec![4; size])).unwrap();
    kept.add(field, 1);
    let second = kept.save_now().unwrap().unwrap();
    assert!(
        second.written_bytes < size + 4096 + 72 * 13,
        "{} bytes for one area of {size}",
        second.written_bytes
    );
    let opened = slot.view(schema).unwrap().progress;
    let held = |area: u8| opened.area(&format!("area_{area}")).map(|bytes| (bytes[0], bytes.len()));
    assert_eq!((held(3), held(4), held(10)), (Some((77, size)), Some((4, size)), None));
    // A file with much stale data is published anew.
    let mut lengths = Vec::new();
    for number in 0..20 {
        kept.put_area("area_5", Some(vec![100 + number; size])).unwrap();
        lengths.push(kept.save_now().unwrap().unwrap().len_bytes);
    }
    assert!(lengths.windows(2).any(|pair| pair[1] < pair[0]), "{lengths:?}");
    assert!(lengths.iter().all(|len| *len < 3 * 10 * size), "{lengths:?}");
    kept.put_area("area_5", None).unwrap();
    kept.close().unwrap();
    assert!(slot.view(schema).unwrap().progress.area("area_5").is_none());
    assert!(keblin::verify::verify(&memory.files()[&slot.path()], schema).unwrap().findings().is_empty());
}

#[test]
fn a_keeper_of_bytes_touches_nothing_and_gives_what_is_due() {
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::from_bytes(schema, None).unwrap();
    assert_eq!(kept.take_due(1).unwrap(), None);
    kept.begin(None).unwrap();
    kept.enter(schema.level("brook").unwrap()).unwrap();
    kept.finish().unwrap();
    kept.add(field, 4);
    kept.tick(FRAME);
    let first = kept.take_due(1_000).unwrap().unwrap();
    assert_eq!((first.number, first.cause.as_str()), (1, "finish"));
    assert_eq!(kept.take_due(1_001).unwrap(), None);
    kept.not_kept(&first.cause, "the cloud is away");
    assert!(kept.drain_notices().any(|notice| matches!(notice, Notice::NotWritten { .. })));
    let again = kept.take_due(1_002).unwrap().unwrap();
    assert_eq!((again.number, again.cause.as_str()), (2, "finish"));
    assert_eq!(kept.suspend().unwrap(), None);
    assert_eq!(kept.take_due(1_003).unwrap().unwrap().cause, "suspend");
    let mut opened = Keeper::from_bytes(schema, Some(&again.bytes)).unwrap();
    assert_eq!((opened.get(field), opened.origin()), (4, &Origin::File));
    opened.save_now().unwrap();
    assert_eq!(opened.take_due(1_004).unwrap().unwrap().number, 3, "it counts on");
    assert!(Keeper::from_bytes(schema, Some(b"torn")).is_err());
    assert!(matches!(opened.pin("here"), Err(PinError::Save(SaveError::OnlyLooking))));
}

#[test]
fn looking_at_a_slot_that_is_played_writes_nothing() {
    let (memory, slot) = in_memory();
    let other = slot_on(&(Arc::new(memory.clone()) as Arc<dyn Backend>));
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(field, 3);
    kept.save_now().unwrap();
    assert!(matches!(Keeper::open(&other, schema), Err(OpenError::InUse { .. })));
    let before = memory.files();
    let mut view = Keeper::view(&other, schema).unwrap();
    view.add(field, 1);
    view.tick(FRAME);
    assert!(matches!(view.save_now(), Err(SaveError::OnlyLooking)));
    drop(view);
    assert_eq!(memory.files(), before);
}

#[test]
fn a_slot_is_opened_while_the_title_is_shown() {
    let (_, slot) = in_memory();
    let Game { ref schema, shells: field, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.set(field, 3);
    let picture = Picture::new("image/png", vec![0x89, 0x50]).unwrap();
    kept.set_picture(Some(picture.clone()));
    // Dropping it saves as closing does.
    drop(kept);
    assert_eq!(slot.picture(schema).unwrap(), Some(picture));
    let opening = Keeper::open_later(&slot, schema).unwrap();
    while !opening.is_done() {
        std::thread::sleep(Duration::from_micros(100));
    }
    let kept = opening.wait().unwrap();
    assert_eq!((kept.get(field), kept.origin()), (3, &Origin::File));
}

#[test]
fn a_discard_leaves_the_last_save_the_last_and_brings_back_nothing_that_was_erased() {
    let Game { schema, shells, best } = game();
    let (_, slot) = in_memory();
    let mut kept = Keeper::open(&slot, &schema).unwrap();
    kept.set(shells, 3);
    kept.save_now().unwrap();
    kept.set(shells, 99);
    kept.begin(None).unwrap();
    kept.discard().unwrap();
    let mut kept = Keeper::open(&slot, &schema).expect("the slot is free again");
    assert_eq!((kept.get(shells), kept.resume_point().is_some()), (3, false));
    // What was due and is written stays.
    kept.begin(None).unwrap();
    kept.enter(schema.level("brook").unwrap()).unwrap();
    kept.submit(best, 9);
    kept.finish().unwrap();
    settle(&mut kept);
    kept.set(shells, 98);
    kept.discard().unwrap();
    let mut kept = Keeper::open(&slot, &schema).unwrap();
    assert_eq!((kept.get(shells), kept.get(best)), (3, Some(9).into()));
    // The player's yes is not undone.
    kept.erase(&Erase::Profile, true).unwrap();
    kept.discard().unwrap();
    let kept = Keeper::open(&slot, &schema).unwrap();
    assert_eq!((kept.get(shells), kept.get(best)), (0, None.into()));
    // Of a view there is nothing to save.
    drop(kept);
    Keeper::view(&slot, &schema).unwrap().discard().unwrap();
}

#[test]
fn a_discard_writes_an_erasure_that_the_writer_could_not_write() {
    let Game { schema, shells, .. } = game();
    let memory = Memory::default();
    let faulty = Faulty::new(Arc::new(memory.clone()));
    let files: Arc<dyn Backend> = Arc::new(faulty.clone());
    let slot = slot_on(&files);
    let mut kept = Keeper::open(&slot, &schema).unwrap();
    kept.set(shells, 3);
    kept.save_now().unwrap();
    faulty.fail(Doing::Publish, ErrorKind::StorageFull, 1);
    kept.erase(&Erase::Profile, true).unwrap();
    kept.tick(FRAME);
    kept.discard().unwrap();
    assert_eq!(Keeper::open(&slot, &schema).unwrap().get(shells), 0);
}
