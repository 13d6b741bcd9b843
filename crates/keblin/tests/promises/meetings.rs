//! All orders in which two keepers of one slot, a stranger who puts files in its place, a medium that rots, time, and the end
//! of a program in the middle of a save can meet: tried one by one by a model checker. What it does, it does to the real
//! store, over files in memory; a state is what is in the files and in the keepers once a history has been played.

use std::collections::{BTreeMap, BTreeSet};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicI64, Ordering};
use std::sync::{Arc, LazyLock};

use keblin::progress::Erase;
use keblin::store::backend::{Backend, LeftAt, Lock, Memory};
use keblin::store::{DiskError, OpenError, Slot};
use keblin::{Field, Keeper, SaveDir, Schema};
use stateright::{Checker, Model, Property};

use crate::tables::schema;

static SCHEMA: LazyLock<Arc<Schema>> = LazyLock::new(|| {
    schema(
        "game = 'met'\nversion = 1\nautosave = ['run_end']\n[fields]\n\
         best = { type = 'int', scope = 'profile', keep = 'highest' }\n",
    )
});

fn best() -> Field<Option<i64>> {
    SCHEMA.field("best").unwrap()
}

/// Two keepers, one after the other by name.
const KEEPERS: usize = 2;

/// The best value of the stranger's save, below and above those of the keepers.
const STRANGERS: [i64; 2] = [15, 500];

/// More saves than a state names of those before it.
const OFTEN: usize = keblin::save::layout::MAX_PREDECESSORS + 6;

#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
enum Act {
    Open(usize),
    /// Plays on to a better record and saves.
    Save(usize),
    /// Plays on and saves so often that the states of before are no longer named by the last one.
    SaveOften(usize),
    /// As one save; the program ends after so many calls of the files.
    SaveCutOff(usize, i64),
    Close(usize),
    /// Erases the record and saves.
    Erase(usize),
    EraseCutOff(usize, i64),
    /// Puts the first file that was ever there in its place.
    PutBack,
    /// Puts a save of another player there.
    PutStrange(usize),
    /// A byte of the areas in the slot's file changes where it lies.
    Rot,
    QuarterOfAnHour,
}

/// Files that end with the program that uses them after so many calls that change something.
#[derive(Clone, Debug)]
struct Ending {
    files: Memory,
    /// How many such calls there may still be; below zero there is no end.
    left: Arc<AtomicI64>,
}

impl Ending {
    fn of(files: &Memory) -> Ending {
        Ending { files: files.clone(), left: Arc::new(AtomicI64::new(-1)) }
    }

    fn change(&self, path: &Path) -> Result<(), DiskError> {
        match self.left.load(Ordering::SeqCst) {
            0 => Err(self.ended(path)),
            left => {
                self.left.store(if left > 0 { left - 1 } else { left }, Ordering::SeqCst);
                Ok(())
            }
        }
    }

    fn ended(&self, path: &Path) -> DiskError {
        // What is asked then matters to nobody: the program is gone.
        self.files.read(Path::new("/"), 0, 0).map_or_else(|error| error, |_| gone(path))
    }
}

fn gone(path: &Path) -> DiskError {
    let faulty = keblin::store::backend::Faulty::new(Arc::new(Memory::default()));
    faulty.fail(keblin::store::backend::Doing::Read, ErrorKind::BrokenPipe, 1);
    faulty.len(path).unwrap_err()
}

impl Backend for Ending {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.files.len(path)
    }
    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        self.files.read(path, from, most)
    }
    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.change(path)?;
        self.files.append(path, left, parts)
    }
    fn sync(&self, path: &Path) -> Result<bool, DiskError> {
        self.change(path)?;
        self.files.sync(path)
    }
    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.change(path)?;
        self.files.publish(path, beside, parts)
    }
    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        self.change(Path::new(""))?;
        self.files.set_aside(moves)
    }
    fn remove(&self, path: &Path) -> Result<bool, DiskError> {
        self.change(path)?;
        self.files.remove(path)
    }
    fn written_unix_ms(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.files.written_unix_ms(path)
    }
    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError> {
        self.files.list(folder)
    }
    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError> {
        self.files.lock(path)
    }
    fn now_unix_ms(&self) -> u64 {
        self.files.now_unix_ms()
    }
    fn unguessable(&self) -> u64 {
        self.files.unguessable()
    }
}

/// What is known after a history, besides what is in the files.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
struct Told {
    /// The best value that must be there whenever the slot is opened; `None` where none need be.
    must: Option<i64>,
    /// Values up to this one were erased.
    erased: i64,
    /// Whole files that strangers have put there, and that must be somewhere once ours has saved over them.
    strange: BTreeSet<Vec<u8>>,
    /// Those of them that were set aside when something was erased: put there again, nothing of them is taken.
    refused: BTreeSet<Vec<u8>>,
    /// Whether an area of the slot's file is rotten: states that share it cannot be opened, and that is told when the slot
    /// is. The file is written anew when a quarter of an hour has passed, or when the area changes.
    rotten: bool,
    /// What went wrong, if anything did.
    broken: Option<String>,
}

/// The world after a history.
struct World {
    files: Memory,
    keepers: [Option<(Keeper, Ending)>; KEEPERS],
    slots: [Slot; KEEPERS],
    ends: [Ending; KEEPERS],
    clock: u64,
    next: i64,
    first_file: Option<Vec<u8>>,
    told: Told,
    /// What each keeper has done since it was opened, as far as it may matter.
    hidden: [u64; KEEPERS],
}

fn slot_of(files: &Ending) -> Slot {
    SaveDir::on(Arc::new(files.clone()), "saves").slot("otter").unwrap()
}

/// Whole saves have a best value; of anything else there is none to be told.
fn best_in(bytes: Option<&Vec<u8>>) -> Option<i64> {
    let save = keblin::verify::verify(bytes?, &SCHEMA).ok()?;
    save.into_progress().get(best())
}

impl World {
    fn new(in_one_program: bool) -> World {
        let files = Memory::default();
        files.set_clock(1_000_000);
        let ends = [Ending::of(&files), Ending::of(&files)];
        let one = slot_of(&ends[0]);
        let slots = [one.clone(), if in_one_program { one } else { slot_of(&ends[1]) }];
        let ends = if in_one_program { [ends[0].clone(), ends[0].clone()] } else { ends };
        World {
            files,
            keepers: [None, None],
            slots,
            ends,
            clock: 1_000_000,
            next: 10,
            first_file: None,
            told: Told::default(),
            hidden: [0; KEEPERS],
        }
    }

    fn path(&self) -> PathBuf {
        PathBuf::from("saves/otter.keblin")
    }

    fn previous(&self) -> PathBuf {
        PathBuf::from("saves/aside/otter.previous.keblin")
    }

    fn file(&self, path: &Path) -> Option<Vec<u8>> {
        self.files.files().get(path).cloned()
    }

    /// What a save of the slot holds, opened by somebody else, from a copy of the files.
    fn opened_best(&self) -> Result<Option<i64>, String> {
        let copy = Memory::of(
            self.files
                .files()
                .into_iter()
                .filter(|(path, _)| path.extension().is_some_and(|ending| ending == "keblin")),
        );
        match slot_of(&Ending::of(&copy)).open(&SCHEMA) {
            Ok(opened) => Ok(opened.progress.get(best())),
            Err(OpenError::Damaged(_)) => Err("no whole save is left".to_string()),
            Err(error) => Err(error.to_string()),
        }
    }

    fn act(&mut self, act: Act) {
        match act {
            Act::Open(who) => {
                if let Ok(kept) = Keeper::open(&self.slots[who], &SCHEMA) {
                    self.keepers[who] = Some((kept, self.ends[who].clone()));
                    self.hidden[who] = 1;
                }
            }
            Act::Save(who) => self.save(who, -1, false),
            Act::SaveOften(who) => (0..OFTEN).for_each(|_| self.save(who, -1, false)),
            Act::Erase(who) => self.save(who, -1, true),
            Act::SaveCutOff(who, calls) => {
                self.save(who, calls, false);
                self.end(who);
            }
            Act::EraseCutOff(who, calls) => {
                self.save(who, calls, true);
                self.end(who);
                // Nobody was told that it is erased: it may be, or not yet.
                if self.opened_best() == Ok(None) {
                    self.told.must = None;
                }
            }
            Act::Close(who) => {
                if let Some((kept, _)) = self.keepers[who].take() {
                    let held = kept.get(best());
                    if kept.close().is_ok() {
                        self.acknowledged(held);
                    }
                }
            }
            Act::PutBack => {
                if let Some(first) = self.first_file.clone() {
                    self.strangers_own();
                    self.files.put_file(self.path(), first);
                    self.told.rotten = false;
                    self.destroyed();
                }
            }
            Act::PutStrange(which) => {
                let theirs = stranger(which);
                self.strangers_own();
                self.files.put_file(self.path(), theirs.clone());
                self.told.rotten = false;
                self.told.strange.insert(theirs);
                self.destroyed();
            }
            Act::Rot => {
                self.strangers_own();
                let bytes = self.file(&self.path()).unwrap();
                if let Some(at) = bytes.windows(32).position(|part| part == [7; 32]) {
                    self.files.rot(&self.path(), at + 16, 9);
                    self.told.rotten = true;
                }
                self.destroyed();
            }
            Act::QuarterOfAnHour => {
                self.clock += 16 * 60 * 1000;
                self.files.set_clock(self.clock);
            }
        }
        if let Err(broken) = self.look() {
            self.told.broken = Some(broken);
        }
    }

    fn save(&mut self, who: usize, calls: i64, erases: bool) {
        self.next += 10;
        let (value, slot_file) = (self.next, self.path());
        let Some((kept, end)) = &mut self.keepers[who] else { return };
        end.left.store(calls, Ordering::SeqCst);
        kept.submit(best(), value);
        kept.put_area("west", Some(vec![7; 100].into())).unwrap();
        kept.put_area("fens", Some(value.to_be_bytes().repeat(8).into())).unwrap();
        let erased = self.next;
        if erases {
            kept.erase(&Erase::Field(SCHEMA.field_named("best").unwrap().0), true).unwrap();
        }
        let saved = kept.save_now();
        let held = kept.get(best());
        if let Ok(Some(saved)) = saved {
            let is_whole = saved.written_bytes == saved.len_bytes;
            self.hidden[who] = 2 + u64::from(is_whole);
            self.told.rotten &= !is_whole;
            if erases {
                // What a stranger's save brings later is not what was erased here.
                self.told.erased = erased;
                self.told.must = None;
                let strange = std::mem::take(&mut self.told.strange);
                self.told.refused.extend(strange);
            }
            self.acknowledged(held);
            let files = self.files.files();
            if self.first_file.is_none() {
                self.first_file = files.get(&slot_file).cloned();
            }
            self.told.strange.retain(|theirs| {
                if files.get(&slot_file) == Some(theirs) {
                    return true;
                }
                if !files.values().any(|bytes| bytes == theirs) {
                    self.told.broken = Some("a stranger's file is gone".to_string());
                }
                false
            });
        } else {
            self.hidden[who] = 4;
        }
    }

    /// The program of a keeper has ended: nothing of what it would still do is done.
    fn end(&mut self, who: usize) {
        if let Some((kept, end)) = self.keepers[who].take() {
            end.left.store(0, Ordering::SeqCst);
            drop(kept);
            end.left.store(-1, Ordering::SeqCst);
        }
    }

    fn acknowledged(&mut self, held: Option<i64>) {
        let held = held.filter(|held| *held > self.told.erased || STRANGERS.contains(held));
        if !self.told.rotten {
            self.told.must = self.told.must.max(held);
        }
    }

    /// What a stranger puts over another stranger's file is not ours to keep.
    fn strangers_own(&mut self) {
        if let Some(there) = self.file(&self.path()) {
            self.told.strange.remove(&there);
        }
    }

    /// Somebody has destroyed what was in the file: what need be there now is what the copy before holds, and what
    /// took its place.
    fn destroyed(&mut self) {
        let left = [self.path(), self.previous()].map(|path| self.file(&path));
        let left = left.iter().flatten().filter(|bytes| !self.told.refused.contains(*bytes));
        let left = left.filter_map(|bytes| best_in(Some(bytes))).filter(|best| *best > self.told.erased);
        self.told.must = self.told.must.min(left.max());
    }

    /// Whether what was promised is true.
    fn look(&self) -> Result<(), String> {
        let is_anything = self.file(&self.path()).is_some() || self.file(&self.previous()).is_some();
        if !is_anything {
            return match self.told.must {
                Some(must) => Err(format!("{must} was acknowledged, and there is no file")),
                None => Ok(()),
            };
        }
        let found = match self.opened_best() {
            // Where rot has taken the file and nobody has saved since, there may be nothing but a ruin: that is told.
            Err(_) if self.told.must.is_none() => return Ok(()),
            found => found?,
        };
        if found < self.told.must {
            return Err(format!("{:?} was acknowledged, and {found:?} is opened", self.told.must));
        }
        let comes_back = found.is_some_and(|found| found <= self.told.erased && !STRANGERS.contains(&found));
        if comes_back {
            return Err(format!("{found:?} comes back, and all up to {} was erased", self.told.erased));
        }
        Ok(())
    }
}

/// A save of another player.
fn stranger(which: usize) -> Vec<u8> {
    static SAVES: LazyLock<[Vec<u8>; 2]> = LazyLock::new(|| {
        STRANGERS.map(|value| {
            let files = Memory::default();
            // One that was saved before ours, and one that was saved after.
            files.set_clock(if value == 500 { 9_000_000_000 } else { 500 });
            let slot = slot_of(&Ending::of(&files));
            let mut kept = Keeper::open(&slot, &SCHEMA).unwrap();
            kept.submit(best(), value);
            kept.close().unwrap();
            files.files()[Path::new("saves/otter.keblin")].clone()
        })
    });
    SAVES[which].clone()
}

/// A history, and what came of it.
#[derive(Clone, Debug)]
struct State {
    history: Vec<Act>,
    files: BTreeMap<PathBuf, Vec<u8>>,
    keepers: [Option<Option<i64>>; KEEPERS],
    hidden: [u64; KEEPERS],
    clock: u64,
    told: Told,
}

impl State {
    fn what(&self) -> impl Hash + Eq + '_ {
        (&self.files, &self.keepers, &self.hidden, self.clock, &self.told)
    }
}

impl PartialEq for State {
    fn eq(&self, other: &State) -> bool {
        self.what() == other.what()
    }
}

impl Eq for State {}

impl Hash for State {
    fn hash<H: Hasher>(&self, hasher: &mut H) {
        self.what().hash(hasher);
    }
}

/// How far histories go.
#[derive(Clone, Copy, Debug)]
struct Meetings {
    in_one_program: bool,
    most_saves: usize,
    most_acts: usize,
    /// How many calls of a save are cut off after.
    cuts: i64,
    /// Whether a keeper saves so often, once.
    often: bool,
    /// How many keepers there are.
    keepers: usize,
    /// What may happen at all.
    may: fn(&Act) -> bool,
}

impl Meetings {
    fn played(&self, history: &[Act]) -> State {
        let mut world = World::new(self.in_one_program);
        history.iter().for_each(|act| world.act(*act));
        let keepers = world.keepers.each_ref().map(|kept| kept.as_ref().map(|(kept, _)| kept.get(best())));
        let state = State {
            history: history.to_vec(),
            files: world.files.files(),
            keepers,
            hidden: world.hidden,
            clock: world.clock,
            told: world.told.clone(),
        };
        // What a history has left behind must not be written by its end.
        (0..KEEPERS).for_each(|who| world.end(who));
        state
    }
}

impl Model for Meetings {
    type State = State;
    type Action = Act;

    fn init_states(&self) -> Vec<State> {
        vec![self.played(&[])]
    }

    fn actions(&self, state: &State, acts: &mut Vec<Act>) {
        if state.history.len() >= self.most_acts || state.told.broken.is_some() {
            return;
        }
        let count = |wanted: fn(&Act) -> bool| state.history.iter().filter(|act| wanted(act)).count();
        let is_there = state.files.contains_key(Path::new("saves/otter.keblin"));
        for who in 0..self.keepers {
            if state.keepers[who].is_none() {
                acts.push(Act::Open(who));
                continue;
            }
            acts.push(Act::Close(who));
            let saves = state.history.iter().filter(|act| match act {
                Act::Save(by) | Act::Erase(by) | Act::SaveCutOff(by, _) | Act::EraseCutOff(by, _) => {
                    *by == who
                }
                _ => false,
            });
            if saves.count() >= self.most_saves {
                continue;
            }
            acts.push(Act::Save(who));
            if self.often && count(|act| matches!(act, Act::SaveOften(_))) == 0 {
                acts.push(Act::SaveOften(who));
            }
            acts.extend((0..self.cuts).map(|calls| Act::SaveCutOff(who, calls)));
            if count(|act| matches!(act, Act::Erase(_) | Act::EraseCutOff(..))) == 0 {
                acts.push(Act::Erase(who));
                acts.extend((0..self.cuts).map(|calls| Act::EraseCutOff(who, calls)));
            }
        }
        let strangers = count(|act| matches!(act, Act::PutBack | Act::PutStrange(_) | Act::Rot));
        if is_there && strangers < 2 {
            acts.extend([Act::PutBack, Act::PutStrange(0), Act::PutStrange(1), Act::Rot]);
        }
        if count(|act| *act == Act::QuarterOfAnHour) == 0 {
            acts.push(Act::QuarterOfAnHour);
        }
        acts.retain(self.may);
    }

    fn next_state(&self, state: &State, act: Act) -> Option<State> {
        if act == Act::PutBack && !state.history.iter().any(|act| matches!(act, Act::Save(_) | Act::Erase(_)))
        {
            return None;
        }
        let history: Vec<Act> = state.history.iter().copied().chain([act]).collect();
        Some(self.played(&history))
    }

    fn properties(&self) -> Vec<Property<Meetings>> {
        vec![Property::always("what was promised is true", |_, state: &State| state.told.broken.is_none())]
    }
}

/// Tries all histories; how many states there are.
fn tried(model: Meetings) -> usize {
    let checker = model.checker().threads(2).spawn_bfs().join();
    if let Some(path) = checker.discovery("what was promised is true") {
        let last = path.last_state();
        panic!("{:?}\nafter {:#?}", last.told.broken, last.history);
    }
    checker.unique_state_count()
}

impl Meetings {
    /// Everything that there is, for two keepers.
    fn all(in_one_program: bool) -> Meetings {
        let (most_saves, most_acts, cuts, often) = (3, 9, 6, false);
        Meetings { in_one_program, most_saves, most_acts, cuts, often, keepers: KEEPERS, may: |_| true }
    }

    /// Some of it for one keeper, in longer histories.
    fn alone(most_acts: usize, may: fn(&Act) -> bool) -> Meetings {
        Meetings { most_saves: 5, most_acts, cuts: 3, keepers: 1, may, ..Meetings::all(true) }
    }
}

#[test]
fn whoever_meets_at_a_slot_loses_nothing_that_was_acknowledged() {
    let older =
        |act: &Act| !matches!(act, Act::PutStrange(_) | Act::Rot | Act::Erase(_) | Act::EraseCutOff(..));
    let erased =
        |act: &Act| matches!(act, Act::Open(_) | Act::Save(_) | Act::Erase(_) | Act::PutBack | Act::Close(_));
    for model in [
        Meetings { most_saves: 2, most_acts: 4, cuts: 2, ..Meetings::all(true) },
        Meetings { most_saves: 2, most_acts: 5, cuts: 1, ..Meetings::all(false) },
        Meetings::alone(7, older),
        Meetings::alone(8, erased),
    ] {
        let states = tried(model);
        println!("{model:?}: {states} states");
        assert!(states > 300, "{states}");
    }
}

/// What the longer histories have found once.
#[test]
fn a_whole_copy_of_a_rotten_file_is_met_by_a_keeper_that_knows_neither() {
    let mut world = World::new(false);
    for act in [Act::Open(0), Act::Open(1), Act::SaveCutOff(0, 2), Act::Rot, Act::Close(1)] {
        world.act(act);
    }
    assert_eq!((&world.told.broken, world.told.must), (&None, Some(20)));
    assert_eq!(world.opened_best(), Ok(Some(20)));
}

#[test]
#[ignore = "takes minutes; run it with --release"]
fn whoever_meets_at_a_slot_loses_nothing_in_longer_histories() {
    let acts = std::env::var("KEBLIN_TEST_ACTS").map_or(6, |acts| acts.parse().unwrap());
    for in_one_program in [true, false] {
        let model = Meetings { most_acts: acts, often: true, ..Meetings::all(in_one_program) };
        println!("{acts} acts, in one program: {in_one_program}: {} states", tried(model));
    }
    let alone = Meetings { often: true, ..Meetings::alone(acts + 2, |_| true) };
    println!("{} acts of one keeper: {} states", acts + 2, tried(alone));
}

#[test]
fn a_history_is_the_same_each_time_it_is_played() {
    let model = Meetings::all(false);
    let history =
        [Act::Open(0), Act::Save(0), Act::Save(0), Act::PutStrange(0), Act::SaveCutOff(0, 2), Act::Open(1)];
    let hash = |state: &State| {
        let mut hasher = DefaultHasher::new();
        state.hash(&mut hasher);
        hasher.finish()
    };
    assert_eq!(hash(&model.played(&history)), hash(&model.played(&history)));
}
