//! Files in memory with a watcher of the calls, which may fail before one, panic, or change files after it.

use std::fmt::Debug;
use std::path::{Path, PathBuf};

use keblin::store::DiskError;
use keblin::store::backend::{Backend, Doing, LeftAt, Lock, Memory};

/// Watches the calls that change something.
pub(crate) trait Watcher: Debug + Send + Sync {
    /// Called before a call. After an error nothing is done.
    fn before(&self, _doing: Doing, _path: &Path) -> Result<(), DiskError> {
        Ok(())
    }

    /// Called after a successful call; returns whether its file still has its name.
    fn after(&self, _doing: Doing, _path: &Path, is_still_there: bool) -> bool {
        is_still_there
    }
}

/// Files in memory whose calls are watched.
#[derive(Clone, Debug, Default)]
pub(crate) struct Watched<W> {
    pub(crate) files: Memory,
    pub(crate) watcher: W,
}

impl<W: Watcher> Watched<W> {
    fn watch(
        &self,
        doing: Doing,
        path: &Path,
        call: impl FnOnce() -> Result<bool, DiskError>,
    ) -> Result<bool, DiskError> {
        self.watcher.before(doing, path)?;
        let is_still_there = call()?;
        Ok(self.watcher.after(doing, path, is_still_there))
    }
}

impl<W: Watcher> Backend for Watched<W> {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.files.len(path)
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        self.files.read(path, from, most)
    }

    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.watch(Doing::Append, path, || self.files.append(path, left, parts))
    }

    fn sync(&self, path: &Path) -> Result<bool, DiskError> {
        self.watch(Doing::Sync, path, || self.files.sync(path))
    }

    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.watch(Doing::Publish, path, || self.files.publish(path, beside, parts))
    }

    fn publish_over(
        &self,
        path: &Path,
        beside: &Path,
        parts: &[&[u8]],
        replaced: &Path,
    ) -> Result<bool, DiskError> {
        self.watch(Doing::Publish, path, || self.files.publish_over(path, beside, parts, replaced))
    }

    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        self.watch(Doing::SetAside, Path::new(""), || self.files.set_aside(moves).map(|()| true)).map(drop)
    }

    fn remove(&self, path: &Path) -> Result<bool, DiskError> {
        self.watch(Doing::Remove, path, || self.files.remove(path))
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
