//! What saving gives back: what was saved and set aside, or why it was not.

use std::path::PathBuf;

use thiserror::Error;

use super::error::{DiskError, shown};
use crate::fullness::Fullness;
use crate::progress::AsideReason;
use crate::save::ReadError;
use crate::snapshot::Snapshot;

/// What a save did.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Saved {
    /// The file.
    pub path: PathBuf,
    /// Counts the saves of the slot, from 1.
    pub number: u64,
    /// The length of the file, without the room behind its last state.
    pub len_bytes: usize,
    /// How many of them were written: all of a file that was published, the end of one that was appended to.
    pub written_bytes: usize,
    /// How much of what a save may hold it takes.
    pub fullness: Fullness,
    /// What somebody else had saved in place of ours meanwhile.
    pub replaced: Option<Replaced>,
    /// The files that were set aside for it, and why.
    pub set_aside: Vec<(PathBuf, AsideReason)>,
}

/// A whole save of this game that stood in place of ours, and that ours knew nothing of.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Replaced {
    /// Where it was set aside.
    pub set_aside: PathBuf,
    /// What was in it.
    pub snapshot: Snapshot,
    /// Whether records, facts and unlocks of both have met by their keep rules in what was saved; plain values and the
    /// run are ours. Not where something was erased, which must not come back by it.
    pub has_met: bool,
}

/// Why a slot was not saved. What was there is there.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum SaveError {
    /// The file there is not of this game or version: it is left untouched.
    #[error("not saved over {}: {error}", shown(path))]
    Refused {
        /// The file.
        path: PathBuf,
        /// Why.
        #[source]
        error: ReadError,
    },
    /// Another copy of the program, or another [`Keeper`](super::Keeper) or [`Slot`](super::Slot) in this one, has the slot open.
    #[error("not saved: the slot is open elsewhere, {} is locked", shown(lock))]
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// It would be larger than a save may be, so it could not be read again.
    #[error("not saved: {0}; let the game keep fewer or smaller areas of the world")]
    TooLarge(Fullness),
    /// There is no slot to save to: it is only looked at, or the game keeps the bytes itself.
    #[error("not saved: the slot is only being looked at")]
    OnlyLooking,
    /// Writing panicked: the files of the game's own [`Backend`](super::backend::Backend), or this library.
    #[error("not saved: writing panicked: {message}")]
    Panicked {
        /// What the panic said.
        message: String,
    },
    /// The operating system failed.
    #[error("not saved: {0}")]
    Disk(#[from] DiskError),
}
