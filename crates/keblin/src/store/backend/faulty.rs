//! Files that fail on demand, to test what a game does then.

use std::collections::BTreeMap;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use super::{Backend, FileParts, LeftAt, Lock};
use crate::store::error::{DiskError, failed};

/// A call of a [`Backend`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Doing {
    /// [`Backend::read`], [`Backend::len`], and the check of the end of a file before [`Backend::append`].
    Read,
    /// [`Backend::append`]; half of the bytes are written before it fails.
    Append,
    /// [`Backend::sync`].
    Sync,
    /// [`Backend::publish`].
    Publish,
    /// [`Backend::set_aside`].
    SetAside,
    /// [`Backend::remove`].
    Remove,
    /// [`Backend::list`].
    List,
    /// [`Backend::lock`].
    Lock,
}

/// Files of another backend, with some calls that fail. Clones fail together.
#[derive(Clone, Debug)]
pub struct Faulty {
    files: Arc<dyn Backend>,
    failing: Arc<Mutex<BTreeMap<Doing, Failing>>>,
    bad: Arc<Mutex<BTreeMap<(PathBuf, Doing), ErrorKind>>>,
}

/// How calls of a kind fail.
#[derive(Clone, Copy, Debug)]
struct Failing {
    /// How many calls succeed first.
    after: usize,
    with: ErrorKind,
    times: usize,
}

impl Faulty {
    /// Wraps a backend; nothing fails yet.
    #[must_use]
    pub fn new(files: Arc<dyn Backend>) -> Faulty {
        Faulty { files, failing: Arc::default(), bad: Arc::default() }
    }

    /// Makes the next calls of a kind fail, this many of them.
    pub fn fail(&self, doing: Doing, with: ErrorKind, times: usize) {
        self.fail_after(doing, 0, with, times);
    }

    /// As [`Faulty::fail`], after this many calls of that kind have succeeded.
    pub fn fail_after(&self, doing: Doing, after: usize, with: ErrorKind, times: usize) {
        let failing = Failing { after, with, times };
        self.failing.lock().unwrap_or_else(PoisonError::into_inner).insert(doing, failing);
    }

    /// Makes every call of a kind fail for one file, like a bad sector, even after it is renamed.
    pub fn fail_for(&self, path: PathBuf, doing: Doing, with: ErrorKind) {
        self.bad().insert((path, doing), with);
    }

    fn bad(&self) -> MutexGuard<'_, BTreeMap<(PathBuf, Doing), ErrorKind>> {
        self.bad.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Notes that a file was renamed or removed.
    fn renamed(&self, path: &Path, to: Option<&Path>) {
        let mut bad = self.bad();
        let of_file: Vec<_> = bad.keys().filter(|(file, _)| file == path).cloned().collect();
        for key in of_file {
            let with = bad.remove(&key);
            bad.extend(to.zip(with).map(|(to, with)| ((to.to_path_buf(), key.1), with)));
        }
    }

    fn error(&self, doing: Doing) -> Option<ErrorKind> {
        let mut failing = self.failing.lock().unwrap_or_else(PoisonError::into_inner);
        let failing = failing.get_mut(&doing)?;
        if let Some(after) = failing.after.checked_sub(1) {
            failing.after = after;
            return None;
        }
        failing.times = failing.times.checked_sub(1)?;
        Some(failing.with)
    }

    fn check(&self, doing: Doing, what: &'static str, path: &Path) -> Result<(), DiskError> {
        let bad = self.bad().get(&(path.to_path_buf(), doing)).copied();
        bad.or_else(|| self.error(doing)).map_or(Ok(()), |error| Err(failed(what, path)(error.into())))
    }
}

impl Backend for Faulty {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.check(Doing::Read, "looking for", path)?;
        self.files.len(path)
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        self.check(Doing::Read, "reading", path)?;
        self.files.read(path, from, most)
    }

    fn parts_of(&self, path: &Path) -> Result<Option<Box<dyn FileParts>>, DiskError> {
        self.check(Doing::Read, "opening", path)?;
        self.files.parts_of(path)
    }

    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.check(Doing::Read, "reading", path)?;
        if let Err(error) = self.check(Doing::Append, "appending to", path) {
            let bytes = parts.concat();
            self.files.append(path, left, &[bytes.get(..bytes.len() / 2).unwrap_or_default()])?;
            return Err(error);
        }
        self.files.append(path, left, parts)
    }

    fn sync(&self, path: &Path) -> Result<bool, DiskError> {
        self.check(Doing::Sync, "syncing", path)?;
        self.files.sync(path)
    }

    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.check(Doing::Publish, "writing", path)?;
        let published = self.files.publish(path, beside, parts)?;
        self.renamed(path, None);
        Ok(published)
    }

    fn link(&self, path: &Path, beside: &Path, to: &Path) -> Result<bool, DiskError> {
        self.files.link(path, beside, to)
    }

    fn is_linked(&self, path: &Path, to: &Path) -> bool {
        self.files.is_linked(path, to)
    }

    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        for (path, _) in moves {
            self.check(Doing::SetAside, "renaming", path)?;
        }
        self.files.set_aside(moves)?;
        moves.iter().for_each(|(path, to)| self.renamed(path, Some(to)));
        Ok(())
    }

    fn remove(&self, path: &Path) -> Result<bool, DiskError> {
        self.check(Doing::Remove, "removing", path)?;
        self.files.remove(path)
    }

    fn written_unix_ms(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        self.files.written_unix_ms(path)
    }

    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError> {
        self.check(Doing::List, "listing", folder)?;
        self.files.list(folder)
    }

    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError> {
        self.check(Doing::Lock, "locking", path)?;
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
