//! The parties that meet at a slot, their actions, and what must be true afterwards.

use std::collections::BTreeSet;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicI64, Ordering};
use std::sync::{Arc, LazyLock};

use keblin::progress::Erase;
use keblin::store::backend::{Backend, Doing, Faulty, Memory};
use keblin::store::{DiskError, OpenError, Slot};
use keblin::{Field, Keeper, SaveDir, Schema};

use crate::tables::schema;
use crate::watched::{Watched, Watcher};

static SCHEMA: LazyLock<Arc<Schema>> = LazyLock::new(|| {
    schema(
        "game = 'met'\nversion = 1\nautosave = ['run_end']\n[fields]\n\
         best = { type = 'int', scope = 'profile', keep = 'highest' }\n",
    )
});

pub(super) fn best() -> Field<Option<i64>> {
    SCHEMA.field("best").unwrap()
}

/// Two keepers.
pub(super) const KEEPERS: usize = 2;

/// The best value of the stranger's save, below and above those of the keepers.
const STRANGERS: [i64; 2] = [15, 500];

/// More saves than a state names as predecessors.
const OFTEN: usize = keblin::save::layout::MAX_PREDECESSORS + 6;

#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Act {
    Open(usize),
    /// Plays to a better record and saves.
    Save(usize),
    /// Plays and saves so often that the last state no longer names the old ones.
    SaveOften(usize),
    /// As one save; the program ends after this many calls to the files.
    SaveCutOff(usize, i64),
    Close(usize),
    /// Erases the record and saves.
    Erase(usize),
    EraseCutOff(usize, i64),
    /// Puts back the first file that was ever there.
    PutBack,
    /// Puts a save of another player there.
    PutStrange(usize),
    /// A byte of the areas in the slot's file changes in place.
    Rot,
    QuarterOfAnHour,
}

/// The end of a program, after some calls that change its files.
#[derive(Clone, Debug)]
pub(super) struct End {
    /// How many such calls remain; below zero there is no end.
    left: Arc<AtomicI64>,
}

pub(super) type Ending = Watched<End>;

fn ending(files: &Memory) -> Ending {
    Watched { files: files.clone(), watcher: End { left: Arc::new(AtomicI64::new(-1)) } }
}

/// Results of calls after the program has ended do not matter.
fn gone(path: &Path) -> DiskError {
    let faulty = Faulty::new(Arc::new(Memory::default()));
    faulty.fail(Doing::Read, ErrorKind::BrokenPipe, 1);
    faulty.len(path).unwrap_err()
}

impl Watcher for End {
    fn before(&self, _: Doing, path: &Path) -> Result<(), DiskError> {
        match self.left.load(Ordering::SeqCst) {
            0 => Err(gone(path)),
            left => {
                self.left.store(if left > 0 { left - 1 } else { left }, Ordering::SeqCst);
                Ok(())
            }
        }
    }
}

/// What is known after a history, apart from the contents of the files.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub(super) struct Told {
    /// The best value that must be there whenever the slot is opened; `None` if there need not be one.
    pub(super) must: Option<i64>,
    /// Values up to this one were erased.
    erased: i64,
    /// Values that a keeper has but could not save: another program that erases knows nothing of them.
    unsaved: BTreeSet<i64>,
    /// Intact files that strangers have put there, which must still exist after ours has saved over them.
    strange: BTreeSet<Vec<u8>>,
    /// Those that were set aside by an erasure: if put back, nothing is taken from them.
    refused: BTreeSet<Vec<u8>>,
    /// Whether an area of the slot's file is rotten: states that share it cannot be opened, and opening the slot
    /// reports it. The file is published anew after 15 minutes, or when the area changes.
    rotten: bool,
    /// What went wrong, if anything.
    pub(super) broken: Option<String>,
}

/// The world after a history.
pub(super) struct World {
    pub(super) files: Memory,
    pub(super) keepers: [Option<(Keeper, Ending)>; KEEPERS],
    slots: [Slot; KEEPERS],
    ends: [Ending; KEEPERS],
    pub(super) clock: u64,
    next: i64,
    first_file: Option<Vec<u8>>,
    pub(super) told: Told,
    /// What each keeper has erased but could not save: its next save erases it.
    owes: [Option<i64>; KEEPERS],
    /// What each keeper has done since it was opened, as far as it may matter.
    pub(super) hidden: [u64; KEEPERS],
    /// Whether something was erased that each keeper has not seen: what it has goes with it.
    behind: [bool; KEEPERS],
}

fn slot_of(files: &Ending) -> Slot {
    SaveDir::on(Arc::new(files.clone()), "saves").slot("otter").unwrap()
}

/// An intact save has a best value; other files do not have one.
fn best_in(bytes: Option<&Vec<u8>>) -> Option<i64> {
    let save = keblin::verify::verify(bytes?, &SCHEMA).ok()?;
    save.into_progress().get(best()).option()
}

impl World {
    pub(super) fn new(in_one_program: bool) -> World {
        let files = Memory::default();
        files.set_clock(1_000_000);
        files.set_machine(7);
        let ends = [ending(&files), ending(&files)];
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
            owes: [None; KEEPERS],
            hidden: [0; KEEPERS],
            behind: [false; KEEPERS],
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

    /// Opens a copy of the files as another program, and returns the contents of the save.
    pub(super) fn opened_best(&self) -> Result<Option<i64>, String> {
        let copy = Memory::of(
            self.files
                .files()
                .into_iter()
                .filter(|(path, _)| path.extension().is_some_and(|ending| ending == "keblin")),
        );
        copy.set_machine(7);
        match slot_of(&ending(&copy)).open(&SCHEMA) {
            Ok(opened) => Ok(opened.progress.get(best()).option()),
            Err(OpenError::Damaged(_)) => Err("no whole save is left".to_string()),
            Err(error) => Err(error.to_string()),
        }
    }

    pub(super) fn act(&mut self, act: Act) {
        match act {
            Act::Open(who) => {
                if let Ok(kept) = Keeper::open(&self.slots[who], &SCHEMA) {
                    self.keepers[who] = Some((kept, self.ends[who].clone()));
                    (self.hidden[who], self.behind[who]) = (1, false);
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
                self.others_are_behind(who);
                // The erasure was not acknowledged, so it may have happened or not.
                if self.opened_best() == Ok(None) {
                    self.told.must = None;
                }
            }
            Act::Close(who) => {
                if let Some((kept, _)) = self.keepers[who].take() {
                    let held = kept.get(best()).option();
                    let owes = self.owes[who].take();
                    if kept.close().is_ok() {
                        self.erased(who, owes);
                        self.acknowledged(who, held);
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
        end.watcher.left.store(calls, Ordering::SeqCst);
        kept.submit(best(), value);
        kept.put_area("west", Some(vec![7; 100])).unwrap();
        kept.put_area("fens", Some(value.to_be_bytes().repeat(8))).unwrap();
        let erased = self.next;
        if erases {
            kept.erase(&Erase::Field(SCHEMA.field_named("best").unwrap().0), true).unwrap();
        }
        let saved = kept.save_now();
        let held = kept.get(best()).option();
        if let Ok(Some(saved)) = saved {
            let is_whole = saved.written_bytes == saved.len_bytes;
            self.hidden[who] = 2 + u64::from(is_whole);
            self.told.rotten &= !is_whole;
            let owes = self.owes[who].take();
            self.erased(who, owes.max(erases.then_some(erased)));
            self.acknowledged(who, held);
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
            self.told.unsaved.extend(held);
            self.owes[who] = self.owes[who].max(erases.then_some(erased));
            self.hidden[who] = 4 + u64::from(self.owes[who].is_some());
        }
    }

    /// The program of a keeper has ended: its remaining work is not done.
    pub(super) fn end(&mut self, who: usize) {
        self.owes[who] = None;
        if let Some((kept, end)) = self.keepers[who].take() {
            end.watcher.left.store(0, Ordering::SeqCst);
            drop(kept);
            end.watcher.left.store(-1, Ordering::SeqCst);
        }
    }

    /// Notes the acknowledgement that values up to this one are erased, if any are.
    fn erased(&mut self, who: usize, erased: Option<i64>) {
        let Some(erased) = erased else { return };
        self.others_are_behind(who);
        self.told.erased = self.told.erased.max(erased);
        self.told.must = None;
        // A stranger's later save is not what was erased here.
        let strange = std::mem::take(&mut self.told.strange);
        self.told.refused.extend(strange);
    }

    /// What was erased here takes what the others have earned without having seen it.
    fn others_are_behind(&mut self, who: usize) {
        self.behind.iter_mut().enumerate().filter(|(other, _)| *other != who).for_each(|(_, it)| *it = true);
    }

    fn acknowledged(&mut self, who: usize, held: Option<i64>) {
        if self.behind[who] {
            return;
        }
        let held = held.filter(|held| *held > self.told.erased || self.is_of_elsewhere(*held));
        if !self.told.rotten {
            self.told.must = self.told.must.max(held);
        }
    }

    /// Returns whether a value need not have been erased with the others.
    fn is_of_elsewhere(&self, value: i64) -> bool {
        STRANGERS.contains(&value) || self.told.unsaved.contains(&value)
    }

    /// If a stranger replaces another stranger's file, it is not ours to keep.
    fn strangers_own(&mut self) {
        if let Some(there) = self.file(&self.path()) {
            self.told.strange.remove(&there);
        }
    }

    /// The contents of the file were destroyed: only the contents of the backup must still be there, and the file
    /// that took its place.
    fn destroyed(&mut self) {
        let left = [self.path(), self.previous()].map(|path| self.file(&path));
        let left = left.iter().flatten().filter(|bytes| !self.told.refused.contains(*bytes));
        // A stranger has not seen what was erased here.
        let left = left.filter(|bytes| {
            self.told.erased == 0 || !STRANGERS.iter().any(|value| best_in(Some(bytes)) == Some(*value))
        });
        let left = left.filter_map(|bytes| best_in(Some(bytes))).filter(|best| *best > self.told.erased);
        self.told.must = self.told.must.min(left.max());
    }

    /// Checks the promises.
    fn look(&self) -> Result<(), String> {
        let is_anything = self.file(&self.path()).is_some() || self.file(&self.previous()).is_some();
        if !is_anything {
            return match self.told.must {
                Some(must) => Err(format!("{must} was acknowledged, and there is no file")),
                None => Ok(()),
            };
        }
        let found = match self.opened_best() {
            // If rot has destroyed the file and nobody has saved since, there may only be a ruin, which is reported.
            Err(_) if self.told.must.is_none() => return Ok(()),
            found => found?,
        };
        if found < self.told.must {
            return Err(format!("{:?} was acknowledged, and {found:?} is opened", self.told.must));
        }
        let comes_back = found.is_some_and(|found| found <= self.told.erased && !self.is_of_elsewhere(found));
        if comes_back {
            return Err(format!("{found:?} comes back, and all up to {} was erased", self.told.erased));
        }
        Ok(())
    }
}

/// Returns a save of another player.
fn stranger(which: usize) -> Vec<u8> {
    static SAVES: LazyLock<[Vec<u8>; 2]> = LazyLock::new(|| {
        STRANGERS.map(|value| {
            let files = Memory::default();
            // One that was saved before ours, and one that was saved after.
            files.set_clock(if value == 500 { 9_000_000_000 } else { 500 });
            let slot = slot_of(&ending(&files));
            let mut kept = Keeper::open(&slot, &SCHEMA).unwrap();
            kept.submit(best(), value);
            kept.close().unwrap();
            files.files()[Path::new("saves/otter.keblin")].clone()
        })
    });
    SAVES[which].clone()
}
