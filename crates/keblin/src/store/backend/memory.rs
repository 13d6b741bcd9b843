//! Files in memory: for games that keep their bytes elsewhere, and for tests.

use std::collections::{BTreeMap, BTreeSet};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use super::disk::now_unix_ms;
use super::{Backend, FileParts, LeftAt, Lock, Steps, Which};
use crate::save::layout::digest;
use crate::store::error::{DiskError, failed};

/// Files in memory. Clones share them. They are lost when the program ends, so a sync guarantees nothing.
#[derive(Clone, Debug, Default)]
pub struct Memory {
    held: Arc<Mutex<Held>>,
}

#[derive(Debug)]
struct Held {
    files: BTreeMap<PathBuf, MemoryFile>,
    locked: BTreeSet<PathBuf>,
    /// Files that were appended to since they were synced, by name: each the number of a [`MemoryFile`].
    appended: BTreeMap<PathBuf, u64>,
    /// How many files were made.
    made: u64,
    /// How many unguessable names were made.
    names: u64,
    /// In milliseconds since 1970, if it is not the system's clock.
    clock: Option<u64>,
    /// Which machine it is.
    machine: u64,
}

impl Default for Held {
    /// Every memory is a machine of its own.
    fn default() -> Held {
        static MACHINES: AtomicU64 = AtomicU64::new(0);
        Held {
            files: BTreeMap::new(),
            locked: BTreeSet::new(),
            appended: BTreeMap::new(),
            made: 0,
            names: 0,
            clock: None,
            machine: MACHINES.fetch_add(1, Ordering::Relaxed),
        }
    }
}

/// A file, whatever its name.
#[derive(Clone, Debug)]
struct MemoryFile {
    number: u64,
    bytes: Vec<u8>,
    written_unix_ms: u64,
}

/// A lock of a [`Memory`].
struct HeldLock {
    memory: Memory,
    path: PathBuf,
}

impl Drop for HeldLock {
    fn drop(&mut self) {
        self.memory.held().locked.remove(&self.path);
    }
}

impl Memory {
    /// Returns files that exist from the start.
    #[must_use]
    pub fn of(files: impl IntoIterator<Item = (PathBuf, Vec<u8>)>) -> Memory {
        let memory = Memory::default();
        for (path, bytes) in files {
            memory.held().make(path, bytes);
        }
        memory
    }

    /// Returns the same machine with other files.
    #[cfg(feature = "testing")]
    pub(super) fn after_a_restart(&self, files: impl IntoIterator<Item = (PathBuf, Vec<u8>)>) -> Memory {
        let memory = Memory::of(files);
        memory.set_machine(self.machine());
        memory
    }

    /// Returns all files with their bytes.
    #[must_use]
    pub fn files(&self) -> BTreeMap<PathBuf, Vec<u8>> {
        self.held().files.iter().map(|(path, file)| (path.clone(), file.bytes.clone())).collect()
    }

    /// Puts a file there, replacing one of that name, as another program would.
    pub fn put_file(&self, path: impl Into<PathBuf>, bytes: Vec<u8>) {
        self.held().make(path.into(), bytes);
    }

    /// Changes a byte of a file in place, like a medium that rots.
    pub fn rot(&self, path: &Path, at: usize, byte: u8) {
        if let Some(place) = self.held().files.get_mut(path).and_then(|file| file.bytes.get_mut(at)) {
            *place = byte;
        }
    }

    /// Sets the clock, in milliseconds since 1970, and stops it there.
    pub fn set_clock(&self, unix_ms: u64) {
        self.held().clock = Some(unix_ms);
    }

    /// Says which machine it is. Each memory is one of its own, unless it is given the number of another one: files that
    /// are copied between two machines are not taken for their own.
    pub fn set_machine(&self, number: u64) {
        self.held().machine = number;
    }

    fn held(&self) -> MutexGuard<'_, Held> {
        // Nothing panics while it is held.
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Held {
    fn now_unix_ms(&self) -> u64 {
        self.clock.unwrap_or_else(now_unix_ms)
    }

    /// Creates a file and returns its number.
    fn make(&mut self, path: PathBuf, bytes: Vec<u8>) -> u64 {
        self.made += 1;
        let file = MemoryFile { number: self.made, bytes, written_unix_ms: self.now_unix_ms() };
        self.files.insert(path, file);
        self.made
    }
}

/// Returns at most this many bytes of a file from an offset on.
fn part_of(bytes: &[u8], from: u64, most: u64) -> &[u8] {
    let rest = bytes.get(usize::try_from(from).unwrap_or(usize::MAX)..).unwrap_or_default();
    rest.get(..usize::try_from(most).unwrap_or(usize::MAX).min(rest.len())).unwrap_or_default()
}

/// Writes bytes at a position in a file; unwritten bytes before it are zero.
pub(super) fn put(file: &mut Vec<u8>, at: usize, bytes: &[u8]) {
    if bytes.is_empty() {
        return;
    }
    file.resize(file.len().max(at + bytes.len()), 0);
    if let Some(place) = file.get_mut(at..at + bytes.len()) {
        place.copy_from_slice(bytes);
    }
}

/// The bytes of a file as it was.
struct MemoryParts(Vec<u8>);

impl FileParts for MemoryParts {
    fn read(&self, from: u64, most: u64) -> Result<Vec<u8>, DiskError> {
        Ok(part_of(&self.0, from, most).to_vec())
    }
}

impl Backend for Memory {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        Ok(self.held().files.get(path).map(|file| file.bytes.len() as u64))
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        let part = |file: &MemoryFile| part_of(&file.bytes, from, most).to_vec();
        Ok(self.held().files.get(path).map(part))
    }

    fn parts_of(&self, path: &Path) -> Result<Option<Box<dyn FileParts>>, DiskError> {
        let file = self.held().files.get(path).map(|file| file.bytes.clone());
        Ok(file.map(|bytes| -> Box<dyn FileParts> { Box::new(MemoryParts(bytes)) }))
    }

    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        let mut held = self.held();
        let now = held.now_unix_ms();
        let Some(file) = held.files.get_mut(path).filter(|file| file.bytes.len() as u64 == left.len) else {
            return Ok(false);
        };
        let (from, most) = left.looked_at();
        if !left.is_so(part_of(&file.bytes, from, most)) {
            return Ok(false);
        }
        put(&mut file.bytes, usize::try_from(left.end).unwrap_or(usize::MAX), &parts.concat());
        file.written_unix_ms = now;
        let number = file.number;
        held.appended.insert(path.to_path_buf(), number);
        Ok(true)
    }

    fn sync(&self, path: &Path) -> Result<bool, DiskError> {
        let mut held = self.held();
        let appended = held.appended.remove(path);
        let there = held.files.get(path).map(|file| file.number);
        Ok(there.is_some() && (appended.is_none() || appended == there))
    }

    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.publish_by_steps(path, beside, parts, None)
    }

    fn publish_over(
        &self,
        path: &Path,
        beside: &Path,
        parts: &[&[u8]],
        replaced: &Path,
    ) -> Result<bool, DiskError> {
        self.publish_by_steps(path, beside, parts, Some(replaced))
    }

    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        self.set_aside_by_steps(moves)
    }

    fn remove(&self, path: &Path) -> Result<bool, DiskError> {
        Ok(self.held().files.remove(path).is_some())
    }

    fn written_unix_ms(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        Ok(self.held().files.get(path).map(|file| file.written_unix_ms))
    }

    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError> {
        let held = self.held();
        let inside = held.files.keys().filter(|path| path.parent() == Some(folder));
        Ok(inside.filter_map(|path| path.file_name()?.to_str().map(str::to_string)).collect())
    }

    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError> {
        let free = {
            let mut held = self.held();
            if !held.files.contains_key(path) {
                held.make(path.to_path_buf(), Vec::new());
            }
            held.locked.insert(path.to_path_buf())
        };
        let lock = || HeldLock { memory: self.clone(), path: path.to_path_buf() };
        Ok(free.then(|| Box::new(lock()) as Box<dyn Lock>))
    }

    fn now_unix_ms(&self) -> u64 {
        self.held().now_unix_ms()
    }

    fn machine(&self) -> u64 {
        self.held().machine
    }

    /// The same numbers in each run on the same machine, so that tests can be repeated.
    fn unguessable(&self) -> u64 {
        let mut held = self.held();
        held.names += 1;
        // Files from an earlier run have other names.
        let of = format!("{} {} {:?}", held.names, held.machine, held.files.keys());
        digest(of.as_bytes()).first_chunk().map_or(0, |start| u64::from_be_bytes(*start))
    }
}

impl Steps for Memory {
    fn make_folder(&self, _folder: &Path) -> Result<(), DiskError> {
        Ok(())
    }

    fn write(&self, path: &Path, parts: &[&[u8]]) -> Result<Which, DiskError> {
        let mut held = self.held();
        if held.files.contains_key(path) {
            return Err(failed("creating", path)(ErrorKind::AlreadyExists.into()));
        }
        Ok(Some((0, held.make(path.to_path_buf(), parts.concat()))))
    }

    fn take_rights(&self, _path: &Path, _of: &Path) -> Result<(), DiskError> {
        Ok(())
    }

    fn which(&self, path: &Path) -> Result<Which, DiskError> {
        Ok(self.held().files.get(path).map(|file| (0, file.number)))
    }

    fn sync_file(&self, _path: &Path) -> Result<(), DiskError> {
        Ok(())
    }

    fn keep_replaced(&self, path: &Path, replaced: &Path) {
        let mut held = self.held();
        if let Some(file) = held.files.get(path).cloned() {
            held.files.insert(replaced.to_path_buf(), file);
        }
    }

    fn rename(&self, path: &Path, to: &Path) -> Result<(), DiskError> {
        let mut held = self.held();
        let missing = || failed("renaming", path)(ErrorKind::NotFound.into());
        let file = held.files.remove(path).ok_or_else(missing)?;
        held.files.insert(to.to_path_buf(), file);
        Ok(())
    }

    fn sync_folder(&self, _folder: &Path) -> Result<(), DiskError> {
        Ok(())
    }
}
