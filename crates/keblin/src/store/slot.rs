//! One slot: opening and saving. Opening reads the file and the copy before it and takes the newest whole one; saving
//! writes the new file beside the old one and puts it in its place in one step.

use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin_schema::{Name, Schema};

use super::device::Settings;
use super::disk::{self, DiskError};
use super::ruin::Ruin;
use super::savedir::{ENDING, SaveDir};
use crate::progress::{Notice, Progress};
use crate::save::decode::of_this_game;
use crate::save::{Fault, ReadError, SaveFile, Stamp, read, write};
use crate::snapshot::Snapshot;
use crate::verify::{Save, SaveFinding, Verified, verify};

/// A slot of a folder of saves.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Slot {
    dir: SaveDir,
    name: Name,
}

/// A slot that was opened.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Opened {
    /// The progress, at the title.
    pub progress: Progress,
    /// Where it came from.
    pub origin: Origin,
    /// What was told of the save.
    pub findings: Vec<SaveFinding>,
}

/// Where an opened progress came from.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Origin {
    /// There was no save: everything is as declared.
    FirstRun,
    /// From the slot's file.
    File,
    /// From the copy before it, because the file is missing or damaged.
    Previous {
        /// What was wrong with the file.
        fault: ReadError,
        /// Where the damaged file was set aside; `None` if it was missing.
        set_aside: Option<PathBuf>,
    },
}

/// Why a slot was not opened. Nothing has been changed.
#[derive(Debug)]
#[non_exhaustive]
pub enum OpenError {
    /// The save is whole but not for this game or version: it is left untouched.
    Refused {
        /// The file.
        path: PathBuf,
        /// Why.
        error: ReadError,
    },
    /// No whole save is left; ask the player, then [`Ruin::start_fresh`].
    Damaged(Box<Ruin>),
    /// The operating system failed.
    Disk(DiskError),
}

/// What a save did.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Saved {
    /// The file.
    pub path: PathBuf,
    /// Counts the saves of the slot, from 1.
    pub number: u64,
    /// Its length.
    pub len_bytes: usize,
}

/// Why a slot was not saved. What was there is there.
#[derive(Debug)]
#[non_exhaustive]
pub enum SaveError {
    /// The file there is not of this game or version: it is left untouched.
    Refused {
        /// The file.
        path: PathBuf,
        /// Why.
        error: ReadError,
    },
    /// The operating system failed.
    Disk(DiskError),
}

impl From<DiskError> for OpenError {
    fn from(error: DiskError) -> OpenError {
        OpenError::Disk(error)
    }
}

impl From<DiskError> for SaveError {
    fn from(error: DiskError) -> SaveError {
        SaveError::Disk(error)
    }
}

impl fmt::Display for OpenError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            OpenError::Refused { path, error } => {
                write!(f, "{}: {error}; it is left as it is", path.display())
            }
            OpenError::Damaged(ruin) => write!(f, "{ruin}"),
            OpenError::Disk(error) => write!(f, "{error}"),
        }
    }
}

impl fmt::Display for SaveError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            SaveError::Refused { path, error } => write!(f, "not saved over {}: {error}", path.display()),
            SaveError::Disk(error) => write!(f, "not saved: {error}"),
        }
    }
}

impl std::error::Error for OpenError {}
impl std::error::Error for SaveError {}

impl Opened {
    pub(super) fn first_run(schema: &Arc<Schema>) -> Opened {
        let progress = Progress::new(Arc::clone(schema));
        Opened { progress, origin: Origin::FirstRun, findings: Vec::new() }
    }

    fn from_save(save: Verified<Save>, settings: &Settings, origin: Origin) -> Opened {
        let findings = save.findings().to_vec();
        let save = match &settings.values {
            Some(values) => save.with_settings(values.clone()),
            None => save,
        };
        let mut progress = save.into_progress();
        if matches!(origin, Origin::Previous { .. }) {
            progress.tell(Notice::FellBack);
        }
        Opened { progress, origin, findings }
    }
}

impl Slot {
    pub(super) fn new(dir: SaveDir, name: Name) -> Slot {
        Slot { dir, name }
    }

    /// Its name.
    #[must_use]
    pub fn name(&self) -> &Name {
        &self.name
    }

    /// Its file.
    #[must_use]
    pub fn path(&self) -> PathBuf {
        self.dir.folder().join(format!("{}{ENDING}", self.name))
    }

    /// The copy before it.
    #[must_use]
    pub fn previous_path(&self) -> PathBuf {
        self.aside_path("previous")
    }

    fn aside_path(&self, why: &str) -> PathBuf {
        self.dir.aside_path(self.name.as_str(), why)
    }

    /// Opens the slot. No file at all is a first run, without an error; a missing file beside a copy, and an empty
    /// file, are damage. Damage of the file alone is mended by the copy before it: the file is set aside, and
    /// [`Notice::FellBack`] is told.
    ///
    /// # Errors
    /// [`OpenError::Refused`] for a save of another game or version, [`OpenError::Damaged`] if no whole save is left,
    /// [`OpenError::Disk`] if the files cannot be read. In all three the files are as they were.
    pub fn open(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        let settings = self.dir.settings(schema)?;
        let mut opened = self.open_save(schema, &settings)?;
        opened.findings.extend(settings.findings);
        Ok(opened)
    }

    fn open_save(&self, schema: &Arc<Schema>, settings: &Settings) -> Result<Opened, OpenError> {
        let (path, previous_path) = (self.path(), self.previous_path());
        let file = disk::read(&path)?.map(|bytes| verify(&bytes, schema));
        let previous = disk::read(&previous_path)?.map(|bytes| verify(&bytes, schema));
        let fault = match file {
            Some(Ok(save)) => return Ok(Opened::from_save(save, settings, Origin::File)),
            Some(Err(error)) if error.is_refusal() => return Err(OpenError::Refused { path, error }),
            Some(Err(fault)) => Some(fault),
            None => None,
        };
        let there = fault.is_some();
        let fault_of_file = fault.unwrap_or_else(|| ReadError::new("file", 0, Fault::Empty));
        match previous {
            None if !there => {
                let mut opened = Opened::first_run(schema);
                settings.values.iter().for_each(|values| opened.progress.put_device(values.clone()));
                Ok(opened)
            }
            None => Err(self.damaged(schema, vec![(path, fault_of_file)])),
            Some(Ok(save)) => {
                let set_aside = if there { Some(self.set_aside(&path, "damaged")?) } else { None };
                let origin = Origin::Previous { fault: fault_of_file, set_aside };
                Ok(Opened::from_save(save, settings, origin))
            }
            Some(Err(error)) if error.is_refusal() => Err(OpenError::Refused { path: previous_path, error }),
            Some(Err(fault)) => {
                let file = there.then_some((path, fault_of_file));
                Err(self.damaged(schema, file.into_iter().chain([(previous_path, fault)]).collect()))
            }
        }
    }

    fn damaged(&self, schema: &Arc<Schema>, faults: Vec<(PathBuf, ReadError)>) -> OpenError {
        OpenError::Damaged(Box::new(Ruin { slot: self.clone(), schema: Arc::clone(schema), faults }))
    }

    /// Saves a snapshot. The save that is there becomes the copy before it; a damaged one is set aside.
    ///
    /// # Durability
    /// When this returns, the save is on the disk: its bytes and its name were synced, as far as the operating system
    /// and the disk keep their word. Cut off at any instant, the slot opens with this save or the one before.
    ///
    /// # Errors
    /// [`SaveError::Refused`] if the file there is of another game or a newer version, [`SaveError::Disk`] if the disk
    /// is full, read-only or gone. Then what was there is still there.
    pub fn save(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let path = self.path();
        disk::create_folder(&self.dir.aside())?;
        let held = disk::read(&path)?;
        let previous = disk::read(&self.previous_path())?;
        let before = self.before(&path, held.as_deref(), previous.as_deref(), snapshot.schema())?;
        let now = disk::now_unix_ms();
        let stamp = Stamp {
            number: before.map_or(1, |(number, _)| number.saturating_add(1)),
            created_unix_ms: before.map_or(now, |(_, created)| created),
            saved_at_unix_ms: now,
            cause: cause.to_string(),
        };
        let bytes = write(snapshot, &stamp);
        let fresh = self.aside_path("fresh");
        disk::write_synced(&fresh, &bytes)?;
        if let Some(held) = held {
            // A copy, so that the file itself is there and whole until the fresh one takes its place. Only a whole
            // save may take the place of the copy before it.
            let aside = if read(&held).is_ok() {
                self.previous_path()
            } else {
                self.dir.free_aside(self.name.as_str(), "damaged")
            };
            let copy = self.aside_path("copy");
            disk::write_synced(&copy, &held)?;
            disk::replace(&copy, &aside)?;
        }
        disk::replace(&fresh, &path)?;
        self.dir.save_settings(snapshot)?;
        Ok(Saved { path, number: stamp.number, len_bytes: bytes.len() })
    }

    /// Saves a snapshot from which something was erased, so that damage cannot bring it back: the copy before it is
    /// replaced as well. Files that were set aside stay as they are.
    ///
    /// # Durability
    /// As [`Slot::save`]. Cut off between the two files, the slot opens with the new save, and the copy is still the
    /// old one.
    ///
    /// # Errors
    /// As [`Slot::save`].
    pub fn save_erased(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let saved = self.save(snapshot, cause)?;
        if let Some(bytes) = disk::read(&saved.path)? {
            let copy = self.aside_path("copy");
            disk::write_synced(&copy, &bytes)?;
            disk::replace(&copy, &self.previous_path())?;
        }
        Ok(saved)
    }

    /// Number and creation time of the save that is there, or of the copy before it; an error if the file is not ours
    /// to replace.
    fn before(
        &self,
        path: &Path,
        held: Option<&[u8]>,
        previous: Option<&[u8]>,
        schema: &Schema,
    ) -> Result<Option<(u64, u64)>, SaveError> {
        let ours =
            |file: SaveFile<'_>| of_this_game(&file, schema).map(|()| (file.number, file.created_unix_ms));
        match held.map(|bytes| read(bytes).and_then(ours)) {
            Some(Ok(before)) => return Ok(Some(before)),
            Some(Err(error)) if error.is_refusal() => {
                return Err(SaveError::Refused { path: path.to_path_buf(), error });
            }
            Some(Err(_)) | None => {}
        }
        Ok(previous.and_then(|bytes| read(bytes).ok()).map(|file| (file.number, file.created_unix_ms)))
    }

    /// Moves a file aside under a name that says why.
    pub(super) fn set_aside(&self, path: &Path, why: &str) -> Result<PathBuf, DiskError> {
        let target = self.dir.free_aside(self.name.as_str(), why);
        disk::create_folder(&self.dir.aside())?;
        disk::replace(path, &target)?;
        Ok(target)
    }
}
