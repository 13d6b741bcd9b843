//! Saves that another declaration of the same version has written: the commonest event while a game is being developed,
//! and no damage.

use std::path::PathBuf;
use std::sync::Arc;

use super::aside::REDECLARED;
use super::error::{DiskError, shown};
use super::open::Found;
use super::open_result::OpenError;
use super::slot::Slot;
use crate::save::{Fault, ReadError};
use crate::snapshot::Schema;

/// Returns whether a save does not fit because the declaration changed under the same version.
pub(super) fn is_misfit(error: &ReadError) -> bool {
    matches!(error.fault, Fault::Redeclared { .. })
}

impl Slot {
    /// Sets the files of the slot aside, if another declaration of the same version has written them and their values
    /// do not fit ([`Fault::Redeclared`]). Returns the new paths; none if the slot opens, or does not for another
    /// reason. [`SaveDir::while_developing`](super::SaveDir::while_developing) does this at every opening.
    ///
    /// # Errors
    /// [`OpenError::InUse`] if the slot is open, [`OpenError::Disk`] if a file cannot be set aside.
    pub fn set_misfit_aside(&self, schema: &Arc<Schema>) -> Result<Vec<PathBuf>, OpenError> {
        if self.misfit(schema).is_none() {
            return Ok(Vec::new());
        }
        let is_played = self.held().is_played;
        if is_played || !self.hold_if_possible()? {
            return Err(OpenError::InUse { lock: self.lock_path() });
        }
        // Another program may have saved before the lock was ours.
        match self.misfit(schema) {
            Some(why) => Ok(self.set_files_aside(&why)?),
            None => Ok(Vec::new()),
        }
    }

    /// Returns why the slot does not open, if that is because of another declaration. Of two files an intact one opens.
    fn misfit(&self, schema: &Arc<Schema>) -> Option<ReadError> {
        let found = [self.path(), self.previous_path()].map(|path| self.found(&path, schema));
        if found.iter().any(|found| matches!(found, Found::Whole(_))) {
            return None;
        }
        found.into_iter().find_map(|found| match found {
            Found::Refused(error) if is_misfit(&error) => Some(error),
            _ => None,
        })
    }

    /// Sets the file and the backup aside, with a warning for the game's logger.
    pub(super) fn set_files_aside(&self, why: &ReadError) -> Result<Vec<PathBuf>, DiskError> {
        let files = self.all_paths()?.into_iter().filter(|path| matches!(self.dir().exists(path), Ok(true)));
        let aside = self.dir().set_all_aside(self.name().as_str(), files.collect(), REDECLARED)?;
        for path in &aside {
            log::warn!("keblin: set a save aside as {}: {}", shown(path), why.fault);
        }
        Ok(aside)
    }
}
