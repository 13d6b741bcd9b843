//! A folder of slots: listed by their heads, copied, removed, locked, viewed, and what remains when a slot is lost.

use std::fs;
use std::path::Path;
use std::sync::Arc;

use keblin::snapshot::Picture;
use keblin::store::{OpenError, Origin, SaveError, SlotError};
use keblin::verify::{Kept, examine, salvage, verify};
use keblin::{Field, Notice, Progress, SaveDir, Schema};

use crate::tables::fen_post;

fn coppers(schema: &Schema) -> Field<i64> {
    schema.field("coppers").unwrap()
}

fn with_coppers(schema: &Arc<Schema>, count: i64) -> Progress {
    let mut game = Progress::new(Arc::clone(schema));
    game.set(coppers(schema), count);
    game
}

fn save(dir: &SaveDir, name: &str, game: &Progress) {
    dir.slot(name).unwrap().save(&game.snapshot(), "quit").unwrap();
}

fn spoil(path: &Path) {
    let mut bytes = fs::read(path).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 0x10;
    fs::write(path, bytes).unwrap();
}

#[test]
fn the_list_of_slots_tells_where_each_stands_without_reading_its_values() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    let mut game = Progress::new(Arc::clone(&schema));
    let reedgate = schema.level("reedgate").unwrap();
    game.begin(None).unwrap();
    game.enter(reedgate).unwrap();
    game.finish_with_stars(3).unwrap();
    game.enter(reedgate).unwrap();
    game.reach(schema.checkpoint(reedgate, "osier").unwrap()).unwrap();
    // The picture makes the file longer than the part that the list reads.
    let picture = Picture::new("image/png", vec![0x5a; 200_000]).unwrap();
    let error = Picture::new("image/png", vec![0; (4 << 20) + 1]).unwrap_err();
    assert!(error.to_string().starts_with("expected a picture of at most 4194304 bytes, but found 4194305"));
    let snapshot = game.snapshot().with_picture(picture.clone());
    dir.slot("otter").unwrap().save(&snapshot, "pause").unwrap();
    save(&dir, "heron", &with_coppers(&schema, 5));
    save(&dir, "eel", &with_coppers(&schema, 6));
    fs::write(folder.path().join("eel.keblin"), b"no save at all").unwrap();
    fs::write(folder.path().join("notes.txt"), b"not ours").unwrap();

    let entries = dir.list().unwrap();
    let names: Vec<&str> = entries.iter().map(|entry| entry.name.as_str()).collect();
    assert_eq!(names, ["eel", "heron", "otter"]);
    assert_eq!(entries[0].head.as_ref().unwrap_err().fault.code().as_str(), "not_a_save");
    let head = entries[2].head.as_ref().unwrap();
    assert_eq!((head.game.as_str(), head.state.number, head.state.cause.as_str()), ("fen_post", 1, "pause"));
    let summary = &head.state.summary;
    assert_eq!((summary.level.as_deref(), summary.checkpoint.as_deref()), (Some("reedgate"), Some("osier")));
    assert_eq!((summary.percent, summary.stars, summary.picture), (7, 3, true));
    assert_eq!(summary.level_title(&schema), Some("Reedgate"));
    assert!(entries[2].len_bytes > 200_000);
    assert_eq!(dir.slot("otter").unwrap().picture(&schema).unwrap(), Some(picture));
    assert_eq!(dir.slot("heron").unwrap().picture(&schema).unwrap(), None);
    assert!(entries[1].head.as_ref().unwrap().state.summary.level.is_none());

    save(&dir, "heron", &with_coppers(&schema, 7));
    let newest = dir.newest().unwrap().unwrap();
    let saved_at = |index: usize| entries[index].head.as_ref().unwrap().state.saved_at_unix_ms;
    assert!(newest.head.unwrap().state.saved_at_unix_ms >= saved_at(2).max(saved_at(1)));
}

#[test]
fn a_slot_is_copied_whole_and_removed_by_setting_it_aside() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    for count in [1, 2] {
        save(&dir, "otter", &with_coppers(&schema, count));
    }
    let copy = dir.copy("otter", "heron").unwrap();
    assert_eq!(fs::read(copy.path()).unwrap(), fs::read(folder.path().join("otter.keblin")).unwrap());
    drop(copy);
    assert!(matches!(dir.copy("otter", "heron"), Err(SlotError::Taken { .. })));
    assert!(matches!(dir.copy("eel", "pike"), Err(SlotError::Missing { .. })));
    assert!(matches!(dir.copy("otter", "../pike"), Err(SlotError::Name(_))));
    spoil(&folder.path().join("heron.keblin"));
    let error = dir.copy("heron", "pike").unwrap_err();
    assert!(error.to_string().ends_with("open the slot once to repair it, then copy it"), "{error}");

    let aside = dir.remove("otter").unwrap();
    let names: Vec<&str> = aside.iter().map(|path| path.file_name().unwrap().to_str().unwrap()).collect();
    assert_eq!(names, ["otter.removed-1.keblin", "otter.removed-2.keblin", "otter.removed-3.keblin"]);
    assert!(aside.iter().all(|path| path.exists()));
    assert_eq!(dir.slot("otter").unwrap().open(&schema).unwrap().origin, Origin::FirstRun);
    assert!(matches!(dir.remove("otter"), Err(SlotError::Missing { .. })));
}

#[test]
fn a_slot_that_is_open_is_refused_to_others_who_may_look_at_it() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    let ours = dir.slot("otter").unwrap();
    let theirs = dir.slot("otter").unwrap();
    // A first run does not take a lock: both may begin, and the first to save gets the slot.
    assert_eq!(ours.open(&schema).unwrap().origin, Origin::FirstRun);
    assert_eq!(theirs.open(&schema).unwrap().origin, Origin::FirstRun);
    assert!(!ours.lock_path().exists());
    ours.save(&with_coppers(&schema, 1).snapshot(), "quit").unwrap();
    let before = fs::read(ours.path()).unwrap();
    let Err(SaveError::InUse { lock }) = theirs.save(&with_coppers(&schema, 2).snapshot(), "quit") else {
        panic!("two wrote the same slot")
    };
    assert_eq!(lock, ours.lock_path());
    let error = theirs.open(&schema).unwrap_err();
    assert!(matches!(error, OpenError::InUse { .. }));
    assert!(error.to_string().starts_with("the slot is already open: "), "{error}");
    assert!(matches!(dir.remove("otter"), Err(SlotError::InUse { .. })));
    assert_eq!(theirs.view(&schema).unwrap().progress.get(coppers(&schema)), 1);
    assert_eq!(fs::read(ours.path()).unwrap(), before);
    let clone = ours.clone();
    drop(ours);
    assert!(theirs.open(&schema).is_err(), "a clone still has it");
    drop(clone);
    assert_eq!(theirs.open(&schema).unwrap().origin, Origin::File);
}

#[test]
fn looking_at_a_damaged_slot_changes_nothing() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    for count in [1, 2] {
        save(&dir, "otter", &with_coppers(&schema, count));
    }
    let slot = dir.slot("otter").unwrap();
    spoil(&slot.path());
    let before = fs::read(slot.path()).unwrap();
    let seen = slot.view(&schema).unwrap();
    assert!(matches!(seen.origin, Origin::Previous { set_aside: None, .. }));
    assert_eq!(seen.progress.get(coppers(&schema)), 1);
    assert_eq!(fs::read(slot.path()).unwrap(), before);
}

#[test]
fn an_older_file_put_there_by_hand_does_not_win_over_the_later_copy() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    let slot = dir.slot("otter").unwrap();
    let mut older = Vec::new();
    for count in [1, 2, 3] {
        slot.save(&with_coppers(&schema, count).snapshot(), "quit").unwrap();
        older.push(fs::read(slot.path()).unwrap());
    }
    fs::write(slot.path(), &older[0]).unwrap();
    let opened = slot.open(&schema).unwrap();
    assert_eq!(opened.progress.get(coppers(&schema)), 2, "save 2 is in the copy, save 1 in the file");
    let Origin::Previous { fault, set_aside: Some(aside) } = opened.origin else { panic!() };
    assert!(fault.to_string().ends_with("the file holds save 1, but the backup holds the later save 2"));
    assert_eq!(aside.file_name().unwrap(), "otter.older-1.keblin");
    let saved = slot.save(&opened.progress.snapshot(), "quit").unwrap();
    assert_eq!(saved.number, 3);
}

#[test]
fn where_no_whole_save_is_left_an_earlier_one_that_was_set_aside_is_offered() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    let slot = dir.slot("otter").unwrap();
    for count in [1, 2, 3] {
        slot.save(&with_coppers(&schema, count).snapshot(), "quit").unwrap();
    }
    fs::write(folder.path().join("aside/otter.older-1.keblin"), fs::read(slot.previous_path()).unwrap())
        .unwrap();
    [slot.path(), slot.previous_path()].iter().for_each(|path| spoil(path));
    let Err(OpenError::Damaged(ruin)) = slot.open(&schema) else { panic!("damage was not reported") };
    assert_eq!(ruin.offer().unwrap().number, 2);
    assert!(ruin.to_string().contains("save 2 is intact in "), "{ruin}");
    let mut opened = ruin.earlier().unwrap().unwrap();
    assert!(matches!(opened.origin, Origin::SetAside { .. }));
    assert!(opened.progress.drain_notices().any(|notice| notice == Notice::FellBack));
    assert_eq!(opened.progress.get(coppers(&schema)), 2);
    assert_eq!(slot.save(&opened.progress.snapshot(), "quit").unwrap().number, 3, "it continues from there");
    assert_eq!(slot.open(&schema).unwrap().progress.get(coppers(&schema)), 2);
}

#[test]
fn what_a_broken_write_left_whole_is_not_written_over_when_it_is_all_there_is() {
    let schema = fen_post();
    for goes_on in [true, false] {
        let folder = tempfile::tempdir().unwrap();
        let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
        for count in [1, 2] {
            slot.save(&with_coppers(&schema, count).snapshot(), "quit").unwrap();
        }
        // Cut off before the last rename; then both files are damaged.
        let leftover = fs::read(slot.path()).unwrap();
        fs::write(folder.path().join("aside/otter.fresh-00000000000000a7.keblin"), &leftover).unwrap();
        [slot.path(), slot.previous_path()].iter().for_each(|path| spoil(path));
        let Err(OpenError::Damaged(ruin)) = slot.open(&schema) else { panic!("damage was not reported") };
        let kept = folder.path().join("aside/otter.unfinished-1.keblin");
        if goes_on {
            let opened = ruin.earlier().unwrap().unwrap();
            assert_eq!(opened.origin, Origin::SetAside { path: kept.clone() });
            assert_eq!(opened.progress.get(coppers(&schema)), 2);
        } else {
            ruin.start_fresh().unwrap();
        }
        slot.save(&with_coppers(&schema, 9).snapshot(), "quit").unwrap();
        assert_eq!(fs::read(&kept).unwrap(), leftover);
    }
}

#[test]
fn single_sections_are_salvaged_when_no_state_is_whole() {
    let schema = fen_post();
    let folder = tempfile::tempdir().unwrap();
    let dir = SaveDir::at(folder.path());
    let mut game = with_coppers(&schema, 55);
    game.begin(None).unwrap();
    game.set_title("The wet spring").unwrap();
    save(&dir, "otter", &game);
    let mut bytes = fs::read(folder.path().join("otter.keblin")).unwrap();
    // The run is damaged, and with it the state; the profile is intact.
    let run = keblin::save::read(&bytes).unwrap().sections[1].body_offset;
    bytes[run] ^= 0xff;
    assert!(verify(&bytes, &schema).is_err());
    let salvaged = salvage(&bytes, &schema).unwrap();
    let again = Progress::restored(salvaged.snapshot);
    assert_eq!((again.get(coppers(&schema)), again.title()), (55, Some("The wet spring")));
    let taken: Vec<_> =
        salvaged.parts.iter().map(|part| (part.section.clone(), part.offset.is_some(), part.whole)).collect();
    let part = |name: &str, is_there, whole| (name.to_string(), is_there, whole);
    assert_eq!(taken, [part("profile", true, 1), part("run", false, 0), part("world", true, 1)]);
    // Even without a header; but not from another game's file.
    assert!(salvage(&bytes[40..], &schema).is_ok());
    let other = crate::tables::schema("game = 'other'\nversion = 1\n[fields]\n");
    assert_eq!(salvage(&bytes, &other).unwrap_err().fault.code().as_str(), "other_game");
    assert_eq!(salvage(b"nothing of ours", &schema).unwrap_err().fault.code().as_str(), "cut");
}

#[test]
fn examining_tells_damage_in_states_that_nobody_opens_any_more() {
    let schema = fen_post();
    let (bytes, _) = crate::damage::three_states(&schema);
    let whole = examine(&bytes, &schema);
    assert!(whole.findings.is_empty(), "{:?}", whole.findings);
    assert_eq!(
        whole.states.iter().map(|state| state.number).collect::<Vec<_>>(),
        [Some(1), Some(2), Some(3)]
    );
    let mut spoilt = bytes.clone();
    spoilt[200] ^= 0x01;
    let examined = examine(&spoilt, &schema);
    assert!(matches!(&examined.kept, Ok(Kept::Slot { number: 3, .. })));
    let told: Vec<String> = examined.findings.iter().map(ToString::to_string).collect();
    assert_eq!(told.len(), 1, "{told:?}");
    assert!(told[0].starts_with("profile, byte ") && told[0].ends_with("[stale_damaged]"), "{told:?}");
    assert_eq!(examined.states.iter().map(|state| state.whole).collect::<Vec<_>>(), [false, true, true]);
    // The settings of a device are examined too.
    let device = keblin::save::write_device(
        &Progress::new(Arc::clone(&schema)).snapshot(),
        &crate::round_trip::stamp(4),
    );
    assert!(matches!(examine(&device, &schema).kept, Ok(Kept::Device { number: 4 })));
}
