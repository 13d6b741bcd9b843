//! One slot: its files, its lock, and saving. Saving writes the new file beside the old one and puts it in its place in
//! one step. Opening is in `opening`.

use std::fmt;
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use keblin_schema::{Name, Schema};

use super::disk::{self, DiskError};
use super::savedir::{ENDING, SaveDir};
use crate::save::decode::of_this_game;
use crate::save::{Lineage, ReadError, SealKey, Stamp, read, write, write_sealed};
use crate::snapshot::{Picture, Snapshot};
use crate::verify::{Save, Verified};

/// A slot of a folder of saves. Clones are the same slot; the last of them that is dropped gives up the lock.
#[derive(Clone)]
pub struct Slot {
    dir: SaveDir,
    name: Name,
    held: Arc<Mutex<Held>>,
}

/// What the clones of a slot share.
#[derive(Default)]
struct Held {
    /// The lock, while it is held.
    lock: Option<File>,
    /// What was opened or saved last.
    known: Option<Lineage>,
}

/// What a save did.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Saved {
    /// The file.
    pub path: PathBuf,
    /// Counts the saves of the slot, from 1.
    pub number: u64,
    /// Its length.
    pub len_bytes: usize,
}

/// Why a slot was not saved. What was there is there.
#[derive(Debug)]
#[non_exhaustive]
pub enum SaveError {
    /// The file there is not of this game or version: it is left untouched.
    Refused {
        /// The file.
        path: PathBuf,
        /// Why.
        error: ReadError,
    },
    /// Another copy of the program, or another [`Slot`] in this one, has the slot open.
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// The operating system failed.
    Disk(DiskError),
}

impl From<DiskError> for SaveError {
    fn from(error: DiskError) -> SaveError {
        SaveError::Disk(error)
    }
}

impl fmt::Display for SaveError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            SaveError::Refused { path, error } => write!(f, "not saved over {}: {error}", path.display()),
            SaveError::InUse { lock } => {
                write!(f, "not saved: the slot is open elsewhere, {} is locked", lock.display())
            }
            SaveError::Disk(error) => write!(f, "not saved: {error}"),
        }
    }
}

impl std::error::Error for SaveError {}

impl fmt::Debug for Slot {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Slot").field("path", &self.path()).finish_non_exhaustive()
    }
}

impl Slot {
    pub(super) fn new(dir: SaveDir, name: Name) -> Slot {
        Slot { dir, name, held: Arc::default() }
    }

    /// Its name.
    #[must_use]
    pub fn name(&self) -> &Name {
        &self.name
    }

    /// Its file.
    #[must_use]
    pub fn path(&self) -> PathBuf {
        self.dir.folder().join(format!("{}{ENDING}", self.name))
    }

    /// The copy before it.
    #[must_use]
    pub fn previous_path(&self) -> PathBuf {
        self.aside_path("previous")
    }

    /// The file that is locked while the slot is open. It has no content and is never renamed or removed.
    #[must_use]
    pub fn lock_path(&self) -> PathBuf {
        self.dir.aside().join(format!("{}.lock", self.name))
    }

    pub(super) fn dir(&self) -> &SaveDir {
        &self.dir
    }

    fn aside_path(&self, why: &str) -> PathBuf {
        self.dir.aside_path(self.name.as_str(), why)
    }

    fn held(&self) -> MutexGuard<'_, Held> {
        // Nothing panics while it is held, and what it holds is whole at every instant.
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes the lock; whether it is held now. False if somebody else has it.
    pub(super) fn hold(&self) -> Result<bool, DiskError> {
        let mut held = self.held();
        if held.lock.is_none() {
            disk::create_folder(&self.dir.aside())?;
            held.lock = disk::lock(&self.lock_path())?;
        }
        Ok(held.lock.is_some())
    }

    /// As [`Slot::hold`]; a folder that cannot be written to needs no lock, for nobody can write there.
    pub(super) fn hold_if_possible(&self) -> Result<bool, DiskError> {
        match self.hold() {
            Err(error) if error.is_read_only() => Ok(true),
            held => held,
        }
    }

    /// Remembers what the next save follows.
    pub(super) fn know(&self, save: &Verified<Save>) {
        self.held().known = Some(save.lineage().clone());
    }

    /// The picture that the slot was saved with.
    ///
    /// # Errors
    /// [`DiskError`] if the file cannot be read. A damaged one has no picture.
    pub fn picture(&self, schema: &Arc<Schema>) -> Result<Option<Picture>, DiskError> {
        let Some(bytes) = disk::read(&self.path())? else { return Ok(None) };
        let save = crate::verify::verify(&bytes, schema).ok();
        Ok(save.and_then(|save| save.snapshot().picture().cloned()))
    }

    /// Saves a snapshot. The save that is there becomes the copy before it; a damaged one is set aside.
    ///
    /// # Durability
    /// When this returns, the save is on the disk: its bytes and its name were synced, as far as the operating system
    /// and the disk keep their word. Cut off at any instant, the slot opens with this save or the one before.
    ///
    /// # Errors
    /// [`SaveError::Refused`] if the file there is of another game or a newer version, [`SaveError::InUse`] if another
    /// copy of the program has the slot open, [`SaveError::Disk`] if the disk is full, read-only or gone. Then what was
    /// there is still there.
    pub fn save(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        if !self.hold()? {
            return Err(SaveError::InUse { lock: self.lock_path() });
        }
        let path = self.path();
        let held = disk::read(&path)?;
        let previous = disk::read(&self.previous_path())?;
        let before = self.before(&path, held.as_deref(), previous.as_deref(), snapshot.schema())?;
        let stamp = Stamp::after(before.as_ref(), disk::now_unix_ms(), cause);
        let bytes = sealed(snapshot, &stamp, self.dir.key());
        let fresh = self.aside_path("fresh");
        disk::write_synced(&fresh, &bytes)?;
        if let Some(held) = held {
            // A copy, so that the file itself is there and whole until the fresh one takes its place. Only a file that
            // is whole to its end may take the place of the copy before it.
            let aside = if read(&held).is_ok_and(|file| file.is_last()) {
                self.previous_path()
            } else {
                self.dir.free_aside(self.name.as_str(), "damaged")
            };
            let copy = self.aside_path("copy");
            disk::write_synced(&copy, &held)?;
            disk::replace(&copy, &aside)?;
        }
        disk::replace(&fresh, &path)?;
        if let Ok(file) = read(&bytes) {
            self.held().known = Some(Lineage::of(&file));
        }
        self.dir.save_settings(snapshot)?;
        Ok(Saved { path, number: stamp.number, len_bytes: bytes.len() })
    }

    /// Saves a snapshot from which something was erased, so that damage cannot bring it back: the copy before it is
    /// replaced as well. Files that were set aside stay as they are.
    ///
    /// # Durability
    /// As [`Slot::save`]. Cut off between the two files, the slot opens with the new save, and the copy is still the
    /// old one.
    ///
    /// # Errors
    /// As [`Slot::save`].
    pub fn save_erased(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let saved = self.save(snapshot, cause)?;
        if let Some(bytes) = disk::read(&saved.path)? {
            let copy = self.aside_path("copy");
            disk::write_synced(&copy, &bytes)?;
            disk::replace(&copy, &self.previous_path())?;
        }
        Ok(saved)
    }

    /// The latest of what is known of the slot: the save that is there, the copy before it, and what was opened or
    /// saved last. An error if the file is not ours to replace.
    fn before(
        &self,
        path: &Path,
        held: Option<&[u8]>,
        previous: Option<&[u8]>,
        schema: &Schema,
    ) -> Result<Option<Lineage>, SaveError> {
        let file = match held.map(read) {
            Some(Ok(file)) => match of_this_game(&file, schema) {
                Ok(()) => Some(Lineage::of(&file)),
                Err(error) => return Err(SaveError::Refused { path: path.to_path_buf(), error }),
            },
            Some(Err(error)) if error.is_refusal() => {
                return Err(SaveError::Refused { path: path.to_path_buf(), error });
            }
            Some(Err(_)) | None => None,
        };
        let previous = previous.and_then(|bytes| read(bytes).ok()).map(|file| Lineage::of(&file));
        let known = self.held().known.clone();
        // Of equals the file itself, which max_by_key finds last.
        Ok([known, previous, file].into_iter().flatten().max_by_key(|lineage| lineage.number))
    }

    /// Whether a file is one that the next save writes over.
    pub(super) fn is_temporary(&self, path: &Path) -> bool {
        ["fresh", "copy"].iter().any(|why| self.aside_path(why) == path)
    }

    /// Moves a file aside under a name that says why.
    pub(super) fn set_aside(&self, path: &Path, why: &str) -> Result<PathBuf, DiskError> {
        let target = self.dir.free_aside(self.name.as_str(), why);
        disk::create_folder(&self.dir.aside())?;
        disk::replace(path, &target)?;
        Ok(target)
    }
}

fn sealed(snapshot: &Snapshot, stamp: &Stamp, key: Option<&SealKey>) -> Vec<u8> {
    match key {
        Some(key) => write_sealed(snapshot, stamp, key),
        None => write(snapshot, stamp),
    }
}
