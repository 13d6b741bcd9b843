//! What to do if neither the file of a slot nor its backup is intact. Nothing has been changed; the player decides.

use std::fmt;
use std::path::PathBuf;
use std::sync::Arc;

use super::error::{DiskError, shown};
use super::open::Way;
use super::open_result::{OpenError, Opened, Origin};
use super::savedir::ENDING;
use super::slot::Slot;
use crate::save::{ReadError, StateHead};
use crate::snapshot::Schema;
use crate::verify::{Save, Verified, verify_within};

/// A slot without an intact save. Ask the player, then call [`Ruin::earlier`] or [`Ruin::start_fresh`].
#[derive(Clone)]
pub struct Ruin {
    slot: Slot,
    schema: Arc<Schema>,
    faults: Vec<(PathBuf, ReadError)>,
    earlier: Option<(PathBuf, StateHead)>,
}

keblin_model::debug_as_display!(Ruin);

impl Ruin {
    /// Makes the ruin of a slot, with the newest intact save among its files that were set aside.
    pub(super) fn of(
        slot: Slot,
        schema: Arc<Schema>,
        faults: Vec<(PathBuf, ReadError)>,
    ) -> Result<Ruin, DiskError> {
        let mut earlier: Option<(PathBuf, StateHead)> = None;
        let folder = slot.dir().aside();
        for file in slot.dir().files().list(&folder)? {
            let why = file.strip_prefix(slot.name().as_str()).and_then(|rest| rest.strip_prefix('.'));
            // A save that the player removed or erased is not offered.
            let is_gone = |why: &str| ["removed", "erased"].iter().any(|gone| why.starts_with(gone));
            let is_of_the_slot = why.is_some_and(|why| why.ends_with(ENDING) && !is_gone(why));
            let path = folder.join(file);
            if !is_of_the_slot || faults.iter().any(|(damaged, _)| *damaged == path) {
                continue;
            }
            // A file that cannot be read is not offered, and does not hide another one.
            let bytes = slot.dir().read(&path).ok().flatten();
            let save = bytes.and_then(|bytes| verified(&slot, &schema, &bytes).ok());
            let Some(head) = save.map(|save| save.head().clone()) else { continue };
            if earlier.as_ref().is_none_or(|(_, held)| held.number < head.number) {
                earlier = Some((path, head));
            }
        }
        Ok(Ruin { slot, schema, faults, earlier })
    }

    /// Returns what is wrong, file by file.
    #[must_use]
    pub fn faults(&self) -> &[(PathBuf, ReadError)] {
        &self.faults
    }

    /// Returns the newest intact save among the files of this slot that were set aside, for the question to the
    /// player.
    #[must_use]
    pub fn offer(&self) -> Option<&StateHead> {
        self.earlier.as_ref().map(|(_, head)| head)
    }

    /// Opens the save of [`Ruin::offer`], after the player has agreed; `None` if there is none. The damaged files are
    /// set aside, not deleted.
    ///
    /// # Errors
    /// [`OpenError::Disk`] if a file cannot be set aside or read, [`OpenError::Refused`] if the offered file has
    /// changed since.
    pub fn earlier(self) -> Result<Option<Opened>, OpenError> {
        let Some((path, _)) = &self.earlier else { return Ok(None) };
        self.lock()?;
        let bytes = self.slot.dir().read(path)?.unwrap_or_default();
        let save = verified(&self.slot, &self.schema, &bytes)
            .map_err(|error| OpenError::Refused { path: path.clone(), error })?;
        let path = self.set_aside()?.unwrap_or_else(|| path.clone());
        self.slot.know(&save, None, Way::ToPlay);
        let settings = self.slot.dir().settings(&self.schema);
        Ok(Some(Opened::from_save(save, &settings, Origin::SetAside { path })))
    }

    /// Starts a new game, after the player has agreed: the damaged files are set aside, not deleted.
    ///
    /// # Errors
    /// [`OpenError::Disk`] if a file cannot be set aside, [`OpenError::InUse`] if another program has opened the slot
    /// meanwhile; nothing is lost, and you can try again.
    pub fn start_fresh(self) -> Result<Opened, OpenError> {
        self.lock()?;
        self.set_aside()?;
        // A file that is there from now on belongs to another program.
        self.slot.held().began_empty = true;
        Ok(Opened::first_run(&self.schema, &self.slot.dir().settings(&self.schema)))
    }

    fn lock(&self) -> Result<(), OpenError> {
        match self.slot.hold_if_possible()? {
            true => Ok(()),
            false => Err(OpenError::InUse { lock: self.slot.lock_path() }),
        }
    }

    /// Sets the damaged files aside. A file that a broken write left may be the only intact one, and the next write
    /// would overwrite it: it gets a name of its own, which is returned.
    fn set_aside(&self) -> Result<Option<PathBuf>, DiskError> {
        self.faults.iter().try_for_each(|(path, _)| self.slot.set_aside(path, "damaged").map(drop))?;
        // None of them could be read.
        let own = self.slot.own_files()?.into_iter().map(|own| own.path);
        own.filter(|path| self.faults.iter().all(|(damaged, _)| damaged != path))
            .try_for_each(|path| self.slot.set_aside(&path, "damaged").map(drop))?;
        let offered = self.earlier.as_ref().map(|(path, _)| path);
        let leftover = offered.filter(|path| self.slot.is_temporary(path));
        leftover.map(|path| self.slot.set_aside(path, "unfinished")).transpose()
    }
}

fn verified(slot: &Slot, schema: &Arc<Schema>, bytes: &[u8]) -> Result<Verified<Save>, ReadError> {
    verify_within(bytes, schema, slot.dir().key(), slot.dir().limits())
}

impl fmt::Display for Ruin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "slot {} does not have an intact save", self.slot.name())?;
        for (path, fault) in &self.faults {
            write!(f, "\n  {}: {fault}", shown(path))?;
        }
        match &self.earlier {
            Some((path, head)) => write!(f, "\n  save {} is intact in {}", head.number, shown(path)),
            None => Ok(()),
        }
    }
}
