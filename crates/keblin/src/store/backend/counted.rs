//! The disk, with a count of what is read and written: for tests and examples that say what a call costs.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use super::{Backend, Disk, FileParts, LeftAt, Lock};
use crate::store::error::DiskError;

/// Files on the disk that count the bytes that are read and written. Clones share the counts.
#[derive(Clone, Debug, Default)]
pub struct Counted {
    disk: Arc<Disk>,
    read: Arc<AtomicU64>,
    written: Arc<AtomicU64>,
}

impl Counted {
    /// Returns how many bytes were read since the last call, or since the start.
    #[must_use]
    pub fn take_read(&self) -> u64 {
        self.read.swap(0, Ordering::Relaxed)
    }

    /// Returns how many bytes were written since the last call, or since the start.
    #[must_use]
    pub fn take_written(&self) -> u64 {
        self.written.swap(0, Ordering::Relaxed)
    }

    fn has_written(&self, parts: &[&[u8]]) {
        let bytes: usize = parts.iter().map(|part| part.len()).sum();
        self.written.fetch_add(bytes as u64, Ordering::Relaxed);
    }
}

/// A file that stays open, with the count of what is read.
struct CountedParts(Box<dyn FileParts>, Arc<AtomicU64>);

impl FileParts for CountedParts {
    fn read(&self, from: u64, most: u64) -> Result<Vec<u8>, DiskError> {
        let bytes = self.0.read(from, most)?;
        self.1.fetch_add(bytes.len() as u64, Ordering::Relaxed);
        Ok(bytes)
    }
}

impl Backend for Counted {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.disk.len(path)
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        let bytes = self.disk.read(path, from, most)?;
        self.read.fetch_add(bytes.as_ref().map_or(0, |bytes| bytes.len() as u64), Ordering::Relaxed);
        Ok(bytes)
    }

    fn parts_of(&self, path: &Path) -> Result<Option<Box<dyn FileParts>>, DiskError> {
        let parts = self.disk.parts_of(path)?;
        Ok(parts.map(|parts| Box::new(CountedParts(parts, Arc::clone(&self.read))) as Box<dyn FileParts>))
    }

    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        let is_written = self.disk.append(path, left, parts)?;
        if is_written {
            self.has_written(parts);
        }
        Ok(is_written)
    }

    fn cut_reserve(&self, path: &Path, left: &LeftAt<'_>) -> Result<bool, DiskError> {
        self.disk.cut_reserve(path, left)
    }

    fn sync(&self, path: &Path) -> Result<bool, DiskError> {
        self.disk.sync(path)
    }

    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        let stands = self.disk.publish(path, beside, parts)?;
        self.has_written(parts);
        Ok(stands)
    }

    fn publish_over(
        &self,
        path: &Path,
        beside: &Path,
        parts: &[&[u8]],
        replaced: &Path,
    ) -> Result<bool, DiskError> {
        let stands = self.disk.publish_over(path, beside, parts, replaced)?;
        self.has_written(parts);
        Ok(stands)
    }

    fn link(&self, path: &Path, beside: &Path, to: &Path) -> Result<bool, DiskError> {
        self.disk.link(path, beside, to)
    }

    fn is_linked(&self, path: &Path, to: &Path) -> bool {
        self.disk.is_linked(path, to)
    }

    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        self.disk.set_aside(moves)
    }

    fn remove(&self, path: &Path) -> Result<bool, DiskError> {
        self.disk.remove(path)
    }

    fn written_unix_ms(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.disk.written_unix_ms(path)
    }

    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError> {
        self.disk.list(folder)
    }

    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError> {
        self.disk.lock(path)
    }
}
