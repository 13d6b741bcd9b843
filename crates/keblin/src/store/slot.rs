//! One slot: its files, its lock, and what is known about them. `opening` opens it, `saving` saves it.

use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use keblin_model::Name;

use super::aside::is_fresh;
use super::backend::LeftAt;
use super::error::DiskError;
use super::savedir::{ENDING, SaveDir};
use super::slot_state::SlotState;
use crate::broken::Broken;
use crate::snapshot::{Picture, Schema};

/// A slot of a folder of saves. Clones are the same slot. Games usually open it with a [`Keeper`](super::Keeper); the
/// calls here are for games that save in their own way.
///
/// A [`Keeper`](super::Keeper) that plays the slot has its lock until it is closed or dropped; meanwhile every other
/// one, even from this value, gets [`OpenError::InUse`](super::OpenError::InUse). Without a keeper, [`Slot::open`]
/// and saving take the lock, and [`Slot::release`] or dropping the last clone gives it up.
#[derive(Clone)]
pub struct Slot {
    dir: SaveDir,
    name: Name,
    held: Arc<Mutex<SlotState>>,
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

    /// Returns the name.
    #[must_use]
    pub fn name(&self) -> &Name {
        &self.name
    }

    /// Returns the path of the file.
    #[must_use]
    pub fn path(&self) -> PathBuf {
        self.dir.folder().join(format!("{}{ENDING}", self.name))
    }

    /// Returns the path of the backup.
    #[must_use]
    pub fn previous_path(&self) -> PathBuf {
        self.aside_path("previous")
    }

    /// Returns the path of the lock: an empty file that is locked while the slot is open, and never renamed or
    /// removed.
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

    pub(super) fn held(&self) -> MutexGuard<'_, SlotState> {
        // Nothing panics while it is held, and its contents are always valid.
        self.held.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Takes the lock; returns whether it is held now. False if another holder has it.
    pub(super) fn hold(&self) -> Result<bool, DiskError> {
        self.held().lock(self)
    }

    /// As [`Slot::hold`]; a read-only folder needs no lock, because nobody can write there.
    pub(super) fn hold_if_possible(&self) -> Result<bool, DiskError> {
        match self.hold() {
            Err(error) if error.is_read_only() => Ok(true),
            held => held,
        }
    }

    /// Takes the slot for a keeper, until [`Slot::release`]; returns whether nobody else in this program has it.
    pub(super) fn claim(&self) -> bool {
        let mut held = self.held();
        let was_played = std::mem::replace(&mut held.is_played, true);
        !was_played || Broken::SharedSlot.is()
    }

    /// Gives up the lock, and forgets what is known about the files, as if this [`Slot`] were new. Does nothing while
    /// a keeper plays the slot: close the keeper instead.
    pub fn release(&self) {
        let mut held = self.held();
        if !held.is_played {
            *held = SlotState::default();
        }
    }

    /// The keeper gives the slot up. The reserve goes with it: the next keeper publishes first, and finds the last state
    /// faster without it.
    pub(super) fn give_up(&self) {
        let mut held = self.held();
        if let Some(left) = &held.left {
            let left = LeftAt { len: left.len_bytes as u64, end: left.tail.end as u64, last: &left.foot };
            // With or without it, the file is the same save.
            let _ = self.dir.files().cut_reserve(&self.path(), &left);
        }
        // Everything is saved already: without it, only what a sync program replaces next is not merged.
        if held.known.is_some()
            && let Err(error) = self.keep_own(&held)
        {
            log::warn!("keblin: this machine's own last state was not kept: {error}");
        }
        *held = SlotState::default();
    }

    /// Returns the picture that the slot was saved with.
    ///
    /// # Errors
    /// [`DiskError`] if the file cannot be read. A damaged file does not have a picture.
    pub fn picture(&self, schema: &Arc<Schema>) -> Result<Option<Picture>, DiskError> {
        let Some(bytes) = self.dir.read(&self.path())? else { return Ok(None) };
        let save = crate::verify::verify(&bytes, schema).ok();
        Ok(save.and_then(|save| save.snapshot().picture().cloned()))
    }

    /// Returns whether a file was left by an interrupted write.
    pub(super) fn is_temporary(&self, path: &Path) -> bool {
        is_fresh(self.name.as_str(), path)
    }

    /// Moves a file aside under a name that says why.
    pub(super) fn set_aside(&self, path: &Path, why: &str) -> Result<PathBuf, DiskError> {
        let target = self.dir.free_aside(self.name.as_str(), why)?;
        self.dir.files().set_aside(&[(path.to_path_buf(), target.clone())])?;
        Ok(target)
    }
}
