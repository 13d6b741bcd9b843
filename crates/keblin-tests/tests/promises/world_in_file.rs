//! The areas of a large world stay in the file until they are needed, whatever happens to the file meanwhile.

use std::fs;
use std::path::Path;
use std::sync::Arc;

use keblin::save::{Stamp, write};
use keblin::store::backend::Counted;
use keblin::store::{Origin, Slot};
use keblin::verify::{salvage, verify};
use keblin::world::WorldWhy;
use keblin::{Area, ObjectId, SaveDir, WorldObject};

use crate::keepers::in_memory;

keblin::schema!(names, "tests/promises/steppe.toml");

type Cell = Area<names::Game>;

#[derive(Clone, Debug, PartialEq, WorldObject)]
#[world(names::kinds::tree)]
struct Tree {
    #[world(id)]
    id: ObjectId,
    height: f64,
}

fn cell(number: u16) -> Cell {
    names::areas::at([number % 100, number / 100]).unwrap()
}

/// The trees of an area, as a player left them.
fn trees(number: u16, count: u32) -> Vec<Tree> {
    let tree = |at: u32| Tree { id: at.into(), height: f64::from(number) + f64::from(at) / 1e6 };
    (0..count).map(tree).collect()
}

fn put(game: &mut names::Keeper, number: u16, trees: &[Tree]) {
    if !game.is_loaded(cell(number)) {
        game.recall(cell(number), |area| area.objects(&mut trees.to_vec())).unwrap();
    }
    game.put_by(cell(number), |area| area.objects(trees)).unwrap();
}

fn recalled(game: &mut names::Keeper, number: u16) -> Vec<Tree> {
    let mut trees = Vec::new();
    game.recall(cell(number), |area| area.objects(&mut trees)).unwrap();
    trees
}

/// Saves a world with as many areas, each with as many trees.
fn saved(slot: &Slot, areas: u16, count: u32) {
    let mut game = names::Keeper::open(slot).unwrap();
    game.begin(None).unwrap();
    (0..areas).for_each(|number| put(&mut game, number, &trees(number, count)));
    game.close().unwrap();
}

fn open(slot: &Slot) -> names::Keeper {
    names::Keeper::open(slot).unwrap()
}

/// Changes a byte of an area in a file, in place; of a state that has it, the last one.
fn rot(path: &Path, number: u16) {
    let mut bytes = fs::read(path).unwrap();
    let name = format!("area.{}", cell(number).id());
    let found = bytes.windows(name.len()).position(|part| part == name.as_bytes()).unwrap();
    bytes[found + 500] ^= 0xff;
    fs::write(path, bytes).unwrap();
}

fn notices(game: &mut names::Keeper) -> Vec<String> {
    game.drain_notices().map(|notice| notice.text(names::schema())).collect()
}

#[test]
fn opening_a_large_save_reads_a_fiftieth_of_it_and_an_area_when_it_is_needed() {
    let folder = tempfile::tempdir().unwrap();
    let files = Counted::default();
    let slot = SaveDir::on(Arc::new(files.clone()), folder.path()).slot("otter").unwrap();
    saved(&slot, 200, 5_000);
    let len = fs::metadata(slot.path()).unwrap().len();
    assert!(len > 16_000_000, "{len}");
    let read = || files.take_read();
    let (_, written) = (read(), files.take_written());
    let mut game = open(&slot);
    let opening = read();
    assert_eq!(recalled(&mut game, 17), trees(17, 5_000));
    let one = read();
    println!("{len} bytes: opening reads {opening}, an area {one}");
    assert!(written >= 2 * len, "the save, and its backup");
    // Both are looked at.
    assert!(opening * 50 < len, "{opening} of {len}");
    assert!(one * 150 < len, "{one} of {len}");
    // What was read is not read again.
    game.put_by(cell(17), |area| area.objects(&trees(17, 5_000))).unwrap();
    assert_eq!((recalled(&mut game, 17).len(), read()), (5_000, 0));
    // A save has all of it, also what was never needed.
    game.put_by(cell(17), |area| area.objects(&trees(17, 4_000))).unwrap();
    game.save_now().unwrap();
    put(&mut game, 18, &trees(18, 5_000));
    put(&mut game, 17, &trees(17, 3_000));
    game.close().unwrap();
    // The reserve that the appended state left went with the keeper.
    let closed = fs::read(slot.path()).unwrap();
    assert_eq!(keblin::save::read(&closed).unwrap().end(), closed.len());
    read();
    open(&slot).discard().unwrap();
    let opening = read();
    println!("after an appended state, opening reads {opening}");
    assert!(opening * 50 < len, "{opening} of {len}");
    let mut game = open(&slot);
    assert_eq!((0..200).filter(|number| recalled(&mut game, *number) == trees(*number, 5_000)).count(), 199);
}

#[test]
fn a_file_that_is_exchanged_or_deleted_while_the_game_runs_takes_no_area_along() {
    for exchange in [true, false] {
        let folder = tempfile::tempdir().unwrap();
        let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
        saved(&slot, 20, 2_000);
        let mut game = open(&slot);
        assert_eq!(recalled(&mut game, 3), trees(3, 2_000));
        fs::remove_file(slot.path()).unwrap();
        fs::remove_dir_all(folder.path().join("aside")).unwrap();
        if exchange {
            let other = SaveDir::at(folder.path().join("other")).slot("otter").unwrap();
            saved(&other, 1, 1);
            fs::copy(other.path(), slot.path()).unwrap();
        }
        assert_eq!(recalled(&mut game, 4), trees(4, 2_000), "it is read from the file that was opened");
        put(&mut game, 3, &trees(3, 1_000));
        game.save_now().unwrap();
        let shown = notices(&mut game);
        assert!(shown.iter().all(|notice| !notice.contains("no longer be read")), "{shown:?}");
        game.close().unwrap();
        let mut game = open(&slot);
        for number in 0..20 {
            let count = if number == 3 { 1_000 } else { 2_000 };
            assert_eq!(recalled(&mut game, number), trees(number, count));
        }
    }
}

#[test]
fn an_area_that_rots_in_the_file_is_taken_from_the_backup() {
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    saved(&slot, 20, 2_000);
    // Whether it rots before or after the file is opened.
    rot(&slot.path(), 5);
    let mut game = open(&slot);
    rot(&slot.path(), 6);
    // The backup rots too, elsewhere.
    rot(&folder.path().join("aside/otter.previous.keblin"), 9);
    assert_eq!(*game.origin(), Origin::File);
    for number in [5, 6, 7] {
        assert_eq!(recalled(&mut game, number), trees(number, 2_000));
    }
    game.save_now().unwrap();
    let shown = notices(&mut game);
    assert!(shown.iter().any(|notice| notice.contains("set aside")), "{shown:?}");
    game.close().unwrap();
    let mut game = open(&slot);
    assert!((0..20).all(|number| recalled(&mut game, number) == trees(number, 2_000)));
}

#[test]
fn an_area_that_no_file_has_is_lost_alone_and_the_player_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let slot = SaveDir::at(folder.path()).slot("otter").unwrap();
    saved(&slot, 20, 2_000);
    let mut game = open(&slot);
    put(&mut game, 6, &trees(6, 1_999));
    game.close().unwrap();
    // The backup has area 6 as it was, and area 5 as it is; then it rots too.
    let mut game = open(&slot);
    let backup = folder.path().join("aside/otter.previous.keblin");
    for (path, number) in [(slot.path(), 5), (backup, 5), (slot.path(), 6)] {
        rot(&path, number);
    }
    for number in [5, 6] {
        let error = game.recall(cell(number), |area| area.objects(&mut Vec::<Tree>::new())).unwrap_err();
        assert!(matches!(error.why, WorldWhy::Unread { .. }), "{error}");
        let text = format!("area {} cannot be read from the save, and is left as it is: ", cell(number).id());
        assert!(error.to_string().starts_with(&text), "{error}");
    }
    assert_eq!(recalled(&mut game, 7), trees(7, 2_000));
    let saved = game.save_now().unwrap().unwrap();
    let lost: Vec<&str> = saved.lost_areas().collect();
    assert_eq!(lost, [cell(5).id(), cell(6).id()]);
    let shown = notices(&mut game);
    for expected in
        ["cell_5_0 could no longer be read from the save; it is as its level makes it", "set aside"]
    {
        assert!(shown.iter().any(|notice| notice.contains(expected)), "{expected}: {shown:?}");
    }
    // All others are there, now and after the game is opened again; the damaged file is kept.
    assert_eq!((recalled(&mut game, 5), recalled(&mut game, 6)), (Vec::new(), trees(6, 2_000)));
    game.save_now().unwrap();
    assert_eq!(notices(&mut game), [""; 0], "it is lost once");
    game.close().unwrap();
    let mut game = open(&slot);
    let is_kept = |entry: fs::DirEntry| entry.file_name().to_string_lossy().contains("damaged");
    assert!(fs::read_dir(folder.path().join("aside")).unwrap().any(|entry| is_kept(entry.unwrap())));
    assert_eq!(recalled(&mut game, 5), []);
    assert!((6..20).all(|number| recalled(&mut game, number) == trees(number, 2_000)));
}

#[test]
fn a_world_of_ten_thousand_areas_is_saved_and_a_change_of_one_writes_that_one() {
    let (_memory, slot) = in_memory();
    let mut game = names::Keeper::open(&slot).unwrap();
    game.begin(None).unwrap();
    let tree = |area: Area<names::Game>| {
        let number = u32::try_from(area.index()).unwrap();
        Tree { id: number.into(), height: f64::from(number) }
    };
    let put = |game: &mut names::Keeper, area, trees: &[Tree]| {
        game.recall(area, |area| area.objects(&mut trees.to_vec())).unwrap();
        game.put_by(area, |area| area.objects(trees)).unwrap();
    };
    assert_eq!(Area::<names::Game>::all().len(), 10_000);
    for area in Area::all() {
        put(&mut game, area, &[tree(area)]);
    }
    let all = game.save_now().unwrap().unwrap().written_bytes;
    let corner = names::areas::at([99, 99]).unwrap();
    assert_eq!((corner.id().as_str(), names::areas::at([100, 0])), ("cell_99_99", None));
    put(&mut game, corner, &[]);
    let one = game.save_now().unwrap().unwrap().written_bytes;
    // Most of it is the table, which names every area.
    assert!(one * 2 < all, "{one} of {all}");
    game.close().unwrap();
    let mut game = names::Keeper::open(&slot).unwrap();
    let mut trees: Vec<Tree> = Vec::new();
    for area in [names::areas::at([3, 17]).unwrap(), corner] {
        game.recall(area, |area| area.objects(&mut trees)).unwrap();
    }
    assert_eq!(trees, [tree(Area::from_id("cell_3_17").unwrap())]);
}

#[test]
fn the_areas_of_a_damaged_save_are_salvaged_and_no_id_is_given_twice() {
    let mut game = names::Progress::new();
    game.begin(None).unwrap();
    let leave = |game: &mut names::Progress, number: u16, trees: &[Tree]| {
        game.recall(cell(number), |area| area.objects(&mut trees.to_vec())).unwrap();
        game.put_by(cell(number), |area| area.objects(trees)).unwrap();
    };
    let planted = Tree { id: game.new_object(), height: 0.5 };
    leave(&mut game, 1, std::slice::from_ref(&planted));
    (2..5).for_each(|number| leave(&mut game, number, &trees(number, 3)));
    let mut bytes = write(&game.snapshot(), &Stamp::first(1, "test"));
    let body = |bytes: &[u8], name: &str| {
        let file = keblin::save::read(bytes).unwrap();
        file.sections.iter().find(|section| section.name == name).map(|section| section.body_offset)
    };
    // One area, and the section that counts the ids.
    let places = ["area.cell_3_0", "world"].map(|name| body(&bytes, name).unwrap());
    places.into_iter().for_each(|place| bytes[place] ^= 0xff);
    assert!(verify(&bytes, names::schema()).is_err());

    let salvaged = salvage(&bytes, names::schema()).unwrap();
    let taken: Vec<_> =
        salvaged.areas.iter().map(|part| (part.section.clone(), part.offset.is_some(), part.whole)).collect();
    let one = |number: u8| (format!("area.cell_{number}_0"), number != 3, usize::from(number != 3));
    assert_eq!(taken, [one(1), one(2), one(3), one(4)]);
    let mut again = names::Progress::restored(salvaged.snapshot);
    let mut found: Vec<Tree> = Vec::new();
    again.recall(cell(1), |area| area.objects(&mut found)).unwrap();
    assert_eq!(found, [planted]);
    assert_ne!(again.new_object(), found[0].id);
    let mut found = trees(3, 1);
    again.recall(cell(3), |area| area.objects(&mut found)).unwrap();
    assert_eq!(found, trees(3, 1), "as the level has it");
}
