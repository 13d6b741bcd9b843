//! The folder: its slots, and the names of their files. A slot's name is an id, never a path.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin_model::Name;
use keblin_model::name::NameFault;
use thiserror::Error;

use super::append::SMALL_BYTES;
use super::backend::{Backend, Disk};
use super::error::{DiskError, failed};
use super::slot::Slot;
use crate::save::written::Wrapping;
use crate::save::{Fault, SaveLimits, SealKey};

/// How often a file is tried before it counts as unreadable.
const READS: usize = 3;

/// Returns whether another try may end differently.
fn may_pass(error: &DiskError) -> bool {
    use std::io::ErrorKind::{FileTooLarge, InvalidInput, OutOfMemory, PermissionDenied};
    !matches!(error.source.kind(), FileTooLarge | InvalidInput | OutOfMemory | PermissionDenied)
}

/// The start of the reason in the name of a file that is being written.
pub(super) const FRESH: &str = "fresh-";

/// The ending of a save's file name.
pub(super) const ENDING: &str = ".keblin";

/// A folder of saves. Nothing is created or written before the first save.
#[derive(Clone, Debug)]
pub struct SaveDir {
    folder: PathBuf,
    files: Arc<dyn Backend>,
    key: Option<SealKey>,
    limits: SaveLimits,
    sets_misfits_aside: bool,
    packs_areas: bool,
    /// The length of the largest save that is opened with its areas, in bytes.
    whole_bytes: usize,
}

/// A text that is not the name of a slot.
#[derive(Clone, PartialEq, Eq, Error)]
#[error("{name:?} cannot be the name of a slot: {fault}")]
#[non_exhaustive]
pub struct SlotNameError {
    /// The text.
    pub name: String,
    /// What is wrong with it.
    pub fault: NameFault,
}

keblin_model::debug_as_display!(SlotNameError);

/// Returns the name of a slot. The settings of the device have a file and a lock of their own.
fn slot_name(name: &str) -> Result<Name, NameFault> {
    match name {
        "device" => Err(NameFault::Reserved { owner: "the settings of the device" }),
        name => Name::of_file(name),
    }
}

impl SaveDir {
    /// Returns the saves in a folder on the disk. A relative path is resolved now, and stays the same folder later.
    #[must_use]
    pub fn at(folder: impl Into<PathBuf>) -> SaveDir {
        let folder = folder.into();
        // It fails only for an empty path, which names no folder; the first call reports it.
        let folder = std::path::absolute(&folder).unwrap_or(folder);
        SaveDir::on(Arc::new(Disk::default()), folder)
    }

    /// Returns the saves in a folder of another backend: in memory, or where a platform keeps its files.
    #[must_use]
    pub fn on(files: Arc<dyn Backend>, folder: impl Into<PathBuf>) -> SaveDir {
        SaveDir {
            folder: folder.into(),
            files,
            key: None,
            limits: SaveLimits::default(),
            sets_misfits_aside: false,
            packs_areas: false,
            whole_bytes: SMALL_BYTES,
        }
    }

    /// Seals saves with a key of the game, and checks the seals of existing ones. A seal that does not match is a
    /// finding; the save still opens.
    #[must_use]
    pub fn sealed(self, key: SealKey) -> SaveDir {
        SaveDir { key: Some(key), ..self }
    }

    /// Sets other limits. A save beyond them is refused before anything is written, and is not read.
    #[must_use]
    pub fn within(self, limits: SaveLimits) -> SaveDir {
        SaveDir { limits, ..self }
    }

    /// Sets a save aside when its slot is opened, if another declaration of the same version has written it and its
    /// values do not fit; the opening is then a first run. For the time before a version is released, in which the
    /// declaration changes every day. The game's logger gets a warning with the new path; nothing is deleted.
    ///
    /// Without this such a slot does not open ([`Fault::Redeclared`]).
    #[must_use]
    pub fn while_developing(self) -> SaveDir {
        SaveDir { sets_misfits_aside: true, ..self }
    }

    /// Packs areas of the world with zstd, if they become smaller by it. A build without the feature `zstd` refuses such a
    /// save, and leaves it as it is.
    #[cfg(feature = "zstd")]
    #[must_use]
    pub fn packing_areas(self) -> SaveDir {
        SaveDir { packs_areas: true, ..self }
    }

    /// Opens also small saves without their areas, so that a test with a small world sees what a large one does.
    #[cfg(feature = "testing")]
    #[must_use]
    pub fn leaving_areas(self) -> SaveDir {
        SaveDir { whole_bytes: 0, ..self }
    }

    pub(super) fn whole_bytes(&self) -> u64 {
        self.whole_bytes as u64
    }

    /// Returns how saves are written.
    pub(super) fn wrapping(&self) -> Wrapping<'_> {
        Wrapping { key: self.key.as_ref(), packs: self.packs_areas }
    }

    pub(super) fn sets_misfits_aside(&self) -> bool {
        self.sets_misfits_aside
    }

    pub(super) fn limits(&self) -> &SaveLimits {
        &self.limits
    }

    pub(super) fn key(&self) -> Option<&SealKey> {
        self.key.as_ref()
    }

    /// Returns a slot.
    ///
    /// # Errors
    /// [`SlotNameError`] for a name that is not an id, and for `device`: the settings have it.
    pub fn slot(&self, name: &str) -> Result<Slot, SlotNameError> {
        match slot_name(name) {
            Ok(name) => Ok(Slot::new(self.clone(), name)),
            Err(fault) => Err(SlotNameError { name: name.to_string(), fault }),
        }
    }

    /// Returns the names of the slots that have a save, in alphabetical order.
    ///
    /// # Errors
    /// [`DiskError`] if the folder exists but cannot be listed.
    pub fn slots(&self) -> Result<Vec<Name>, DiskError> {
        let files = self.files.list(&self.folder)?;
        Ok(files.iter().filter_map(|file| slot_name(file.strip_suffix(ENDING)?).ok()).collect())
    }

    /// Returns the folder.
    #[must_use]
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    pub(super) fn files(&self) -> &dyn Backend {
        self.files.as_ref()
    }

    /// Returns the bytes of a file; `None` if it does not exist. A file too large to be a save is not read. A
    /// temporary error is tried again, because otherwise an intact save would be replaced by an older one.
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
        // It may have grown since then.
        self.files.read(path, 0, most as u64)
    }

    /// Returns whether there is anything with that name.
    pub(super) fn exists(&self, path: &Path) -> Result<bool, DiskError> {
        match self.files.len(path) {
            Err(error) if error.source.kind() == std::io::ErrorKind::InvalidInput => Ok(true),
            found => Ok(found?.is_some()),
        }
    }

    /// Replaces a file of a slot, or of the device; returns whether the name refers to the new file afterwards. The
    /// temporary file has a name that nobody can guess.
    pub(super) fn publish(&self, name: &str, path: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.files.publish(path, &self.fresh_path(name), parts)
    }

    /// Returns a name for a temporary file that nobody can guess.
    pub(super) fn fresh_path(&self, name: &str) -> PathBuf {
        self.aside_path(name, &format!("{FRESH}{:016x}", self.files.unguessable()))
    }
}
