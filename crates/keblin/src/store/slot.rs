//! One slot: its files, its lock, and what is known of them. Opening is in `opening`, saving in `saving`.

use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use keblin_schema::{Name, Schema};

use super::backend::Lock;
use super::disk::DiskError;
use super::opening::Way;
use super::savedir::{ENDING, SaveDir};
use super::saving::Left;
use crate::save::Lineage;
use crate::save::layout::Digest;
use crate::save::writer::Written;
use crate::snapshot::Picture;
use crate::verify::{Save, Verified};

/// A slot of a folder of saves. Clones are the same slot; the last of them that is dropped gives up the lock.
#[derive(Clone)]
pub struct Slot {
    dir: SaveDir,
    name: Name,
    held: Arc<Mutex<Held>>,
}

/// Room for more bytes than this is not kept.
const MAX_ROOM: usize = 1 << 20;

/// What the clones of a slot share.
#[derive(Default)]
pub(super) struct Held {
    /// The lock, while it is held.
    lock: Option<Box<dyn Lock>>,
    /// What was opened or saved last.
    pub(super) known: Option<Lineage>,
    /// The states that could not be saved for certain since the last that was: one of them may be in the file.
    pub(super) tried: Vec<Digest>,
    /// The file as it was left; nothing if another state cannot be written behind it.
    pub(super) left: Option<Left>,
    /// Bytes that were written, whose room the next ones take.
    pub(super) room: Vec<u8>,
    /// Whether it was opened when there was no save.
    pub(super) began_empty: bool,
    /// Whether the copy before may still hold what was erased.
    pub(super) owes_erasing: bool,
}

impl Held {
    /// Takes the lock of a slot, if it is not held; whether it is now.
    pub(super) fn lock(&mut self, slot: &Slot) -> Result<bool, DiskError> {
        if self.lock.is_none() {
            self.lock = slot.dir.files().lock(&slot.lock_path())?;
        }
        Ok(self.lock.is_some())
    }

    /// Gives up the lock.
    pub(super) fn let_go(&mut self) {
        self.lock = None;
    }

    /// Whether a save is none of those that led to what was opened or saved last, and none that was tried since.
    pub(super) fn is_strange(&self, save: &Lineage) -> bool {
        let is_tried = save.states.first().is_some_and(|state| self.tried.contains(state));
        !is_tried && self.known.as_ref().map_or(self.began_empty, |known| !known.knows(save))
    }

    /// Remembers what is about to be written.
    pub(super) fn try_for(&mut self, save: &Lineage) {
        self.tried.extend(save.states.first());
    }

    /// What was about to be written is there for certain.
    pub(super) fn has_saved(&mut self, written: Written, left: Option<Left>) {
        self.tried.clear();
        (self.left, self.known) = (left, Some(written.lineage));
        let room = written.parts.into_room();
        self.room = if room.len() < MAX_ROOM { room } else { Vec::new() };
    }
}

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

    pub(super) fn aside_path(&self, why: &str) -> PathBuf {
        self.dir.aside_path(self.name.as_str(), why)
    }

    pub(super) fn held(&self) -> MutexGuard<'_, Held> {
        // Nothing panics while it is held, and what it holds is whole at every instant.
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes the lock; whether it is held now. False if somebody else has it.
    pub(super) fn hold(&self) -> Result<bool, DiskError> {
        self.held().lock(self)
    }

    /// As [`Slot::hold`]; a folder that cannot be written to needs no lock, for nobody can write there.
    pub(super) fn hold_if_possible(&self) -> Result<bool, DiskError> {
        match self.hold() {
            Err(error) if error.is_read_only() => Ok(true),
            held => held,
        }
    }

    /// Remembers what the next save follows, if it was opened to be played.
    pub(super) fn know(&self, save: &Verified<Save>, way: Way) {
        if way == Way::ToPlay {
            let mut held = self.held();
            (held.known, held.left) = (Some(save.lineage().clone()), None);
        }
    }

    /// The picture that the slot was saved with.
    ///
    /// # Errors
    /// [`DiskError`] if the file cannot be read. A damaged one has no picture.
    pub fn picture(&self, schema: &Arc<Schema>) -> Result<Option<Picture>, DiskError> {
        let Some(bytes) = self.dir.read(&self.path())? else { return Ok(None) };
        let save = crate::verify::verify(&bytes, schema).ok();
        Ok(save.and_then(|save| save.snapshot().picture().cloned()))
    }

    /// Whether a file is one that the next save writes over.
    pub(super) fn is_temporary(&self, path: &Path) -> bool {
        self.aside_path("fresh") == path
    }

    /// Moves a file aside under a name that says why.
    pub(super) fn set_aside(&self, path: &Path, why: &str) -> Result<PathBuf, DiskError> {
        let target = self.dir.free_aside(self.name.as_str(), why)?;
        self.dir.files().set_aside(path, &target)?;
        Ok(target)
    }
}
