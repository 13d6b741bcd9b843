//! The world, compared with a naive model that simply keeps every object: twenty thousand histories of loading, leaving,
//! moving, destroying, making, dying, restarting, beginning anew, loading a save and opening the game again.

use std::collections::BTreeMap;
use std::sync::Arc;

use fastrand::Rng;
use keblin::progress::{Holder, Reached};
use keblin::save::write;
use keblin::store::Slot;
use keblin::store::backend::{Backend, Memory, PowerCut, Tear};
use keblin::verify::verify;
use keblin::world::{AreaGuard, AreaIn, AreaOut};
use keblin::{Area, ObjectId, SaveDir, Snapshot, WorldObject};

use crate::long::tries;
use crate::round_trip::stamp;

keblin::schema!(moors, "tests/promises/moors.toml");

use moors::{Game, Play, checkpoints, fields, levels};

/// An object of any kind: they differ only in what events do to them.
macro_rules! objects {
    ($($name:ident: $kind:ident)*) => {$(
        #[derive(Clone, Debug, PartialEq, WorldObject)]
        #[world(moors::kinds::$kind)]
        struct $name {
            #[world(id)]
            id: ObjectId,
            place: i64,
        }

        impl $name {
            fn of_level(number: u32) -> $name {
                $name { id: number.into(), place: 0 }
            }
        }
    )*};
}
objects!(Stone: stone Crate: crate_ Reed: reed Raft: raft Bird: bird);

/// The objects of one area, by kind.
#[derive(Clone, Debug, Default, PartialEq)]
struct Objects {
    stones: Vec<Stone>,
    crates: Vec<Crate>,
    reeds: BTreeMap<ObjectId, Reed>,
    rafts: Vec<Raft>,
    birds: Vec<Bird>,
}

impl Objects {
    /// An area as its level makes it.
    fn of_level(area: Area<Game>) -> Objects {
        let first = 10 * u32::try_from(area.index()).unwrap();
        let reed = |number: u32| (number.into(), Reed::of_level(number));
        Objects {
            stones: (first..first + 3).map(Stone::of_level).collect(),
            crates: (first..first + 2).map(Crate::of_level).collect(),
            reeds: (first..first + 2).map(reed).collect(),
            rafts: (first..first + 2).map(Raft::of_level).collect(),
            birds: (first..first + 1).map(Bird::of_level).collect(),
        }
    }

    fn pass(&self, area: &mut AreaOut<'_, Game>) {
        // In any order.
        area.objects(self.stones.iter().rev());
        area.objects(self.reeds.values());
        area.objects(&self.birds);
        area.objects(&self.rafts);
        area.objects(&self.crates);
    }

    fn take(&mut self, area: &mut AreaIn<'_, Game>) {
        area.objects(&mut self.stones);
        area.objects(&mut self.crates);
        area.objects(&mut self.reeds);
        area.objects(&mut self.rafts);
        area.objects(&mut self.birds);
    }

    fn in_order(mut self) -> Objects {
        self.stones.sort_by_key(|stone| stone.id);
        self.crates.sort_by_key(|one| one.id);
        self.rafts.sort_by_key(|one| one.id);
        self.birds.sort_by_key(|one| one.id);
        self
    }

    /// Does something to the objects.
    fn play(&mut self, rng: &mut Rng, new: impl FnOnce() -> ObjectId) {
        let place = rng.i64(-9..9);
        match rng.u8(0..9) {
            0 => self.stones.iter_mut().take(2).for_each(|stone| stone.place = place),
            1 => self.crates.iter_mut().for_each(|one| one.place += 1),
            2 => self.reeds.values_mut().for_each(|reed| reed.place = place),
            3 if !self.stones.is_empty() => drop(self.stones.remove(rng.usize(..self.stones.len()))),
            4 => _ = self.reeds.pop_first(),
            5 => self.rafts.iter_mut().for_each(|raft| raft.place = place),
            6 => self.rafts.push(Raft { id: new(), place }),
            7 if self.birds.len() > 1 => drop(self.birds.pop()),
            8 => self.birds.push(Bird { id: new(), place }),
            _ => self.crates.push(Crate { id: new(), place }),
        }
    }
}

/// Everything as it would be if nothing was ever unloaded, with the copies that events restore.
#[derive(Clone, Debug)]
struct Naive {
    now: Vec<Objects>,
    at_entry: Vec<Objects>,
    at_checkpoint: Option<Vec<Objects>>,
}

impl Naive {
    fn new() -> Naive {
        let now: Vec<Objects> = Area::all().map(Objects::of_level).collect();
        Naive { at_entry: now.clone(), at_checkpoint: None, now }
    }

    fn die(&mut self) {
        let at_checkpoint = self.at_checkpoint.as_ref().unwrap_or(&self.at_entry);
        for (index, objects) in self.now.iter_mut().enumerate() {
            objects.crates = Objects::of_level(Area::all().nth(index).unwrap()).crates;
            objects.rafts.clone_from(&at_checkpoint[index].rafts);
            objects.birds.clone_from(&self.at_entry[index].birds);
        }
    }

    fn retry(&mut self) {
        for (index, objects) in self.now.iter_mut().enumerate() {
            objects.reeds = Objects::of_level(Area::all().nth(index).unwrap()).reeds;
            objects.birds.clone_from(&self.at_entry[index].birds);
        }
        self.at_checkpoint = None;
    }

    fn begin(&mut self) {
        for (index, objects) in self.now.iter_mut().enumerate() {
            let level = Objects::of_level(Area::all().nth(index).unwrap());
            (objects.stones, objects.crates, objects.rafts) = (level.stones, level.crates, level.rafts);
        }
        (self.at_entry, self.at_checkpoint) = (self.now.clone(), None);
    }
}

/// A game with its loaded areas, and what it should be.
struct Played {
    game: moors::Progress,
    loaded: BTreeMap<Area<Game>, (AreaGuard<Game>, Objects)>,
    naive: Naive,
    saved: Option<(Snapshot, Naive)>,
}

impl Played {
    fn new() -> Played {
        let mut game = moors::Progress::new();
        game.begin(None).unwrap();
        game.enter(levels::MOOR).unwrap();
        Played { game, loaded: BTreeMap::new(), naive: Naive::new(), saved: None }
    }

    fn unload(&mut self, area: Area<Game>) {
        let Some((_, objects)) = self.loaded.remove(&area) else { return };
        self.game.put_by(area, |area| objects.pass(area)).unwrap();
    }

    /// Loads an area, and compares it with what it should be.
    fn load(&mut self, area: Area<Game>) {
        let mut objects = Objects::of_level(area);
        self.game.recall(area, |area| objects.take(area)).unwrap();
        let expected = self.naive.now[area.index()].clone().in_order();
        assert_eq!(objects.clone().in_order(), expected, "{area:?}");
        let guard = self.game.need(area);
        self.loaded.insert(area, (guard, objects));
    }

    /// What the game must do after an event put objects back: unload and load again.
    fn follow(&mut self) {
        use keblin::world::AreaChange::{Load, Unload};
        for change in self.game.area_changes() {
            match change {
                Unload(area) => {
                    // The guard goes with the objects, so that the area is not asked for again.
                    self.unload(area);
                }
                Load(area) if !self.loaded.contains_key(&area) => self.load(area),
                _ => {}
            }
        }
    }

    fn record(&mut self) {
        for (area, (_, objects)) in &self.loaded {
            self.game.record_area(*area, |area| objects.pass(area)).unwrap();
        }
    }

    fn step(&mut self, rng: &mut Rng) {
        let area = Area::all().nth(rng.usize(..3)).unwrap();
        match rng.u8(0..18) {
            0..=3 if !self.loaded.contains_key(&area) => self.load(area),
            4..=5 => self.unload(area),
            6..=9 => {
                if let Some((_, objects)) = self.loaded.get_mut(&area) {
                    let game = &mut self.game;
                    objects.play(rng, || game.new_object());
                    self.naive.now[area.index()] = objects.clone();
                }
            }
            10 => {
                // Carried from one area to another.
                let other = Area::all().nth((area.index() + 1) % 3).unwrap();
                let both = self.loaded.contains_key(&area) && self.loaded.contains_key(&other);
                let moved = self.loaded.get_mut(&area).filter(|_| both).and_then(|held| held.1.crates.pop());
                if let (Some(moved), Some(held)) = (moved, self.loaded.get_mut(&other)) {
                    held.1.crates.push(moved);
                    self.naive.now[area.index()] = self.loaded[&area].1.clone();
                    self.naive.now[other.index()] = self.loaded[&other].1.clone();
                }
            }
            11 => {
                self.game.die().unwrap();
                self.game.respawn().unwrap();
                self.naive.die();
                self.follow();
            }
            12 => {
                self.game.retry().unwrap();
                self.naive.retry();
                self.follow();
            }
            13 => {
                self.record();
                self.game.begin_replacing(None);
                self.game.enter(levels::MOOR).unwrap();
                self.naive.begin();
                self.follow();
            }
            14 => {
                self.record();
                let checkpoint = if rng.bool() { checkpoints::moor::CAIRN } else { checkpoints::moor::FORD };
                if self.game.reach(checkpoint).unwrap() == Reached::Now {
                    self.naive.at_checkpoint = Some(self.naive.now.clone());
                }
            }
            15 => {
                self.record();
                self.saved = Some((self.game.snapshot(), self.naive.clone()));
            }
            _ => self.load_or_reopen(rng),
        }
    }

    fn load_or_reopen(&mut self, rng: &mut Rng) {
        let Some((snapshot, naive)) = self.saved.clone() else { return };
        if rng.bool() {
            self.game.load(&snapshot, true).unwrap();
            self.naive = naive;
            return self.follow();
        }
        if rng.bool() {
            // Quit and opened again, through the bytes of a save.
            let save = verify(&write(&snapshot, &stamp(1)), moors::schema()).unwrap();
            assert_eq!(save.findings(), []);
            return self.opened(&save.into_progress().snapshot(), naive);
        }
        // The same without the areas: each is read when something first needs it.
        let slot = in_files(Arc::new(Memory::default()));
        slot.save(&snapshot, "quit").unwrap();
        let opened = slot.open(moors::schema()).unwrap();
        assert_eq!(opened.findings, []);
        self.opened(&opened.progress.snapshot(), naive);
    }

    /// Continues from a save. A game that resumes at a checkpoint opens as after a death.
    fn opened(&mut self, saved: &Snapshot, naive: Naive) {
        self.loaded.clear();
        self.game = moors::Progress::restored(saved.clone());
        self.naive = naive;
        self.naive.die();
        self.game.resume().unwrap();
    }

    /// Loads every area once.
    fn look_at_all(&mut self) {
        for area in Area::all() {
            self.unload(area);
            self.load(area);
        }
        assert_eq!(self.loaded.len(), 3);
    }
}

#[test]
fn whatever_is_done_every_object_is_where_it_was_left() {
    let histories = tries(1_500, 20_000);
    let mut rng = Rng::with_seed(22);
    for _ in 0..histories {
        let mut played = Played::new();
        for _ in 0..rng.usize(4..24) {
            played.step(&mut rng);
        }
        played.look_at_all();
    }
}

/// A helper that works with a progress and a keeper alike.
fn put_back_stones(game: &mut Play<impl Holder>, area: Area<Game>, place: i64) {
    let mut objects = Objects::of_level(area);
    game.recall(area, |area| objects.take(area)).unwrap();
    objects.stones.iter_mut().for_each(|stone| stone.place = place);
    game.put_by(area, |area| objects.pass(area)).unwrap();
}

#[test]
fn an_area_that_is_as_it_was_is_the_same_bytes() {
    let mut game = moors::Progress::new();
    game.begin(None).unwrap();
    let area = Area::all().next().unwrap();
    put_back_stones(&mut game, area, 4);
    let (before, revision) = (game.area(&area.id()).unwrap().as_ptr(), game.revision());
    put_back_stones(&mut game, area, 4);
    assert_eq!(game.area(&area.id()).unwrap().as_ptr(), before);
    assert_eq!(game.revision(), revision);
    put_back_stones(&mut game, area, 5);
    assert_ne!(game.area(&area.id()).unwrap().as_ptr(), before);
}

fn in_files(files: Arc<dyn Backend>) -> Slot {
    SaveDir::on(files, "saves").leaving_areas().slot("otter").unwrap()
}

/// Random histories that save now and then: whenever the power fails, the world is one that was saved.
#[test]
fn after_a_power_cut_the_world_is_one_that_was_saved() {
    let mut rng = Rng::with_seed(23);
    let (mut opened, histories) = (0, tries(60, 300));
    for _ in 0..histories {
        let files = PowerCut::new();
        let slot = in_files(Arc::new(files.clone()));
        let mut played = Played::new();
        let mut acknowledged = Vec::new();
        for _ in 0..rng.usize(2..5) {
            (0..rng.usize(1..8)).for_each(|_| played.step(&mut rng));
            played.record();
            played.game.set(fields::LETTERS, i64::try_from(acknowledged.len()).unwrap());
            slot.append(&played.game.snapshot(), "save").unwrap();
            acknowledged.push((files.calls(), played.naive.clone()));
        }
        files.after_each_call(&[Tear::Lost, Tear::Half], |calls, tear, memory| {
            let Some(last) = acknowledged.iter().rposition(|(at, _)| *at <= calls) else { return };
            let found = in_files(Arc::new(memory)).open(moors::schema()).unwrap();
            let mut played = Played::new();
            played.game = moors::Progress::restored(found.progress.snapshot());
            // Each save says which one it is.
            let number = usize::try_from(played.game.get(fields::LETTERS)).unwrap();
            assert!(number >= last, "after {calls} calls, {tear:?}: save {number} of {last}");
            played.opened(&found.progress.snapshot(), acknowledged[number].1.clone());
            played.look_at_all();
            opened += 1;
        });
    }
    assert!(opened > 10 * histories, "{opened}");
}

#[test]
fn a_power_cut_leaves_objects_and_values_of_one_saved_instant() {
    let files = PowerCut::new();
    let slot = |files: Arc<dyn Backend>| SaveDir::on(files, "saves").slot("otter").unwrap();
    let mut game = moors::Keeper::open(&slot(Arc::new(files.clone()))).unwrap();
    game.begin(None).unwrap();
    let mut acknowledged = vec![(files.calls(), 0)];
    for number in 1..=8 {
        game.set(fields::LETTERS, number);
        for area in Area::all() {
            put_back_stones(&mut game, area, number);
        }
        game.save_now().unwrap();
        acknowledged.push((files.calls(), number));
    }
    let mut opened = 0;
    files.after_each_call(&[Tear::Lost, Tear::Half, Tear::Mixed(1)], |calls, tear, memory| {
        let mut game = moors::Keeper::open(&slot(Arc::new(memory))).unwrap();
        let number = game.get(fields::LETTERS);
        let saved = acknowledged.iter().rev().find(|(at, _)| *at <= calls).map_or(0, |(_, number)| *number);
        assert!(
            number == saved || number == saved + 1,
            "after {calls} calls, {tear:?}: {number}, not {saved}"
        );
        for area in Area::all() {
            let mut objects = Objects::of_level(area);
            game.recall(area, |area| objects.take(area)).unwrap();
            let stones = objects.stones.iter();
            assert!(
                stones.clone().all(|stone| stone.place == number),
                "after {calls} calls, {tear:?}: {area:?}"
            );
        }
        opened += 1;
    });
    assert!(opened > 60, "{opened}");
}
