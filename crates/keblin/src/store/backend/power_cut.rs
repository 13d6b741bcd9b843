//! Files that can lose power after every single call. Synced data and data that was only written are kept separately, and
//! any part of the latter is lost, torn or out of order.

use std::collections::BTreeMap;
use std::io::Error;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use super::memory::{Memory, put};
use super::{Backend, FileParts, LeftAt, Lock, Steps, Which};
use crate::store::error::{DiskError, failed};

/// The bytes that a medium writes at once.
const BLOCK_BYTES: usize = 512;

/// Files in memory that remember every call, for tests of power failures. Run a session once; then
/// [`PowerCut::after`] returns the files that would be left if the power had failed after any of its calls.
#[derive(Clone, Debug, Default)]
pub struct PowerCut {
    /// The files before the first call.
    start: BTreeMap<PathBuf, Vec<u8>>,
    files: Memory,
    calls: Arc<Mutex<Vec<Call>>>,
    failing: Arc<AtomicBool>,
}

/// What happens to data that was written but not synced.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Tear {
    /// All of it is lost.
    Lost,
    /// All of it is kept.
    Kept,
    /// The first half of each write is kept, and the first half of the new names.
    Half,
    /// The lengths and the new names are kept, but the bytes are zero.
    Zeroed,
    /// Only the last write and the last new name are kept.
    LastOnly,
    /// Each block of 512 bytes and each new name is kept or lost at random; the number makes it repeatable.
    Mixed(u64),
}

/// A call that changes files.
#[derive(Clone, Debug)]
enum Call {
    Write(PathBuf, Vec<u8>),
    /// The file, the position, and the bytes.
    Append(PathBuf, usize, Vec<u8>),
    Sync(PathBuf),
    SyncFailed(PathBuf),
    Rename(PathBuf, PathBuf),
    Remove(PathBuf),
    SyncFolder(PathBuf),
}

impl PowerCut {
    /// Returns no files.
    #[must_use]
    pub fn new() -> PowerCut {
        PowerCut::default()
    }

    /// Returns files that exist from the start, all of them synced.
    #[must_use]
    pub fn of(files: &Memory) -> PowerCut {
        let start = files.files();
        PowerCut { files: files.after_a_restart(start.clone()), start, ..PowerCut::default() }
    }

    /// Makes the next sync of appended data fail. As on real systems, the data never reaches the medium, although the
    /// program still sees it and a later sync succeeds.
    pub fn fail_next_sync(&self) {
        self.failing.store(true, Ordering::SeqCst);
    }

    /// Returns the files as the program sees them. Changes made through them are not remembered as calls.
    #[must_use]
    pub fn files(&self) -> &Memory {
        &self.files
    }

    /// Returns how many calls changed something.
    #[must_use]
    pub fn calls(&self) -> usize {
        self.lock_calls().len()
    }

    /// Passes on the files that are left when the power fails after each number of calls, from none to all, torn in
    /// each of some ways, with the number of calls before it.
    pub fn after_each_call(&self, tears: &[Tear], mut look: impl FnMut(usize, Tear, Memory)) {
        let mut medium = Medium::of(&self.start);
        let calls = self.lock_calls().clone();
        for count in 0..=calls.len() {
            if let Some(call) = count.checked_sub(1).and_then(|last| calls.get(last)) {
                medium.take(call);
            }
            for tear in tears {
                look(count, *tear, self.files.after_a_restart(medium.torn(*tear)));
            }
        }
    }

    /// Returns the files that are left when the power fails after this many calls.
    #[must_use]
    pub fn after(&self, calls: usize, tear: Tear) -> Memory {
        let mut medium = Medium::of(&self.start);
        self.lock_calls().iter().take(calls).for_each(|call| medium.take(call));
        self.files.after_a_restart(medium.torn(tear))
    }

    fn lock_calls(&self) -> MutexGuard<'_, Vec<Call>> {
        self.calls.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn note(&self, call: Call) {
        self.lock_calls().push(call);
    }
}

impl Backend for PowerCut {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.files.len(path)
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        self.files.read(path, from, most)
    }

    fn parts_of(&self, path: &Path) -> Result<Option<Box<dyn FileParts>>, DiskError> {
        self.files.parts_of(path)
    }

    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        let is_written = self.files.append(path, left, parts)?;
        if is_written {
            let from = usize::try_from(left.end).unwrap_or(usize::MAX);
            self.note(Call::Append(path.to_path_buf(), from, parts.concat()));
        }
        Ok(is_written)
    }

    fn sync(&self, path: &Path) -> Result<bool, DiskError> {
        if self.failing.swap(false, Ordering::SeqCst) {
            self.note(Call::SyncFailed(path.to_path_buf()));
            return Err(failed("syncing", path)(Error::other("input/output error")));
        }
        self.sync_file(path)?;
        self.files.sync(path)
    }

    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.publish_by_steps(path, beside, parts, None)
    }

    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        self.set_aside_by_steps(moves)
    }

    fn remove(&self, path: &Path) -> Result<bool, DiskError> {
        self.note(Call::Remove(path.to_path_buf()));
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

    fn machine(&self) -> u64 {
        self.files.machine()
    }

    fn unguessable(&self) -> u64 {
        self.files.unguessable()
    }
}

impl Steps for PowerCut {
    fn make_folder(&self, folder: &Path) -> Result<(), DiskError> {
        self.files.make_folder(folder)
    }

    fn write(&self, path: &Path, parts: &[&[u8]]) -> Result<Which, DiskError> {
        let which = self.files.write(path, parts)?;
        self.note(Call::Write(path.to_path_buf(), parts.concat()));
        Ok(which)
    }

    fn take_rights(&self, path: &Path, of: &Path) -> Result<(), DiskError> {
        self.files.take_rights(path, of)
    }

    fn which(&self, path: &Path) -> Result<Which, DiskError> {
        self.files.which(path)
    }

    fn sync_file(&self, path: &Path) -> Result<(), DiskError> {
        self.note(Call::Sync(path.to_path_buf()));
        Ok(())
    }

    fn rename(&self, path: &Path, to: &Path) -> Result<(), DiskError> {
        self.files.rename(path, to)?;
        self.note(Call::Rename(path.to_path_buf(), to.to_path_buf()));
        Ok(())
    }

    fn sync_folder(&self, folder: &Path) -> Result<(), DiskError> {
        self.note(Call::SyncFolder(folder.to_path_buf()));
        Ok(())
    }
}

/// What is on a medium, and what is only on its way there.
#[derive(Debug, Default)]
struct Medium {
    contents: Vec<Content>,
    /// The names as the program sees them.
    seen: BTreeMap<PathBuf, usize>,
    /// The names that survive a power failure.
    synced: BTreeMap<PathBuf, usize>,
    /// The changes of names that are on their way.
    naming: Vec<Naming>,
}

/// The bytes of a file, whatever its name.
#[derive(Debug, Default)]
struct Content {
    synced: Vec<u8>,
    /// The writes since, in order, each with its position.
    writes: Vec<(usize, Vec<u8>)>,
    /// How many of those never reach the medium, because a sync failed.
    lost: usize,
}

/// A file that gets a name, loses another, or both.
#[derive(Clone, Debug)]
struct Naming {
    content: usize,
    name: Option<PathBuf>,
    gives_up: Option<PathBuf>,
}

impl Naming {
    fn given(content: usize, name: &Path) -> Naming {
        Naming { content, name: Some(name.to_path_buf()), gives_up: None }
    }

    fn is_in(&self, folder: &Path) -> bool {
        [self.name.as_ref(), self.gives_up.as_ref()]
            .into_iter()
            .flatten()
            .any(|name| name.parent() == Some(folder))
    }

    fn apply(&self, names: &mut BTreeMap<PathBuf, usize>) {
        if let Some(old) = self.gives_up.as_ref().filter(|old| names.get(*old) == Some(&self.content)) {
            names.remove(old);
        }
        names.extend(self.name.clone().map(|name| (name, self.content)));
    }
}

impl Medium {
    fn of(files: &BTreeMap<PathBuf, Vec<u8>>) -> Medium {
        let contents = files.values().map(|bytes| Content { synced: bytes.clone(), ..Content::default() });
        let names: BTreeMap<_, _> = files.keys().cloned().zip(0..).collect();
        Medium { contents: contents.collect(), seen: names.clone(), synced: names, naming: Vec::new() }
    }

    fn take(&mut self, call: &Call) {
        match call {
            Call::Write(path, bytes) => {
                self.contents.push(Content { writes: vec![(0, bytes.clone())], ..Content::default() });
                self.name(Naming::given(self.contents.len() - 1, path));
            }
            Call::Append(path, from, bytes) => {
                let write = (*from, bytes.clone());
                self.content(path).into_iter().for_each(|content| content.writes.push(write.clone()));
            }
            Call::Sync(path) => self.content(path).into_iter().for_each(|content| {
                for (index, (at, write)) in std::mem::take(&mut content.writes).into_iter().enumerate() {
                    match index < content.lost {
                        true => grow(&mut content.synced, at + write.len()),
                        false => put(&mut content.synced, at, &write),
                    }
                }
                content.lost = 0;
            }),
            Call::SyncFailed(path) => {
                self.content(path).into_iter().for_each(|content| content.lost = content.writes.len());
            }
            Call::Rename(path, to) => {
                if let Some(content) = self.seen.get(path).copied() {
                    self.name(Naming { gives_up: Some(path.clone()), ..Naming::given(content, to) });
                }
            }
            Call::Remove(path) => {
                if let Some(content) = self.seen.get(path).copied() {
                    self.name(Naming { content, name: None, gives_up: Some(path.clone()) });
                }
            }
            Call::SyncFolder(folder) => {
                let naming = std::mem::take(&mut self.naming);
                let (synced, on_their_way): (Vec<_>, Vec<_>) =
                    naming.into_iter().partition(|naming| naming.is_in(folder));
                self.naming = on_their_way;
                synced.iter().for_each(|naming| naming.apply(&mut self.synced));
            }
        }
    }

    fn content(&mut self, path: &Path) -> Option<&mut Content> {
        self.contents.get_mut(*self.seen.get(path)?)
    }

    fn name(&mut self, naming: Naming) {
        naming.apply(&mut self.seen);
        self.naming.push(naming);
    }

    fn torn(&self, tear: Tear) -> BTreeMap<PathBuf, Vec<u8>> {
        let mut random = Random(match tear {
            Tear::Mixed(number) => number,
            _ => 0,
        });
        let (mut names, count) = (self.synced.clone(), self.naming.len());
        for (index, naming) in self.naming.iter().enumerate() {
            let is_there = match tear {
                Tear::Lost => false,
                Tear::Kept | Tear::Zeroed => true,
                Tear::Half => index < count / 2,
                Tear::LastOnly => index + 1 == count,
                Tear::Mixed(_) => random.yes(),
            };
            if is_there {
                naming.apply(&mut names);
            }
        }
        let left = names.into_iter().filter_map(|(name, content)| {
            let content = self.contents.get(content)?;
            Some((name, content.torn(tear, &mut random)))
        });
        left.collect()
    }
}

impl Content {
    fn torn(&self, tear: Tear, random: &mut Random) -> Vec<u8> {
        let (mut bytes, count) = (self.synced.clone(), self.writes.len());
        for (index, (at, write)) in self.writes.iter().enumerate() {
            let at = *at;
            match tear {
                Tear::Lost => {}
                Tear::Kept => put(&mut bytes, at, write),
                Tear::Half => put(&mut bytes, at, write.get(..write.len() / 2).unwrap_or_default()),
                Tear::Zeroed => grow(&mut bytes, at + write.len()),
                Tear::LastOnly if index + 1 == count => put(&mut bytes, at, write),
                Tear::LastOnly => {}
                Tear::Mixed(_) => {
                    for (block, part) in write.chunks(BLOCK_BYTES).enumerate() {
                        if random.yes() {
                            put(&mut bytes, at + block * BLOCK_BYTES, part);
                        }
                    }
                }
            }
        }
        bytes
    }
}

/// Extends a file with zero bytes to a length.
fn grow(bytes: &mut Vec<u8>, len: usize) {
    bytes.resize(bytes.len().max(len), 0);
}

/// Random bools, the same ones for the same number.
struct Random(u64);

impl Random {
    fn yes(&mut self) -> bool {
        // A step of a 64-bit linear congruential generator; its highest bit is the best one.
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        self.0 >> 63 == 1
    }
}
