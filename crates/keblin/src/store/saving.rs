//! Saving a slot, in two ways. A whole file is *published*: written beside the old one, synced, and put in its place in one
//! step. Another state is *appended* behind the last one, with one sync. Nothing is appended to a file that anything
//! failed on, or that is not as it was left: the next save publishes.

use std::path::PathBuf;
use std::sync::MutexGuard;

use thiserror::Error;

use super::error::{DiskError, shown};
use super::held::Held;
use super::publish::How;
use super::slot::Slot;
use crate::fullness::Fullness;
use crate::progress::AsideReason;
use crate::save::ReadError;
use crate::snapshot::Snapshot;

/// What a save did.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Saved {
    /// The file.
    pub path: PathBuf,
    /// Counts the saves of the slot, from 1.
    pub number: u64,
    /// The length of the file, without the room behind its last state.
    pub len_bytes: usize,
    /// How many of them were written: all of a file that was published, the end of one that was appended to.
    pub written_bytes: usize,
    /// How much of what a save may hold it takes.
    pub fullness: Fullness,
    /// What somebody else had saved in place of ours meanwhile.
    pub replaced: Option<Replaced>,
    /// The files that were set aside for it, and why.
    pub set_aside: Vec<(PathBuf, AsideReason)>,
}

/// A whole save of this game that stood in place of ours, and that ours knew nothing of.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Replaced {
    /// Where it was set aside.
    pub set_aside: PathBuf,
    /// What was in it.
    pub snapshot: Snapshot,
    /// Whether records, facts and unlocks of both have met by their keep rules in what was saved; plain values and the
    /// run are ours. Not where something was erased, which must not come back by it.
    pub has_met: bool,
}

/// Why a slot was not saved. What was there is there.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum SaveError {
    /// The file there is not of this game or version: it is left untouched.
    #[error("not saved over {}: {error}", shown(path))]
    Refused {
        /// The file.
        path: PathBuf,
        /// Why.
        #[source]
        error: ReadError,
    },
    /// Another copy of the program, or another [`Keeper`](super::Keeper) or [`Slot`] in this one, has the slot open.
    #[error("not saved: the slot is open elsewhere, {} is locked", shown(lock))]
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// It would be larger than a save may be, so it could not be read again.
    #[error("not saved: {0}; let the game keep fewer or smaller areas of the world")]
    TooLarge(Fullness),
    /// There is no slot to save to: it is only looked at, or the game keeps the bytes itself.
    #[error("not saved: the slot is only being looked at")]
    OnlyLooking,
    /// The progress in the keeper is of another game than the slot was opened for.
    #[error("not saved: the slot is of the game {expected:?}, and the progress of {found:?}")]
    OtherGame {
        /// The game that the slot was opened for.
        expected: String,
        /// The game that the progress is of.
        found: String,
    },
    /// Writing panicked: the files of the game's own [`Backend`](super::backend::Backend), or this library.
    #[error("not saved: writing panicked: {message}")]
    Panicked {
        /// What the panic said.
        message: String,
    },
    /// The operating system failed.
    #[error("not saved: {0}")]
    Disk(#[from] DiskError),
}

impl Slot {
    /// Saves a snapshot as a whole file, in place of whatever save of this game is there. That one becomes the copy before
    /// it; a damaged one is set aside.
    ///
    /// # Durability
    /// When this returns, the save is on the disk: its bytes and its name were synced, as far as the operating system
    /// and the disk keep their word. Cut off at any instant, the slot opens with this save or the one before.
    ///
    /// # Errors
    /// [`SaveError::Refused`] if the file there is of another game or a newer version, [`SaveError::InUse`] if a keeper or
    /// another copy of the program has the slot open, [`SaveError::TooLarge`] if it could not be read again,
    /// [`SaveError::Disk`] if the disk is full, read-only or gone. Then what was there is still there.
    pub fn save(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let mut held = self.to_save()?;
        let saved = self.publish(&mut held, snapshot, cause, How::Whole)?;
        self.dir().save_settings_held(snapshot, &mut held)?;
        Ok(saved)
    }

    /// Saves a snapshot behind the last state of the file, with one sync, if the file is as this [`Slot`] left it at its
    /// last save; as a whole file otherwise, and when more than half of a file beyond 256 KiB is no longer needed. For
    /// games that save often; the file grows until then, and every state in it stays readable. It grows by room for a
    /// number of states, because a sync takes longer where it must also bring a new length to the disk.
    ///
    /// # Durability
    /// As [`Slot::save`].
    ///
    /// # Errors
    /// As [`Slot::save`]. After one, the next save is a whole file.
    pub fn append(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let mut held = self.to_save()?;
        self.append_held(&mut held, snapshot, cause)
    }

    pub(super) fn append_held(
        &self,
        held: &mut Held,
        snapshot: &Snapshot,
        cause: &str,
    ) -> Result<Saved, SaveError> {
        // Taken out, and put back only when everything went well.
        let saved = match held.left.take() {
            _ if held.owes_erasing => Some(self.publish(held, snapshot, cause, How::OwingErasing)?),
            Some(left) => self.put_behind(held, left, snapshot, cause)?,
            None => None,
        };
        let saved = match saved {
            Some(saved) => saved,
            None => self.publish(held, snapshot, cause, How::WithCopy)?,
        };
        self.dir().save_settings_held(snapshot, held)?;
        Ok(saved)
    }

    /// Saves a snapshot from which something was erased, so that damage cannot bring it back: the copy before it is
    /// replaced as well, and an older file that somebody puts back is known for one. Files that were set aside stay as
    /// they are.
    ///
    /// # Durability
    /// As [`Slot::save`]. Cut off between the two files, the slot opens with the new save, and the copy is still the
    /// old one; the next save of this [`Slot`] replaces it.
    ///
    /// # Errors
    /// As [`Slot::save`].
    pub fn save_erased(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let mut held = self.to_save()?;
        self.save_erased_held(&mut held, snapshot, cause)
    }

    pub(super) fn save_erased_held(
        &self,
        held: &mut Held,
        snapshot: &Snapshot,
        cause: &str,
    ) -> Result<Saved, SaveError> {
        let saved = self.publish(held, snapshot, cause, How::Erasing)?;
        self.dir().save_settings_held(snapshot, held)?;
        Ok(saved)
    }

    /// The lock of the slot, for somebody who is not its keeper.
    pub(super) fn to_save(&self) -> Result<MutexGuard<'_, Held>, SaveError> {
        let held = self.held();
        match held.is_played {
            true => Err(SaveError::InUse { lock: self.lock_path() }),
            false => self.locked(held),
        }
    }

    /// The lock of the slot, for its keeper.
    pub(super) fn to_keep(&self) -> Result<MutexGuard<'_, Held>, SaveError> {
        self.locked(self.held())
    }

    fn locked<'s>(&self, mut held: MutexGuard<'s, Held>) -> Result<MutexGuard<'s, Held>, SaveError> {
        match held.lock(self)? {
            true => Ok(held),
            false => Err(SaveError::InUse { lock: self.lock_path() }),
        }
    }
}
