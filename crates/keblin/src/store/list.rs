//! The list of slots, and what is done with whole slots. The list reads the two ends of each file and nothing between, so
//! it costs the same where saves are large. Where a file ends in room, that is looked through too, from its end.

use std::path::{Path, PathBuf};

use keblin_schema::Name;
use thiserror::Error;

use super::error::{DiskError, shown};
use super::savedir::{ENDING, SaveDir, SlotNameError};
use super::slot::Slot;
use crate::save::file::without_room;
use crate::save::head::{SlotHead, head_of, state_bytes};
use crate::save::layout::{FOOT_DIGEST_BYTES, FOOT_ITEM_BYTES};
use crate::save::{Fault, ReadError, read_within};

/// How many bytes of the start of a file are read for the list: the header is shorter.
const START_BYTES: usize = 512;

/// How many bytes of the end are read at first: most states are shorter.
const TAIL_BYTES: usize = 4096;

/// The longest state that the list reads, in bytes: the table of a large world is most of it.
const MAX_TAIL_BYTES: usize = 64 << 20;

/// The most room that the list looks through, in bytes. What is made at once is less.
const MAX_ROOM_BYTES: u64 = 4 << 20;

/// How many bytes at a time are looked through for the end of room.
const ROOM_STEP_BYTES: u64 = 64 << 10;

/// A slot that has a save.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SlotEntry {
    /// Its name.
    pub name: Name,
    /// The length of its file.
    pub len_bytes: u64,
    /// What its last state says about itself; or why that cannot be said without opening the slot.
    pub head: Result<SlotHead, ReadError>,
}

/// Why a slot was not copied or removed. Nothing was changed.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum SlotError {
    /// A name that is none.
    #[error(transparent)]
    Name(#[from] SlotNameError),
    /// There is no save of this name.
    #[error("there is no save {}", shown(path))]
    Missing {
        /// The file that is not there.
        path: PathBuf,
    },
    /// There is a save of this name already.
    #[error("there is a save {} already; remove it first", shown(path))]
    Taken {
        /// Its file.
        path: PathBuf,
    },
    /// The slot is open, here or in another copy of the program.
    #[error("the slot is open: {} is locked", shown(lock))]
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// The save is not whole: open it, and copy it then.
    #[error("{}: {error}; open it to mend it, and copy it then", shown(path))]
    Damaged {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        #[source]
        error: ReadError,
    },
    /// The operating system failed.
    #[error(transparent)]
    Disk(#[from] DiskError),
}

impl SaveDir {
    /// The slots that have a save, by name, each with what its save says about itself. A slot whose file is missing beside a
    /// copy of it is one of them.
    ///
    /// # Errors
    /// [`DiskError`] if the folder is there but cannot be listed. A file that is damaged, or cannot be read, is an entry
    /// that says so.
    pub fn list(&self) -> Result<Vec<SlotEntry>, DiskError> {
        let mut entries = Vec::new();
        for name in self.slots()? {
            entries.extend(self.entry(&name, &Slot::new(self.clone(), name.clone()).path()));
        }
        let previous = format!(".previous{ENDING}");
        for file in self.files().list(&self.aside())? {
            let Some(name) = file.strip_suffix(&previous).and_then(|name| Name::new(name).ok()) else {
                continue;
            };
            if entries.iter().all(|entry| entry.name != name) {
                let head = Err(ReadError::new("file", 0, Fault::Missing));
                entries.push(SlotEntry { name, len_bytes: 0, head });
            }
        }
        entries.sort_by(|one, other| one.name.cmp(&other.name));
        Ok(entries)
    }

    /// The slot that was saved last, of those whose save can be told without opening it.
    ///
    /// # Errors
    /// As [`SaveDir::list`].
    pub fn newest(&self) -> Result<Option<SlotEntry>, DiskError> {
        let saved_at = |entry: &SlotEntry| entry.head.as_ref().ok().map(|head| head.state.saved_at_unix_ms);
        let entries = self.list()?.into_iter().filter(|entry| entry.head.is_ok());
        // Of two in the same millisecond the first by name.
        Ok(entries.rev().max_by_key(saved_at))
    }

    /// What is told of a save by its two ends; `None` if there is no file.
    pub(super) fn entry(&self, name: &Name, path: &Path) -> Option<SlotEntry> {
        let unreadable = |error: DiskError| {
            let fault = Fault::Unreadable { why: error.source.to_string() };
            SlotEntry { name: name.clone(), len_bytes: 0, head: Err(ReadError::new("file", 0, fault)) }
        };
        self.entry_of(name, path).unwrap_or_else(|error| Some(unreadable(error)))
    }

    fn entry_of(&self, name: &Name, path: &Path) -> Result<Option<SlotEntry>, DiskError> {
        let Some(len_bytes) = self.files().len(path)? else { return Ok(None) };
        let most = self.limits().max_save_bytes;
        if len_bytes > most as u64 {
            let bytes = usize::try_from(len_bytes).unwrap_or(usize::MAX);
            let head = Err(ReadError::new("file", 0, Fault::TooLarge { bytes, most }));
            return Ok(Some(SlotEntry { name: name.clone(), len_bytes, head }));
        }
        let part = |from: u64, most: usize| {
            let bytes = self.files().read(path, from, most as u64)?;
            Ok::<_, DiskError>(bytes.unwrap_or_default())
        };
        let first = part(0, START_BYTES)?;
        let end = self.room_at(path, len_bytes)?;
        let tail = |most: usize| {
            let from = end.saturating_sub(most as u64);
            part(from, usize::try_from(end - from).unwrap_or(0))
        };
        let mut last = tail(TAIL_BYTES)?;
        let len = usize::try_from(end).unwrap_or(usize::MAX);
        if let Some(needed) = state_bytes(len, &last).ok().filter(|needed| *needed > last.len()) {
            last = tail(needed.min(MAX_TAIL_BYTES))?;
        }
        let head = head_of(len, &first, &last);
        Ok(Some(SlotEntry { name: name.clone(), len_bytes, head }))
    }

    /// Where the room begins that a file ends in; its length if there is none.
    fn room_at(&self, path: &Path, len_bytes: u64) -> Result<u64, DiskError> {
        let (mut end, mut step) = (len_bytes, FOOT_ITEM_BYTES as u64);
        while end > 0 && len_bytes - end < MAX_ROOM_BYTES {
            // A foot may begin before the step in which its last byte lies that is not zero, and end behind it.
            let step_at = end.saturating_sub(step);
            let from = step_at.saturating_sub(FOOT_ITEM_BYTES as u64);
            let part =
                self.files().read(path, from, end - from + FOOT_DIGEST_BYTES as u64)?.unwrap_or_default();
            let before = usize::try_from(step_at - from).unwrap_or(0);
            if part.iter().skip(before).any(|byte| *byte != 0) {
                return Ok(from + without_room(&part).len() as u64);
            }
            (end, step) = (step_at, ROOM_STEP_BYTES);
        }
        Ok(len_bytes)
    }

    /// Copies a slot under another name. The copy is a slot of its own from then on.
    ///
    /// # Durability
    /// When this returns, the copy is on the disk. Cut off before, there is no slot of that name.
    ///
    /// # Errors
    /// [`SlotError`] if there is no whole save to copy, if the other name has a save already, or if that slot is open.
    pub fn copy(&self, from: &str, to: &str) -> Result<Slot, SlotError> {
        let (from, to) = (self.slot(from)?, self.slot(to)?);
        let path = from.path();
        let bytes = self.read(&path)?.ok_or_else(|| SlotError::Missing { path: path.clone() })?;
        let whole = read_within(&bytes, self.limits()).and_then(|file| file.fault.map_or(Ok(()), Err));
        whole.map_err(|error| SlotError::Damaged { path, error })?;
        if !to.hold()? {
            return Err(SlotError::InUse { lock: to.lock_path() });
        }
        for path in [to.path(), to.previous_path()] {
            if self.exists(&path)? {
                return Err(SlotError::Taken { path });
            }
        }
        self.publish(to.name().as_str(), &to.path(), &[&bytes])?;
        Ok(to)
    }

    /// Removes a slot with its pins: its files are set aside, not deleted. Where they are now is told.
    ///
    /// # Durability
    /// When this returns, the slot is gone from the disk too. Cut off before, it is there without the copy before it.
    ///
    /// # Errors
    /// [`SlotError`] if there is no such slot, or if it is open.
    pub fn remove(&self, name: &str) -> Result<Vec<PathBuf>, SlotError> {
        let slot = self.slot(name)?;
        // The copy first: without its file it would be taken for a damaged slot. The pins last: they belong to it.
        let mut files = Vec::new();
        for path in [slot.previous_path(), slot.path()] {
            files.extend(self.exists(&path)?.then_some(path));
        }
        if files.is_empty() {
            return Err(SlotError::Missing { path: slot.path() });
        }
        if !slot.hold()? {
            return Err(SlotError::InUse { lock: slot.lock_path() });
        }
        files.extend(slot.pin_paths()?);
        Ok(self.set_all_aside(slot.name().as_str(), files, "removed")?)
    }
}
