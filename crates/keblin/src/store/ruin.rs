//! What is left of a slot when neither its file nor the copy before it is whole. Nothing has been changed; what is to
//! be done is the player's to say.

use std::fmt;
use std::path::PathBuf;
use std::sync::Arc;

use keblin_schema::Schema;

use super::disk::DiskError;
use super::slot::{Opened, Slot};
use crate::save::ReadError;

/// A slot without a whole save.
#[derive(Clone, Debug)]
pub struct Ruin {
    pub(super) slot: Slot,
    pub(super) schema: Arc<Schema>,
    /// What is wrong, file by file.
    pub(super) faults: Vec<(PathBuf, ReadError)>,
}

impl Ruin {
    /// What is wrong, file by file.
    #[must_use]
    pub fn faults(&self) -> &[(PathBuf, ReadError)] {
        &self.faults
    }

    /// Starts from nothing, once the player has agreed: the damaged files are set aside, not deleted.
    ///
    /// # Errors
    /// [`DiskError`] if a file cannot be set aside; then nothing is lost and it can be tried again.
    pub fn start_fresh(self) -> Result<Opened, DiskError> {
        for (path, _) in &self.faults {
            self.slot.set_aside(path, "damaged")?;
        }
        Ok(Opened::first_run(&self.schema))
    }
}

impl fmt::Display for Ruin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "no whole save of slot {} is left", self.slot.name())?;
        for (path, fault) in &self.faults {
            write!(f, "\n  {}: {fault}", path.display())?;
        }
        Ok(())
    }
}
