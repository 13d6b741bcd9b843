//! The folder: where slots lie, and what their files are called. A slot's name is an id, never a path.

use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin_schema::Name;
use keblin_schema::name::NameFault;

use super::backend::{Backend, Disk};
use super::disk::DiskError;
use super::slot::Slot;
use crate::save::SealKey;
use crate::save::layout::MAX_SAVE_BYTES;

/// The ending of a save's file name.
pub(super) const ENDING: &str = ".keblin";

/// A folder of saves. Nothing is made or written before the first save.
#[derive(Clone, Debug)]
pub struct SaveDir {
    folder: PathBuf,
    files: Arc<dyn Backend>,
    key: Option<SealKey>,
}

/// A text that is not the name of a slot.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SlotNameError {
    /// The text.
    pub name: String,
    /// What is wrong with it.
    pub fault: NameFault,
}

impl fmt::Display for SlotNameError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:?} cannot be the name of a slot: {}", self.name, self.fault)
    }
}

impl std::error::Error for SlotNameError {}

impl SaveDir {
    /// The saves in a folder of the disk.
    #[must_use]
    pub fn at(folder: impl Into<PathBuf>) -> SaveDir {
        SaveDir::on(Arc::new(Disk::default()), folder)
    }

    /// The saves in a folder somewhere else: in memory, or where a platform keeps its files.
    #[must_use]
    pub fn on(files: Arc<dyn Backend>, folder: impl Into<PathBuf>) -> SaveDir {
        SaveDir { folder: folder.into(), files, key: None }
    }

    /// The same, with saves sealed by a key of the game, and the seals of those there are checked. A seal that does not
    /// hold is told as a finding; the save opens.
    #[must_use]
    pub fn sealed(self, key: SealKey) -> SaveDir {
        SaveDir { key: Some(key), ..self }
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

    /// The file of the settings that belong to the device, beside the slots.
    #[must_use]
    pub fn device_path(&self) -> PathBuf {
        self.aside().join(format!("device{ENDING}"))
    }

    /// The folder.
    #[must_use]
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    pub(super) fn files(&self) -> &dyn Backend {
        self.files.as_ref()
    }

    /// The bytes of a file, `None` if there is none. One too large to be a save is read only so far that this is seen.
    pub(super) fn read(&self, path: &Path) -> Result<Option<Vec<u8>>, DiskError> {
        self.files.read(path, 0, MAX_SAVE_BYTES as u64 + 1)
    }

    pub(super) fn exists(&self, path: &Path) -> Result<bool, DiskError> {
        Ok(self.files.len(path)?.is_some())
    }

    /// Puts a file of a slot, or of the device, in place of the one that may be there.
    pub(super) fn publish(&self, name: &str, path: &Path, parts: &[&[u8]]) -> Result<(), DiskError> {
        self.files.publish(path, &self.aside_path(name, "fresh"), parts)
    }

    /// Where everything lies that is not a slot.
    pub(super) fn aside(&self) -> PathBuf {
        self.folder.join("aside")
    }
}
