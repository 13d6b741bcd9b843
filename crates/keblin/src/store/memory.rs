//! Files in memory: for games that keep their bytes elsewhere, and for tests.

use std::collections::{BTreeMap, BTreeSet};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use super::backend::{Backend, LeftAt, Lock, Steps};
use super::disk::{DiskError, failed, now_unix_ms};

/// Files in memory. Clones share them. They are gone with the program, so a sync promises nothing.
#[derive(Clone, Debug, Default)]
pub struct Memory {
    held: Arc<Mutex<Held>>,
}

#[derive(Debug, Default)]
struct Held {
    files: BTreeMap<PathBuf, Vec<u8>>,
    locked: BTreeSet<PathBuf>,
    /// In milliseconds since 1970, if it is not the system's.
    clock: Option<u64>,
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
    /// Files that are there from the start.
    #[must_use]
    pub fn of(files: impl IntoIterator<Item = (PathBuf, Vec<u8>)>) -> Memory {
        let held = Held { files: files.into_iter().collect(), ..Held::default() };
        Memory { held: Arc::new(Mutex::new(held)) }
    }

    /// All files with their bytes.
    #[must_use]
    pub fn files(&self) -> BTreeMap<PathBuf, Vec<u8>> {
        self.held().files.clone()
    }

    /// Sets the clock, in milliseconds since 1970, and stops it there.
    pub fn set_clock(&self, unix_ms: u64) {
        self.held().clock = Some(unix_ms);
    }

    fn held(&self) -> MutexGuard<'_, Held> {
        // Nothing panics while it is held.
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// At most so many bytes of a file from an offset on.
fn part_of(bytes: &[u8], from: u64, most: u64) -> &[u8] {
    let rest = bytes.get(usize::try_from(from).unwrap_or(usize::MAX)..).unwrap_or_default();
    rest.get(..usize::try_from(most).unwrap_or(usize::MAX).min(rest.len())).unwrap_or_default()
}

/// Puts bytes at a place in a file; what lies before it and was never written is zero.
pub(super) fn put(file: &mut Vec<u8>, at: usize, bytes: &[u8]) {
    if bytes.is_empty() {
        return;
    }
    file.resize(file.len().max(at + bytes.len()), 0);
    if let Some(place) = file.get_mut(at..at + bytes.len()) {
        place.copy_from_slice(bytes);
    }
}

impl Backend for Memory {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        Ok(self.held().files.get(path).map(|bytes| bytes.len() as u64))
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        let part = |bytes: &Vec<u8>| part_of(bytes, from, most).to_vec();
        Ok(self.held().files.get(path).map(part))
    }

    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        let mut held = self.held();
        let Some(file) = held.files.get_mut(path).filter(|file| file.len() as u64 == left.len) else {
            return Ok(false);
        };
        let (from, most) = left.looked_at();
        if !left.is_so(part_of(file, from, most)) {
            return Ok(false);
        }
        put(file, usize::try_from(left.end).unwrap_or(usize::MAX), &parts.concat());
        Ok(true)
    }

    fn sync(&self, _path: &Path) -> Result<(), DiskError> {
        Ok(())
    }

    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<(), DiskError> {
        self.publish_by_steps(path, beside, parts)
    }

    fn set_aside(&self, path: &Path, to: &Path) -> Result<(), DiskError> {
        self.set_aside_by_steps(path, to)
    }

    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError> {
        let held = self.held();
        let inside = held.files.keys().filter(|path| path.parent() == Some(folder));
        Ok(inside.filter_map(|path| path.file_name()?.to_str().map(str::to_string)).collect())
    }

    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError> {
        let free = {
            let mut held = self.held();
            held.files.entry(path.to_path_buf()).or_default();
            held.locked.insert(path.to_path_buf())
        };
        let lock = || HeldLock { memory: self.clone(), path: path.to_path_buf() };
        Ok(free.then(|| Box::new(lock()) as Box<dyn Lock>))
    }

    fn now_unix_ms(&self) -> u64 {
        let clock = self.held().clock;
        clock.unwrap_or_else(now_unix_ms)
    }
}

impl Steps for Memory {
    fn make_folder(&self, _folder: &Path) -> Result<(), DiskError> {
        Ok(())
    }

    fn write(&self, path: &Path, parts: &[&[u8]]) -> Result<(), DiskError> {
        self.held().files.insert(path.to_path_buf(), parts.concat());
        Ok(())
    }

    fn sync_file(&self, _path: &Path) -> Result<(), DiskError> {
        Ok(())
    }

    fn rename(&self, path: &Path, to: &Path) -> Result<(), DiskError> {
        let mut held = self.held();
        let missing = || failed("renaming", path)(ErrorKind::NotFound.into());
        let bytes = held.files.remove(path).ok_or_else(missing)?;
        held.files.insert(to.to_path_buf(), bytes);
        Ok(())
    }

    fn sync_folder(&self, _folder: &Path) -> Result<(), DiskError> {
        Ok(())
    }
}
