//! Saves a slot in one of two ways. A whole file is *published*: written next to the old one, synced, and moved into
//! its place in one step. A state is *appended* after the last one, with one sync. Nothing is appended to a file
//! after a failure, or if it is not as it was left: the next save publishes.

use std::sync::MutexGuard;

use super::logged;
use super::publish::How;
use super::save_result::{SaveError, Saved};
use super::slot::Slot;
use super::slot_state::SlotState;
use crate::progress::erase::Erase;
use crate::progress::history::Erasures;
use crate::snapshot::{AreaBytes, Snapshot};

impl Slot {
    /// Saves a snapshot as a whole file, replacing the current save of this game. That one becomes the backup; a
    /// damaged one is set aside.
    ///
    /// # Durability
    /// When this returns, the save is on the disk: its bytes and its name are synced, as far as the operating system
    /// and the disk keep their word. If it is cut off at any moment, the slot opens with this save or the previous
    /// one.
    ///
    /// # Errors
    /// [`SaveError::Refused`] if the existing file belongs to another game or a newer version, [`SaveError::InUse`]
    /// if a keeper or another program has the slot open, [`SaveError::TooLarge`] if it could not be read again,
    /// [`SaveError::Disk`] if the disk is full, read-only or missing. The previous save is untouched.
    pub fn save(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        logged::saving(self, || {
            self.to_save().and_then(|mut held| self.publish_with_settings(&mut held, snapshot, cause, None))
        })
    }

    /// Appends a snapshot after the last state of the file, with one sync, if the file is as this [`Slot`] left it.
    /// Otherwise, and when more than half of a file larger than 256 KiB is no longer needed, it publishes a whole
    /// file. For games that save often: the file grows until then, and every state in it stays readable. It grows by
    /// a reserve for several states, because a sync takes longer if it must also write a new file length.
    ///
    /// # Durability
    /// As [`Slot::save`].
    ///
    /// # Errors
    /// As [`Slot::save`]. After an error, the next save publishes a whole file.
    pub fn append(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        logged::saving(self, || {
            self.to_save().and_then(|mut held| self.append_or_publish(&mut held, snapshot, cause))
        })
    }

    pub(super) fn append_held(
        &self,
        held: &mut SlotState,
        snapshot: &Snapshot,
        cause: &str,
    ) -> Result<Saved, SaveError> {
        logged::saving(self, || self.append_or_publish(held, snapshot, cause))
    }

    fn append_or_publish(
        &self,
        held: &mut SlotState,
        snapshot: &Snapshot,
        cause: &str,
    ) -> Result<Saved, SaveError> {
        self.know_the_last(held, snapshot);
        let snapshot = &self.with_history(held, snapshot, &Erasures::default());
        // Taken out, and put back only if everything succeeds.
        let saved = match held.left.take() {
            _ if held.owes_erasing => Some(self.publish(held, snapshot, cause, How::OwingErasing)?),
            // Areas that are still in the file are read when it is published.
            Some(left) if snapshot.areas.values().all(AreaBytes::is_read) => {
                self.put_behind(held, left, snapshot, cause)?
            }
            _ => None,
        };
        let saved = match saved {
            Some(saved) => saved,
            None => self.publish(held, snapshot, cause, How::WithCopy)?,
        };
        self.dir().save_settings_held(snapshot, held)?;
        Ok(saved)
    }

    /// Saves a snapshot after an erasure, so that damage cannot bring the data back: the backup is replaced as well,
    /// and an older file that somebody puts back is recognised. Files that were set aside are unchanged.
    ///
    /// # Durability
    /// As [`Slot::save`]. If it is cut off between the two files, the slot opens with the new save, and the backup is
    /// still the old one; the next save of this [`Slot`] replaces it.
    ///
    /// # Errors
    /// As [`Slot::save`].
    pub fn save_erased(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        logged::saving(self, || {
            self.to_save().and_then(|mut held| {
                self.know_the_last(&mut held, snapshot);
                let erased = held.last.as_ref().map(|last| Erasures::between(last, snapshot));
                self.publish_with_settings(&mut held, snapshot, cause, Some(&erased.unwrap_or_default()))
            })
        })
    }

    pub(super) fn save_erased_held(
        &self,
        held: &mut SlotState,
        snapshot: &Snapshot,
        cause: &str,
        erased: &[Erase],
    ) -> Result<Saved, SaveError> {
        let erased = Erasures::of(erased, snapshot);
        logged::saving(self, || self.publish_with_settings(held, snapshot, cause, Some(&erased)))
    }

    fn publish_with_settings(
        &self,
        held: &mut SlotState,
        snapshot: &Snapshot,
        cause: &str,
        erased: Option<&Erasures>,
    ) -> Result<Saved, SaveError> {
        self.know_the_last(held, snapshot);
        let snapshot = &self.with_history(held, snapshot, erased.unwrap_or(&Erasures::default()));
        let how = if erased.is_some() { How::Erasing } else { How::Whole };
        let saved = self.publish(held, snapshot, cause, how)?;
        self.dir().save_settings_held(snapshot, held)?;
        Ok(saved)
    }

    /// Takes the lock of the slot, for a caller that is not its keeper.
    pub(super) fn to_save(&self) -> Result<MutexGuard<'_, SlotState>, SaveError> {
        let held = self.held();
        match held.is_played {
            true => Err(SaveError::InUse { lock: self.lock_path() }),
            false => self.locked(held),
        }
    }

    /// Takes the lock of the slot, for its keeper.
    pub(super) fn to_keep(&self) -> Result<MutexGuard<'_, SlotState>, SaveError> {
        self.locked(self.held())
    }

    fn locked<'s>(
        &self,
        mut held: MutexGuard<'s, SlotState>,
    ) -> Result<MutexGuard<'s, SlotState>, SaveError> {
        match held.lock(self)? {
            true => Ok(held),
            false => Err(SaveError::InUse { lock: self.lock_path() }),
        }
    }
}
