//! Saving a slot, in two ways. A whole file is *published*: written beside the old one, synced, and put in its place in one
//! step. Another state is *appended* behind the last one, with one sync. Nothing is appended to a file that anything
//! failed on, or that is not as it was left: the next save publishes.

use std::sync::MutexGuard;

use super::held::Held;
use super::publish::How;
use super::saved::{SaveError, Saved};
use super::slot::Slot;
use crate::snapshot::Snapshot;

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
