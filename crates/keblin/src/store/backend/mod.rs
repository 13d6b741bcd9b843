//! Where the files of saves are kept: on a disk, in memory, or wherever a platform keeps them. The duties written
//! down here are what makes saving safe.

use std::fmt;
use std::hash::{BuildHasher, RandomState};
use std::path::{Path, PathBuf};

use keblin_model::order::each_once;

use super::error::DiskError;
use crate::broken::Broken;
use crate::save::layout::FOOT_ITEM_BYTES;

/// The calls to the operating system, each with its path in the error.
mod disk;

/// Files in memory.
mod memory;

/// Files that lose power, for tests.
#[cfg(feature = "testing")]
mod power_cut;

/// The disk, with a count of what is read and written, for tests and examples.
#[cfg(feature = "testing")]
mod counted;

/// Files that fail on demand, for tests.
#[cfg(feature = "testing")]
mod faulty;

#[cfg(feature = "testing")]
pub use counted::Counted;
pub use disk::Disk;
#[cfg(feature = "testing")]
pub use faulty::{Doing, Faulty};
pub use memory::Memory;
#[cfg(feature = "testing")]
pub use power_cut::{PowerCut, Tear};

/// The end of a file as the last write left it.
#[derive(Clone, Copy, Debug)]
pub struct LeftAt<'l> {
    /// The length of the file, in bytes.
    pub len: u64,
    /// Where its last bytes end. After them comes only the reserve of zero bytes, or nothing.
    pub end: u64,
    /// Those last bytes, as many as must be checked; as many bytes of the reserve are checked too.
    pub last: &'l [u8],
}

impl LeftAt<'_> {
    /// Returns which bytes to check: the offset, and the largest number.
    #[must_use]
    pub fn looked_at(&self) -> (u64, u64) {
        let count = self.last.len() as u64;
        (self.end.saturating_sub(count), 2 * count)
    }

    /// Returns whether those bytes are as they were left.
    #[must_use]
    pub fn is_so(&self, found: &[u8]) -> bool {
        let reserve = found.strip_prefix(self.last);
        self.end <= self.len && reserve.is_some_and(|reserve| reserve.iter().all(|byte| *byte == 0))
    }
}

/// The files of a save folder, by their paths. Implement it for a platform with its own storage; otherwise use
/// [`Disk`]. A path is only a name: `FOLDER/NAME.keblin`, or `FOLDER/aside/…`.
///
/// Every call may come from another thread. An error means that nothing was lost; only [`Backend::append`] may leave
/// part of its bytes after the existing ones.
pub trait Backend: fmt::Debug + Send + Sync {
    /// Returns the length of a file, in bytes; `None` if it does not exist.
    ///
    /// # Errors
    /// [`DiskError`] if the length cannot be read; not if the file does not exist.
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError>;

    /// Returns at most this many bytes of a file from an offset on, fewer only at its end; `None` if it does not
    /// exist.
    ///
    /// # Errors
    /// [`DiskError`] if it exists but cannot be read.
    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError>;

    /// Returns a file to read parts of it later, also when its name refers to another file by then; `None` if it does
    /// not exist, or if this backend cannot. Then saves are read as a whole when they are opened.
    ///
    /// # Errors
    /// [`DiskError`] if it exists but cannot be opened.
    fn parts_of(&self, path: &Path) -> Result<Option<Box<dyn FileParts>>, DiskError> {
        let _ = path;
        Ok(None)
    }

    /// Writes bytes after the last ones of a file that is as it was left; the file grows if its reserve is too small.
    /// Bytes before them never change, whatever happens. The bytes come in parts, because large ones are not copied
    /// together. Returns `false`, having written nothing, if the file has changed since `left`.
    ///
    /// # Errors
    /// [`DiskError`] if the file cannot be checked, or not all bytes could be written.
    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError>;

    /// Cuts off the reserve after the last bytes of a file that is as it was left; returns whether it did. It need not
    /// survive a power failure, and a backend may leave it out.
    ///
    /// # Errors
    /// [`DiskError`] if the file cannot be checked or cut; then it is as it was.
    fn cut_reserve(&self, path: &Path, left: &LeftAt<'_>) -> Result<bool, DiskError> {
        let _ = (path, left);
        Ok(false)
    }

    /// Syncs everything that was appended to a file, so that it survives a power failure. Returns whether the name
    /// still refers to the synced file afterwards: another program may have replaced it.
    ///
    /// # Errors
    /// [`DiskError`] if the sync failed; then any part may be lost, even if a later call succeeds.
    fn sync(&self, path: &Path) -> Result<bool, DiskError>;

    /// Writes a new file with these bytes, replacing an old one, and creates the folder if needed. At every moment,
    /// also after a power failure, the name refers to the whole old file or the whole new one; when this returns, to
    /// the new one. `beside` is an unused name for the temporary file; it is created new, and never through a link.
    /// The new file gets the access rights of the old one. Returns whether the name still refers to the new file
    /// afterwards: another program may have replaced it.
    ///
    /// # Errors
    /// [`DiskError`] if it fails; then the name refers to either file.
    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError>;

    /// As [`Backend::publish`]; what had the name until then is afterwards under another, unused one, if there was a file and
    /// the backend can do so. A file that another program put there at the last moment is not lost then.
    ///
    /// # Errors
    /// As [`Backend::publish`].
    fn publish_over(
        &self,
        path: &Path,
        beside: &Path,
        parts: &[&[u8]],
        replaced: &Path,
    ) -> Result<bool, DiskError> {
        let _ = replaced;
        self.publish(path, beside, parts)
    }

    /// Gives a file a second name, in place of a file of that name: whatever is written to it later is under both names,
    /// and if another program replaces the file of the first name, it stays under the second. `beside` is an unused name.
    /// It need not survive a power failure. Returns whether it did; a backend without such names returns `false`, and
    /// changes nothing.
    ///
    /// # Errors
    /// [`DiskError`] if it fails; then the second name is as it was.
    fn link(&self, path: &Path, beside: &Path, to: &Path) -> Result<bool, DiskError> {
        let _ = (path, beside, to);
        Ok(false)
    }

    /// Returns whether two names are those of one file. A backend that cannot say it returns `false`.
    fn is_linked(&self, path: &Path, to: &Path) -> bool {
        let _ = (path, to);
        false
    }

    /// Renames files, each from its first to its second path, and creates the folders if needed. At every moment each
    /// has one of its two names, and when this returns the second, also after a power failure.
    ///
    /// # Errors
    /// [`DiskError`] if it fails; then each has either name.
    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError>;

    /// Removes a file: what an interrupted write has left, or the oldest file that was set aside. Returns whether
    /// there was one. The removal need not survive a power failure.
    ///
    /// # Errors
    /// [`DiskError`] if it exists but cannot be removed.
    fn remove(&self, path: &Path) -> Result<bool, DiskError>;

    /// Returns when a file was last written, in milliseconds since 1970; `None` if it does not exist, or if the time
    /// is unknown.
    ///
    /// # Errors
    /// [`DiskError`] if the time cannot be read.
    fn written_unix_ms(&self, path: &Path) -> Result<Option<u64>, DiskError>;

    /// Returns the names of the files in a folder, in alphabetical order; none if the folder does not exist.
    ///
    /// # Errors
    /// [`DiskError`] if it exists but cannot be listed.
    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError>;

    /// Takes an exclusive lock, across threads and processes, held until the returned guard is dropped or the program
    /// ends; `None` if another holder has it. Creates the file and its folder if needed.
    ///
    /// # Errors
    /// [`DiskError`] if the lock cannot be tried.
    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError>;

    /// Returns the time, in milliseconds since 1970. It may go backwards.
    fn now_unix_ms(&self) -> u64 {
        disk::now_unix_ms()
    }

    /// Returns a number that no other machine has. By it, files that were copied from another machine are not taken for this
    /// one's own.
    fn machine(&self) -> u64 {
        disk::machine()
    }

    /// Returns a number that nobody can guess, for names of temporary files.
    fn unguessable(&self) -> u64 {
        // The operating system's random numbers seed each one.
        RandomState::new().hash_one(disk::now_unix_ms())
    }
}

/// A file that stays open.
pub trait FileParts: Send + Sync {
    /// Returns at most this many bytes from an offset on, fewer only at its end.
    ///
    /// # Errors
    /// [`DiskError`] if it cannot be read.
    fn read(&self, from: u64, most: u64) -> Result<Vec<u8>, DiskError>;
}

/// A lock, held until it is dropped.
pub trait Lock: Send + Sync {}

impl<T: Send + Sync> Lock for T {}

/// The identity of a file, whatever its name; `None` if the system does not give one.
pub(super) type Which = Option<(u64, u64)>;

/// The steps of publishing and setting aside, for backends that have such steps.
pub(super) trait Steps: Backend {
    /// Creates a folder and its parents, so that they survive a power failure.
    fn make_folder(&self, folder: &Path) -> Result<(), DiskError>;
    /// Writes a new file under an unused name.
    fn write(&self, path: &Path, parts: &[&[u8]]) -> Result<Which, DiskError>;
    /// Gives a file the access rights of another one, if that exists.
    fn take_rights(&self, path: &Path, of: &Path) -> Result<(), DiskError>;
    /// Returns the identity of the file that a name refers to.
    fn which(&self, path: &Path) -> Result<Which, DiskError>;
    fn sync_file(&self, path: &Path) -> Result<(), DiskError>;
    fn rename(&self, path: &Path, to: &Path) -> Result<(), DiskError>;
    /// Syncs the names in a folder, so that they survive a power failure.
    fn sync_folder(&self, folder: &Path) -> Result<(), DiskError>;
    /// Gives what has a name another one too, if that is possible: it is about to lose the first.
    fn keep_replaced(&self, _path: &Path, _replaced: &Path) {}

    fn publish_by_steps(
        &self,
        path: &Path,
        beside: &Path,
        parts: &[&[u8]],
        replaced: Option<&Path>,
    ) -> Result<bool, DiskError> {
        for folder in [beside.parent(), path.parent()].into_iter().flatten() {
            self.make_folder(folder)?;
        }
        let written = self.write_and_sync(path, beside, parts);
        if written.is_err() {
            // A partial file is useless. If it cannot be removed either, the first error is the one to report.
            let _ = self.remove(beside);
        }
        let which = written?;
        replaced.into_iter().for_each(|replaced| self.keep_replaced(path, replaced));
        self.rename_for_good(&[(beside.to_path_buf(), path.to_path_buf())])?;
        self.stands_for(path, which, parts)
    }

    fn write_and_sync(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<Which, DiskError> {
        let which = self.write(beside, parts)?;
        self.take_rights(beside, path)?;
        if !Broken::NoSync.is() {
            self.sync_file(beside)?;
        }
        Ok(which)
    }

    /// Returns whether a name refers to a file that was written; if its identity is unknown, whether it has its
    /// length and its last bytes.
    fn stands_for(&self, path: &Path, which: Which, parts: &[&[u8]]) -> Result<bool, DiskError> {
        if which.is_some() {
            return Ok(self.which(path)? == which);
        }
        let len = parts.iter().map(|part| part.len() as u64).sum();
        let last = parts.last().copied().unwrap_or_default();
        let last = last.get(last.len().saturating_sub(FOOT_ITEM_BYTES)..).unwrap_or_default();
        let is_as_long = self.len(path)? == Some(len);
        let found = self.read(path, len.saturating_sub(last.len() as u64), last.len() as u64)?;
        Ok(is_as_long && found.as_deref() == Some(last))
    }

    fn set_aside_by_steps(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        let folders = each_once(moves.iter().filter_map(|(_, to)| to.parent()));
        folders.into_iter().try_for_each(|folder| self.make_folder(folder))?;
        self.rename_for_good(moves)
    }

    fn rename_for_good(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        moves.iter().try_for_each(|(path, to)| self.rename(path, to))?;
        if Broken::NoFolderSync.is() {
            return Ok(());
        }
        // The new names first: a file with two names is found, one without a name is not.
        let new = each_once(moves.iter().filter_map(|(_, to)| to.parent()));
        let old = each_once(moves.iter().filter_map(|(path, _)| path.parent()));
        let old = old.iter().filter(|folder| !new.contains(folder));
        new.iter().chain(old).try_for_each(|folder| self.sync_folder(folder))
    }
}
