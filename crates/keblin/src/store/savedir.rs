//! The folder: where slots lie, and what their files are called. A slot's name is an id, never a path.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin_schema::Name;
use keblin_schema::name::NameFault;
use thiserror::Error;

use super::backend::{Backend, Disk};
use super::error::{DiskError, failed};
use super::slot::Slot;
use crate::save::{Fault, SaveLimits, SealKey};

/// How often a file is read before it counts as one that cannot be.
const READS: usize = 3;

/// Whether an error may be another one the next time, or none.
fn may_pass(error: &DiskError) -> bool {
    use std::io::ErrorKind::{FileTooLarge, InvalidInput, OutOfMemory, PermissionDenied};
    !matches!(error.source.kind(), FileTooLarge | InvalidInput | OutOfMemory | PermissionDenied)
}

/// What the reason in a name begins with that a file has while it is written.
pub(super) const FRESH: &str = "fresh-";

/// The ending of a save's file name.
pub(super) const ENDING: &str = ".keblin";

/// A folder of saves. Nothing is made or written before the first save.
#[derive(Clone, Debug)]
pub struct SaveDir {
    folder: PathBuf,
    files: Arc<dyn Backend>,
    key: Option<SealKey>,
    limits: SaveLimits,
}

/// A text that is not the name of a slot.
#[derive(Clone, Debug, PartialEq, Eq, Error)]
#[error("{name:?} cannot be the name of a slot: {fault}")]
#[non_exhaustive]
pub struct SlotNameError {
    /// The text.
    pub name: String,
    /// What is wrong with it.
    pub fault: NameFault,
}

impl SaveDir {
    /// The saves in a folder of the disk. A relative folder is one of the folder that the program works in now, and stays
    /// that one.
    #[must_use]
    pub fn at(folder: impl Into<PathBuf>) -> SaveDir {
        let folder = folder.into();
        // It fails for an empty path alone, which names no folder; the first call says so.
        let folder = std::path::absolute(&folder).unwrap_or(folder);
        SaveDir::on(Arc::new(Disk::default()), folder)
    }

    /// The saves in a folder somewhere else: in memory, or where a platform keeps its files.
    #[must_use]
    pub fn on(files: Arc<dyn Backend>, folder: impl Into<PathBuf>) -> SaveDir {
        SaveDir { folder: folder.into(), files, key: None, limits: SaveLimits::default() }
    }

    /// The same, with saves sealed by a key of the game, and the seals of those there are checked. A seal that does not
    /// hold is told as a finding; the save opens.
    #[must_use]
    pub fn sealed(self, key: SealKey) -> SaveDir {
        SaveDir { key: Some(key), ..self }
    }

    /// The same, within other limits. A save beyond them is refused before anything is written, and is not read.
    #[must_use]
    pub fn within(self, limits: SaveLimits) -> SaveDir {
        SaveDir { limits, ..self }
    }

    pub(super) fn limits(&self) -> &SaveLimits {
        &self.limits
    }

    pub(super) fn key(&self) -> Option<&SealKey> {
        self.key.as_ref()
    }

    /// A slot.
    ///
    /// # Errors
    /// [`SlotNameError`] for a name that is not an id.
    pub fn slot(&self, name: &str) -> Result<Slot, SlotNameError> {
        match Name::new(name) {
            Ok(name) => Ok(Slot::new(self.clone(), name)),
            Err(fault) => Err(SlotNameError { name: name.to_string(), fault }),
        }
    }

    /// The names of the slots that have a save, in alphabetical order.
    ///
    /// # Errors
    /// [`DiskError`] if the folder is there but cannot be listed.
    pub fn slots(&self) -> Result<Vec<Name>, DiskError> {
        let files = self.files.list(&self.folder)?;
        Ok(files.iter().filter_map(|file| Name::new(file.strip_suffix(ENDING)?).ok()).collect())
    }

    /// The folder.
    #[must_use]
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    pub(super) fn files(&self) -> &dyn Backend {
        self.files.as_ref()
    }

    /// The bytes of a file, `None` if there is none. One too large to be a save is not read. An error that may pass is not
    /// believed at once: a whole save would give way to an older one for it.
    pub(super) fn read(&self, path: &Path) -> Result<Option<Vec<u8>>, DiskError> {
        for _ in 1..READS {
            match self.read_once(path) {
                Err(error) if may_pass(&error) => {}
                read => return read,
            }
        }
        self.read_once(path)
    }

    fn read_once(&self, path: &Path) -> Result<Option<Vec<u8>>, DiskError> {
        let Some(len) = self.files.len(path)? else { return Ok(None) };
        let most = self.limits.max_save_bytes;
        if len > most as u64 {
            let bytes = usize::try_from(len).unwrap_or(usize::MAX);
            return Err(failed("reading", path)(std::io::Error::new(
                std::io::ErrorKind::FileTooLarge,
                Fault::TooLarge { bytes, most }.to_string(),
            )));
        }
        // It may have grown since.
        self.files.read(path, 0, most as u64)
    }

    /// Whether there is something of that name, whatever it is.
    pub(super) fn exists(&self, path: &Path) -> Result<bool, DiskError> {
        match self.files.len(path) {
            Err(error) if error.source.kind() == std::io::ErrorKind::InvalidInput => Ok(true),
            found => Ok(found?.is_some()),
        }
    }

    /// Puts a file of a slot, or of the device, in place of the one that may be there; whether it is the one of that name
    /// now. On the way it has a name that nobody can know beforehand.
    pub(super) fn publish(&self, name: &str, path: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        let beside = self.aside_path(name, &format!("{FRESH}{:016x}", self.files.unguessable()));
        self.files.publish(path, &beside, parts)
    }
}
