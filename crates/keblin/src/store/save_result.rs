//! The result of saving: what was saved and set aside, or why it failed.

use std::path::PathBuf;

use thiserror::Error;

use super::error::{DiskError, shown};
use super::lazy_areas::LostArea;
use crate::fullness::Fullness;
use crate::progress::AsideReason;
use crate::save::ReadError;
use crate::snapshot::{AREA, Snapshot};

/// The result of a save.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Saved {
    /// The file.
    pub path: PathBuf,
    /// The number of the save, counted from 1 in each slot.
    pub number: u64,
    /// The length of the file in bytes, without the reserve after its last state.
    pub len_bytes: usize,
    /// How many bytes were written: all of a published file, or the end of an appended one.
    pub written_bytes: usize,
    /// How full the save is.
    pub fullness: Fullness,
    /// The save that another program had put in place of ours, if any.
    pub replaced: Option<Replaced>,
    /// The files that were set aside for it, and why.
    pub set_aside: Vec<(PathBuf, AsideReason)>,
    /// Areas of the world that could no longer be read.
    pub(super) lost_areas: Vec<LostArea>,
    /// The save that another program had put there was merged into ours.
    pub(super) merged: Option<Box<Merged>>,
}

/// A save without another one that was merged into it, and with it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Merged {
    pub(super) before: Snapshot,
    pub(super) now: Snapshot,
}

impl Saved {
    /// Returns the ids of areas of the world that could no longer be read from the file that was opened. They are saved as
    /// they are in the backup, or left out.
    pub fn lost_areas(&self) -> impl Iterator<Item = &str> {
        self.lost_areas.iter().filter_map(|lost| lost.section.strip_prefix(AREA))
    }
}

/// An intact save of this game that was in place of ours, and that ours knew nothing of.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Replaced {
    /// Its path in `aside`.
    pub set_aside: PathBuf,
    /// Its contents.
    pub snapshot: Snapshot,
    /// Whether both have met in the save, as [`reconcile`](crate::reconcile::reconcile) says; the run is ours. False
    /// after an erasure, which must not come back through the other save.
    pub has_met: bool,
}

/// Why a slot could not be saved. The previous save is untouched.
#[derive(Error)]
#[non_exhaustive]
pub enum SaveError {
    /// The existing file belongs to another game or version: it is left untouched.
    #[error("refusing to overwrite {}: {error}", shown(path))]
    Refused {
        /// The file.
        path: PathBuf,
        /// Why.
        #[source]
        error: ReadError,
    },
    /// Another program, or another [`Keeper`](super::Keeper) or [`Slot`](super::Slot) in this one, has the slot open.
    #[error("not saved: the slot is open elsewhere, {} is locked", shown(lock))]
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// It would be larger than a save may be, so it could not be read again.
    #[error("not saved: {0}; keep fewer or smaller areas of the world")]
    TooLarge(Fullness),
    /// There is no slot to save to: this is a view, or the game stores the bytes itself.
    #[error("not saved: this keeper only views the slot")]
    OnlyLooking,
    /// Writing panicked: the game's own [`Backend`](super::backend::Backend), or this library.
    #[error("not saved: writing panicked: {message}")]
    Panicked {
        /// The message of the panic.
        message: String,
    },
    /// The operating system returned an error.
    #[error("not saved: {0}")]
    Disk(#[from] DiskError),
}

keblin_model::debug_as_display!(SaveError);
