//! Where the files of saves rest: on a disk, in memory, or wherever a platform keeps them. What saving promises, it
//! promises by the duties written down here.

use std::collections::BTreeSet;
use std::fmt;
use std::hash::{BuildHasher, RandomState};
use std::path::{Path, PathBuf};

use super::broken::Broken;
use super::error::DiskError;
use crate::save::layout::FOOT_ITEM_BYTES;

/// The calls to the operating system, each with its path in the error.
mod disk;

/// Files in memory.
mod memory;

/// Files whose power can be cut.
#[cfg(feature = "testing")]
mod power_cut;

/// Files that fail when they are told to.
#[cfg(feature = "testing")]
mod faulty;

pub use disk::Disk;
#[cfg(feature = "testing")]
pub use faulty::{Doing, Faulty};
pub use memory::Memory;
#[cfg(feature = "testing")]
pub use power_cut::{PowerCut, Tear};

/// How the end of a file was left.
#[derive(Clone, Copy, Debug)]
pub struct LeftAt<'l> {
    /// How long the file is, in bytes.
    pub len: u64,
    /// Where its last bytes end. Behind them is room, zero bytes and nothing else, or nothing.
    pub end: u64,
    /// Those last bytes, as many as are to be looked at; as many are looked at of the room.
    pub last: &'l [u8],
}

impl LeftAt<'_> {
    /// Which bytes are to be looked at: from where on, and how many there may be.
    #[must_use]
    pub fn looked_at(&self) -> (u64, u64) {
        let count = self.last.len() as u64;
        (self.end.saturating_sub(count), 2 * count)
    }

    /// Whether those bytes are as they were left.
    #[must_use]
    pub fn is_so(&self, found: &[u8]) -> bool {
        let room = found.strip_prefix(self.last);
        self.end <= self.len && room.is_some_and(|room| room.iter().all(|byte| *byte == 0))
    }
}

/// Files by their paths. A path is a name and nothing more: `FOLDER/NAME.keblin`, or `FOLDER/aside/…`.
///
/// Every call may be made from another thread than the one before. An error means that nothing of what was there is
/// lost; only [`Backend::append`] may leave a part of its bytes behind what was there.
pub trait Backend: fmt::Debug + Send + Sync {
    /// How long a file is, in bytes; `None` if there is none of that name.
    ///
    /// # Errors
    /// [`DiskError`] if that cannot be said. Not for a file that is not there.
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError>;

    /// At most so many bytes of a file from an offset on, fewer only at its end; `None` if there is no such file.
    ///
    /// # Errors
    /// [`DiskError`] if it is there and cannot be read.
    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError>;

    /// Writes bytes behind the last ones of a file that is as it was left. It grows where they are more than its room.
    /// Bytes before them do not change, whatever happens. They come in parts that stand behind each other, because large
    /// ones are not copied together. Whether they were written: not, and nothing was, if the file is not as it was left.
    ///
    /// # Errors
    /// [`DiskError`] if that cannot be said, or the bytes could not all be written.
    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError>;

    /// Brings everything that was appended to a file to where it outlives a loss of power. Returns whether the file that
    /// was synced is still the one under that name when it is done: somebody else may have put another one there.
    ///
    /// # Errors
    /// [`DiskError`] if that cannot be said; then any part of it may be lost, also if a later call succeeds.
    fn sync(&self, path: &Path) -> Result<bool, DiskError>;

    /// Puts a file with these bytes where there may be another, and makes the folder if there is none. At every instant,
    /// also after a loss of power, the name stands for the whole old file or the whole new one; when this returns, for
    /// the new one. `beside` is a name that nothing has, to be used on the way; it is made new, and never through a link.
    /// The new file gets the access rights of the old one. Returns whether the name stands for the new file when it is
    /// done: somebody else may have put another one there.
    ///
    /// # Errors
    /// [`DiskError`] if it cannot; then the name stands for either.
    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError>;

    /// Gives files other names, each from its first to its second, and makes those folders if there are none. At every
    /// instant each has one of its two names, and when this returns the second, also after a loss of power.
    ///
    /// # Errors
    /// [`DiskError`] if it cannot; then each has either.
    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError>;

    /// Removes a file: what a write that was cut off has left behind, or the oldest of what was set aside. Whether there
    /// was one. It need not outlive a loss of power.
    ///
    /// # Errors
    /// [`DiskError`] if it is there and cannot be removed.
    fn remove(&self, path: &Path) -> Result<bool, DiskError>;

    /// When a file was last written to, in milliseconds since 1970; `None` if there is none of that name, or if nobody
    /// knows.
    ///
    /// # Errors
    /// [`DiskError`] if that cannot be said.
    fn written_unix_ms(&self, path: &Path) -> Result<Option<u64>, DiskError>;

    /// The names of the files in a folder, in alphabetical order; none if there is no folder.
    ///
    /// # Errors
    /// [`DiskError`] if it is there and cannot be listed.
    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError>;

    /// Keeps everybody else from taking the same lock, in this program and in others, until what is given back is
    /// dropped or the program ends, however it does; `None` if somebody else has it. The file and its folder are made.
    ///
    /// # Errors
    /// [`DiskError`] if that cannot be said.
    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError>;

    /// The time, in milliseconds since 1970. Nothing depends on its going forward.
    fn now_unix_ms(&self) -> u64 {
        disk::now_unix_ms()
    }

    /// A number that nobody can know beforehand, for names of files on the way.
    fn unguessable(&self) -> u64 {
        // Each is keyed anew by the operating system's random numbers.
        RandomState::new().hash_one(disk::now_unix_ms())
    }
}

/// A lock, held until it is dropped.
pub trait Lock: Send + Sync {}

impl<T: Send + Sync> Lock for T {}

/// Which file a name stands for, whatever it is called; nothing where that cannot be known.
pub(super) type Which = Option<(u64, u64)>;

/// The steps that publishing and setting aside are made of, where a place for files has such steps.
pub(super) trait Steps: Backend {
    /// Makes a folder and its parents, so that they outlive a loss of power.
    fn make_folder(&self, folder: &Path) -> Result<(), DiskError>;
    /// Writes a new file. Nothing has that name.
    fn write(&self, path: &Path, parts: &[&[u8]]) -> Result<Which, DiskError>;
    /// Gives a file the access rights of another, if there is one.
    fn take_rights(&self, path: &Path, of: &Path) -> Result<(), DiskError>;
    /// Which file a name stands for.
    fn which(&self, path: &Path) -> Result<Which, DiskError>;
    fn sync_file(&self, path: &Path) -> Result<(), DiskError>;
    fn rename(&self, path: &Path, to: &Path) -> Result<(), DiskError>;
    /// Brings the names in a folder to where they outlive a loss of power.
    fn sync_folder(&self, folder: &Path) -> Result<(), DiskError>;

    fn publish_by_steps(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        for folder in [beside.parent(), path.parent()].into_iter().flatten() {
            self.make_folder(folder)?;
        }
        let written = self.write_and_sync(path, beside, parts);
        if written.is_err() {
            // A part of it helps nobody. That it cannot be removed either is not what the caller asked about.
            let _ = self.remove(beside);
        }
        let which = written?;
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

    /// Whether a name stands for a file that was written; where nobody knows which that is, whether it has its length and
    /// its last bytes.
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
        let folders: BTreeSet<&Path> = moves.iter().filter_map(|(_, to)| to.parent()).collect();
        folders.into_iter().try_for_each(|folder| self.make_folder(folder))?;
        self.rename_for_good(moves)
    }

    fn rename_for_good(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        moves.iter().try_for_each(|(path, to)| self.rename(path, to))?;
        if Broken::NoFolderSync.is() {
            return Ok(());
        }
        // The new names first: a file with two names is found, one with none is not.
        let new: BTreeSet<&Path> = moves.iter().filter_map(|(_, to)| to.parent()).collect();
        let old: BTreeSet<&Path> = moves.iter().filter_map(|(path, _)| path.parent()).collect();
        new.iter().chain(old.difference(&new)).try_for_each(|folder| self.sync_folder(folder))
    }
}
