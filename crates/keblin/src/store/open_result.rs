//! What opening a slot returns: the progress and where it came from, or why it did not open.

use std::path::PathBuf;
use std::sync::Arc;

use thiserror::Error;

use super::device::ReadSettings;
use super::error::{DiskError, shown};
use super::ruin::Ruin;
use crate::progress::{Notice, Progress};
use crate::save::ReadError;
use crate::snapshot::Schema;
use crate::verify::{Save, SaveFinding, Verified};

/// A slot that was opened.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Opened {
    /// The progress, at the title.
    pub progress: Progress,
    /// Where it came from.
    pub origin: Origin,
    /// Findings about the save.
    pub findings: Vec<SaveFinding>,
}

/// Where an opened progress came from.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Origin {
    /// The slot was empty: every value is the default.
    FirstRun,
    /// From the last state of the slot's file.
    File,
    /// From an earlier state of the slot's file, because the bytes after it are damaged. The file is unchanged; the
    /// next save sets it aside.
    EarlierState {
        /// What is wrong after that state.
        fault: ReadError,
    },
    /// From the backup, because the file is missing, damaged or older.
    Previous {
        /// What is wrong with the file.
        fault: ReadError,
        /// Where the file was set aside; `None` if it was missing, or for a view.
        set_aside: Option<PathBuf>,
    },
    /// There were two saves that knew nothing of each other, because another file was put in place of ours. The one
    /// that was saved later is used, with what both have earned. The next save sets the other one aside.
    Met {
        /// The file with the other one.
        other: PathBuf,
    },
    /// From a file that had been set aside, because the player agreed.
    SetAside {
        /// Its path.
        path: PathBuf,
    },
}

/// Why a slot could not be opened. Nothing has been changed.
#[derive(Error)]
#[non_exhaustive]
pub enum OpenError {
    /// The save is intact but not for this game or version: it is left untouched.
    #[error("{}: {error}; it is left untouched", shown(path))]
    Refused {
        /// The file.
        path: PathBuf,
        /// Why.
        #[source]
        error: ReadError,
    },
    /// No intact save is left; ask the player, then call [`Ruin::earlier`] or [`Ruin::start_fresh`].
    #[error("{0}")]
    Damaged(Box<Ruin>),
    /// Another program, or another [`Keeper`](super::Keeper) or [`Slot`](super::Slot) in this one, has it open: close that one
    /// first. [`Slot::view`](super::Slot::view) can still look at it.
    #[error("the slot is already open: {} is locked; close the other keeper or program first", shown(lock))]
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// The operating system returned an error.
    #[error(transparent)]
    Disk(#[from] DiskError),
}

keblin_model::debug_as_display!(OpenError);

impl Opened {
    pub(super) fn first_run(schema: &Arc<Schema>, settings: &ReadSettings) -> Opened {
        let mut progress = Progress::new(Arc::clone(schema));
        settings.values.iter().for_each(|values| progress.engine_mut().put_device(values.clone()));
        Opened { progress, origin: Origin::FirstRun, findings: Vec::new() }
    }

    pub(super) fn from_save(save: Verified<Save>, settings: &ReadSettings, origin: Origin) -> Opened {
        let findings = save.findings().to_vec();
        let save = match &settings.values {
            Some(values) => save.with_settings(values),
            None => save,
        };
        let mut progress = save.into_progress();
        if !matches!(origin, Origin::File | Origin::Met { .. }) {
            progress.engine_mut().tell(Notice::FellBack);
        }
        Opened { progress, origin, findings }
    }
}
