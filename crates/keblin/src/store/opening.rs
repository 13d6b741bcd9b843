//! Opening a slot, in this order: the lock, the last whole state of the file and of the copy before it, the newer of the
//! two, its seal, its values and how they fit. Never a mixture, and never a first run where there was a save.

use std::fmt;
use std::path::PathBuf;
use std::sync::Arc;

use keblin_schema::Schema;

use super::device::Settings;
use super::disk::DiskError;
use super::ruin::Ruin;
use super::slot::Slot;
use crate::progress::{Notice, Progress};
use crate::save::{Fault, ReadError};
use crate::verify::{Save, SaveFinding, Verified, verify_sealed};

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
    /// From the last state of the slot's file.
    File,
    /// From an earlier state of the slot's file, because what stands behind it is damaged. The file is as it was; the
    /// next save sets it aside.
    EarlierState {
        /// What is wrong behind that state.
        fault: ReadError,
    },
    /// From the copy before it, because the file is missing, damaged or older.
    Previous {
        /// What is wrong with the file.
        fault: ReadError,
        /// Where the file was set aside; `None` if it was missing, or for a view.
        set_aside: Option<PathBuf>,
    },
    /// From a file that had been set aside, because the player agreed.
    SetAside {
        /// Which.
        path: PathBuf,
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
    /// No whole save is left; ask the player, then [`Ruin::earlier`] or [`Ruin::start_fresh`].
    Damaged(Box<Ruin>),
    /// Another copy of the program, or another [`Slot`] in this one, has it open. [`Slot::view`] can look at it.
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// The operating system failed.
    Disk(DiskError),
}

impl From<DiskError> for OpenError {
    fn from(error: DiskError) -> OpenError {
        OpenError::Disk(error)
    }
}

impl fmt::Display for OpenError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            OpenError::Refused { path, error } => {
                write!(f, "{}: {error}; it is left as it is", path.display())
            }
            OpenError::Damaged(ruin) => write!(f, "{ruin}"),
            OpenError::InUse { lock } => {
                write!(f, "the slot is open elsewhere: {} is locked; close the other copy", lock.display())
            }
            OpenError::Disk(error) => write!(f, "{error}"),
        }
    }
}

impl std::error::Error for OpenError {}

impl Opened {
    pub(super) fn first_run(schema: &Arc<Schema>, settings: &Settings) -> Opened {
        let mut progress = Progress::new(Arc::clone(schema));
        settings.values.iter().for_each(|values| progress.put_device(values.clone()));
        Opened { progress, origin: Origin::FirstRun, findings: Vec::new() }
    }

    pub(super) fn from_save(save: Verified<Save>, settings: &Settings, origin: Origin) -> Opened {
        let findings = save.findings().to_vec();
        let save = match &settings.values {
            Some(values) => save.with_settings(values.clone()),
            None => save,
        };
        let mut progress = save.into_progress();
        if origin != Origin::File {
            progress.tell(Notice::FellBack);
        }
        Opened { progress, origin, findings }
    }
}

/// What a file was found to be.
enum Found {
    Missing,
    /// Whole, and not for this game or version.
    Refused(ReadError),
    Damaged(ReadError),
    Whole(Box<Verified<Save>>),
}

/// Whether opening may change anything.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Way {
    ToPlay,
    ToLook,
}

impl Slot {
    /// Opens the slot. No file at all is a first run, without an error and without a lock; a missing file beside a
    /// copy, and an empty file, are damage. Of the last whole states of the file and of the copy before it the newer is
    /// taken. Damage of the file alone is mended so: [`Notice::FellBack`] is told, and a file without a whole state is
    /// set aside.
    ///
    /// The slot stays locked until the last clone of this [`Slot`] is dropped. Where the folder cannot be written to, it
    /// is opened without a lock, and saving will fail.
    ///
    /// # Errors
    /// [`OpenError::Refused`] for a save of another game or version, [`OpenError::Damaged`] if no whole save is left,
    /// [`OpenError::InUse`] if another copy of the program has it open, [`OpenError::Disk`] if the files cannot be
    /// read. In all of them the files are as they were.
    pub fn open(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        self.open_as(schema, Way::ToPlay)
    }

    /// Looks at the slot: opens it without a lock and without changing anything on the disk, whoever else has it open.
    ///
    /// # Errors
    /// As [`Slot::open`], but never [`OpenError::InUse`].
    pub fn view(&self, schema: &Arc<Schema>) -> Result<Opened, OpenError> {
        self.open_as(schema, Way::ToLook)
    }

    fn open_as(&self, schema: &Arc<Schema>, way: Way) -> Result<Opened, OpenError> {
        let is_there = self.dir().exists(&self.path())? || self.dir().exists(&self.previous_path())?;
        if way == Way::ToPlay && is_there && !self.hold_if_possible()? {
            return Err(OpenError::InUse { lock: self.lock_path() });
        }
        let settings = self.dir().settings(schema)?;
        let mut opened = self.newest(schema, &settings, way)?;
        opened.findings.extend(settings.findings);
        Ok(opened)
    }

    /// The newer of the last whole states of the file and the copy before it.
    fn newest(&self, schema: &Arc<Schema>, settings: &Settings, way: Way) -> Result<Opened, OpenError> {
        let (path, previous_path) = (self.path(), self.previous_path());
        let file = self.found(&path, schema)?;
        let previous = self.found(&previous_path, schema)?;
        match (file, previous) {
            (Found::Missing, Found::Missing) => {
                self.held().began_empty |= way == Way::ToPlay;
                Ok(Opened::first_run(schema, settings))
            }
            (Found::Refused(error), _) => Err(OpenError::Refused { path, error }),
            (Found::Whole(file), Found::Whole(copy)) if is_later(&copy, &file) => {
                let older = Fault::OlderThanCopy { file: file.head().number, copy: copy.head().number };
                let fault = file
                    .fault()
                    .cloned()
                    .unwrap_or_else(|| ReadError::new("state", file.head().offset, older));
                self.fall_back(*copy, settings, fault, way)
            }
            (Found::Whole(file), _) => {
                let origin = match file.fault() {
                    None => Origin::File,
                    Some(fault) => Origin::EarlierState { fault: fault.clone() },
                };
                self.know(&file, way);
                Ok(Opened::from_save(*file, settings, origin))
            }
            (Found::Damaged(fault), Found::Whole(copy)) => self.fall_back(*copy, settings, fault, way),
            (Found::Missing, Found::Whole(copy)) => {
                let fault = ReadError::new("file", 0, Fault::Empty);
                self.fall_back(*copy, settings, fault, way)
            }
            (_, Found::Refused(error)) => Err(OpenError::Refused { path: previous_path, error }),
            (Found::Damaged(fault), Found::Missing) => self.ruin(schema, vec![(path, fault)]),
            (Found::Missing, Found::Damaged(fault)) => self.ruin(schema, vec![(previous_path, fault)]),
            (Found::Damaged(fault), Found::Damaged(of_copy)) => {
                self.ruin(schema, vec![(path, fault), (previous_path, of_copy)])
            }
        }
    }

    fn found(&self, path: &std::path::Path, schema: &Arc<Schema>) -> Result<Found, DiskError> {
        let Some(bytes) = self.dir().read(path)? else { return Ok(Found::Missing) };
        Ok(match verify_sealed(&bytes, schema, self.dir().key()) {
            Ok(save) => Found::Whole(Box::new(save)),
            Err(error) if error.is_refusal() => Found::Refused(error),
            Err(error) => Found::Damaged(error),
        })
    }

    /// Progress from the copy; the file, if it is there, is set aside unless this is only to look.
    fn fall_back(
        &self,
        copy: Verified<Save>,
        settings: &Settings,
        fault: ReadError,
        way: Way,
    ) -> Result<Opened, OpenError> {
        let why = if matches!(fault.fault, Fault::OlderThanCopy { .. }) { "older" } else { "damaged" };
        let is_there = way == Way::ToPlay && self.dir().exists(&self.path())?;
        let set_aside = if is_there { Some(self.set_aside(&self.path(), why)?) } else { None };
        self.know(&copy, way);
        Ok(Opened::from_save(copy, settings, Origin::Previous { fault, set_aside }))
    }

    fn ruin(&self, schema: &Arc<Schema>, faults: Vec<(PathBuf, ReadError)>) -> Result<Opened, OpenError> {
        Err(OpenError::Damaged(Box::new(Ruin::of(self.clone(), Arc::clone(schema), faults)?)))
    }
}

/// Whether a save is a later one of the same slot.
fn is_later(one: &Verified<Save>, other: &Verified<Save>) -> bool {
    let is_of_the_slot = one.stamp().created_unix_ms == other.stamp().created_unix_ms;
    is_of_the_slot && one.head().number > other.head().number
}
