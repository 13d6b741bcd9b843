//! The reserve after the last state: states are written into it, and it is never mistaken for damage, nor damage for
//! it.

use std::io::ErrorKind;
use std::sync::Arc;

use keblin::save::{Fault, Stamp, read, write, write_after};
use keblin::store::backend::{Backend, Disk, Doing, Faulty, LeftAt, Memory};
use keblin::store::{Origin, Slot};
use keblin::{Field, Keeper, Progress, SaveDir, Schema};

use crate::keepers::{Game, game, in_memory, shells, slot_on};
use crate::round_trip::stamp;
use crate::tables::fen_post;

fn save_of(schema: &Arc<Schema>) -> Vec<u8> {
    write(&Progress::new(Arc::clone(schema)).snapshot(), &stamp(1))
}

/// Returns a slot that was saved a number of times with one more shell each time, and the length of its file after
/// each.
fn saved(files: &Arc<dyn Backend>, times: i64) -> (Slot, Vec<u64>) {
    let (slot, Game { ref schema, shells, .. }) = (slot_on(files), game());
    let mut kept = Keeper::open(&slot, schema).unwrap();
    let lens = (0..times).map(|_| {
        kept.add(shells, 1);
        kept.save_now().unwrap();
        files.len(&slot.path()).unwrap().unwrap()
    });
    let lens = lens.collect();
    (slot, lens)
}

#[test]
fn a_file_grows_once_in_many_saves_and_starts_again_when_it_is_large() {
    let (slot, lens) = saved(&(Arc::new(Memory::default()) as Arc<dyn Backend>), 700);
    let grown = lens.windows(2).filter(|pair| pair[1] > pair[0]).count();
    let anew = lens.windows(2).filter(|pair| pair[1] < pair[0]).count();
    let same = lens.windows(2).filter(|pair| pair[1] == pair[0]).count();
    assert!(anew >= 1 && grown > anew && same > 10 * (grown + anew), "{grown} {anew} {same}");
    assert!(lens.iter().all(|len| *len <= 256 << 10));
    assert_eq!(shells(&slot, &game()), 700);
}

#[test]
fn room_on_the_disk_is_zero_and_the_state_before_it_is_found() {
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::on(Arc::new(Disk::default()), folder.path());
    let (slot, Game { ref schema, shells: field, .. }) = (dir.slot("otter").unwrap(), game());
    let mut kept = Keeper::open(&slot, schema).unwrap();
    for count in 1..=40 {
        kept.set(field, count);
        let saved = kept.save_now().unwrap().unwrap();
        let bytes = std::fs::read(slot.path()).unwrap();
        let file = read(&bytes).unwrap();
        assert_eq!((file.end(), file.head.number), (saved.len_bytes, saved.number));
        assert!(file.is_last() && bytes[file.end()..].iter().all(|byte| *byte == 0));
        assert_eq!(shells(&slot, &game()), count);
    }
}

#[test]
fn any_byte_in_the_room_is_told_and_a_shorter_or_longer_room_is_none_the_worse() {
    let schema = fen_post();
    let bytes = save_of(&schema);
    for room in [1, 7, 33, 34, 255, 256, 257, 70_000] {
        let with_room = [bytes.clone(), vec![0; room]].concat();
        let file = read(&with_room).unwrap();
        assert!(file.is_last() && file.end() == bytes.len(), "{room}");
        let mut behind = with_room.clone();
        behind.truncate(file.end());
        let after = Stamp { number: 2, ..stamp(2) };
        behind.extend(write_after(&file, &Progress::new(Arc::clone(&schema)).snapshot(), &after, None));
        assert_eq!(read(&behind).unwrap().head.number, 2);
        for at in [0, room / 2, room - 1] {
            let mut damaged = with_room.clone();
            damaged[bytes.len() + at] = 1;
            let file = read(&damaged).unwrap();
            assert_eq!((file.is_last(), file.end()), (false, bytes.len()), "{room}, {at}");
        }
    }
    assert!(matches!(read(&vec![0; 5000]).unwrap_err().fault, Fault::NotASave));
}

/// The check in a foot ends in a zero byte once in 256 saves.
#[test]
fn a_foot_that_ends_in_zero_bytes_keeps_them() {
    let schema = fen_post();
    let mut progress = Progress::new(Arc::clone(&schema));
    let letters: Field<i64> = schema.field("coppers").unwrap();
    let mut ending_in_zero = 0;
    for count in 0..2000 {
        progress.set(letters, count % 900);
        let bytes = write(&progress.snapshot(), &stamp(u64::try_from(count).unwrap() + 1));
        if bytes.ends_with(&[0]) {
            let with_room = [bytes.clone(), vec![0; 500]].concat();
            assert!(read(&with_room).is_ok_and(|file| file.is_last() && file.end() == bytes.len()));
            assert!(read(&bytes).is_ok_and(|file| file.is_last()));
            ending_in_zero += 1;
        }
    }
    assert!(ending_in_zero > 0, "none of them did");
}

#[test]
fn the_list_finds_the_state_before_any_room_and_behind_areas_of_zeros() {
    let (memory, slot) = in_memory();
    let Game { ref schema, shells, .. } = game();
    let mut kept = Keeper::open(&slot, schema).unwrap();
    kept.put_area("fens", Some(vec![0; 300_000])).unwrap();
    for count in 1..=3 {
        kept.set(shells, count);
        kept.save_now().unwrap();
    }
    let bytes = memory.files()[&slot.path()].clone();
    let end = read(&bytes).unwrap().end();
    for room in (0..200).chain(65_400..65_700).chain([1 << 20]) {
        let file = [&bytes[..end], &vec![0; room]].concat();
        let files = Memory::of([(slot.path(), file)]);
        let entry = SaveDir::on(Arc::new(files), "saves").list().unwrap().remove(0);
        let head = entry.head.unwrap_or_else(|error| panic!("{room} bytes of room: {error}"));
        assert_eq!((head.state.number, entry.len_bytes), (3, (end + room) as u64));
    }
}

#[test]
fn nothing_is_written_into_room_that_somebody_else_has_written_into() {
    let (memory, _) = in_memory();
    let files = Arc::new(memory.clone()) as Arc<dyn Backend>;
    let (slot, Game { ref schema, shells: field, .. }) = (slot_on(&files), game());
    let mut kept = Keeper::open(&slot, schema).unwrap();
    for count in 1..=2 {
        kept.set(field, count);
        kept.save_now().unwrap();
    }
    let bytes = memory.files()[&slot.path()].clone();
    let end = read(&bytes).unwrap().end();
    assert!(end < bytes.len());
    let left = LeftAt { len: bytes.len() as u64, end: end as u64, last: &bytes[end - 9..end] };
    assert!(memory.append(&slot.path(), &left, &[b"\xdbkeblin"]).unwrap());
    assert!(!memory.append(&slot.path(), &left, &[b"more"]).unwrap(), "it is not as it was left");
    kept.set(field, 3);
    let saved = kept.save_now().unwrap().unwrap();
    assert_eq!((saved.written_bytes, saved.len_bytes), (saved.len_bytes, saved.len_bytes), "published");
    let names: Vec<String> = memory.files().keys().map(|path| path.display().to_string()).collect();
    assert!(names.contains(&"saves/aside/otter.damaged-1.keblin".to_string()), "{names:?}");
    assert_eq!(shells(&slot, &game()), 3);
}

#[test]
fn where_room_cannot_be_made_the_save_stands_and_the_next_one_is_a_whole_file() {
    for fails in [false, true] {
        let memory = Memory::default();
        let faulty = Faulty::new(Arc::new(memory.clone()));
        let slot = slot_on(&(Arc::new(faulty.clone()) as Arc<dyn Backend>));
        let Game { ref schema, shells: field, .. } = game();
        let mut kept = Keeper::open(&slot, schema).unwrap();
        if fails {
            // The first append is the second save, the next one its reserve.
            faulty.fail_after(Doing::Append, 1, ErrorKind::StorageFull, 1);
        }
        for count in 1..=3 {
            kept.set(field, count);
            let saved = kept.save_now().unwrap().unwrap();
            let is_whole = saved.written_bytes == saved.len_bytes;
            assert_eq!(is_whole, count == 1 || fails && count == 3, "{count}");
            let opened = slot_on(&(Arc::new(Memory::of(memory.files())) as Arc<dyn Backend>)).open(schema);
            let opened = opened.unwrap();
            assert_eq!((&opened.origin, opened.progress.get(field)), (&Origin::File, count));
        }
    }
}
