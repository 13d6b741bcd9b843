//! The list of slots, and operations on whole slots. The list reads only the two ends of each file, so it is fast
//! even if saves are large. If a file ends in a reserve, that is searched too, from its end.

use keblin_model::order::sort_by;
use std::path::{Path, PathBuf};

use keblin_model::Name;
use thiserror::Error;

use super::error::{DiskError, shown};
use super::savedir::{ENDING, SaveDir, SlotNameError};
use super::slot::Slot;
use crate::save::file::without_reserve;
use crate::save::head::{SlotHead, head_of, state_bytes};
use crate::save::layout::{FOOT_DIGEST_BYTES, FOOT_ITEM_BYTES};
use crate::save::{Fault, ReadError, read_within};

/// How many bytes of the start of a file are read for the list: the header is shorter.
const START_BYTES: usize = 512;

/// How many bytes of the end are read first: most states are shorter.
const TAIL_BYTES: usize = 4096;

/// The longest state that the list reads, in bytes: the table of a large world is most of it.
const MAX_TAIL_BYTES: usize = 64 << 20;

/// The largest reserve that the list searches, in bytes. Reserves are made smaller than this.
const MAX_RESERVE_BYTES: u64 = 4 << 20;

/// How many bytes at a time are searched for the start of the reserve.
const RESERVE_STEP_BYTES: u64 = 64 << 10;

/// A slot that has a save, in a list of slots.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SlotEntry {
    /// Its name.
    pub name: Name,
    /// The length of its file.
    pub len_bytes: u64,
    /// The head of its save; or why it cannot be read without opening the slot.
    pub head: Result<SlotHead, ReadError>,
}

/// Why a slot could not be copied or removed. Nothing was changed.
#[derive(Error)]
#[non_exhaustive]
pub enum SlotError {
    /// The name is not valid.
    #[error(transparent)]
    Name(#[from] SlotNameError),
    /// There is no save of this name.
    #[error("save {} not found", shown(path))]
    Missing {
        /// The missing file.
        path: PathBuf,
    },
    /// There is a save of this name already.
    #[error("save {} exists already; remove it first", shown(path))]
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
    /// The save is damaged: open the slot once to repair it, then copy it.
    #[error("{}: {error}; open the slot once to repair it, then copy it", shown(path))]
    Damaged {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        #[source]
        error: ReadError,
    },
    /// The operating system returned an error.
    #[error(transparent)]
    Disk(#[from] DiskError),
}

keblin_model::debug_as_display!(SlotError);

/// The two ends of a file.
pub(super) struct Ends {
    /// The first bytes.
    pub(super) first: Vec<u8>,
    /// The last bytes before the reserve, with the whole last state.
    pub(super) last: Vec<u8>,
    /// The length of the file without the reserve.
    pub(super) len: usize,
}

impl SaveDir {
    /// Returns the slots that have a save, by name, each with the head of its save. A slot with only a backup is
    /// included.
    ///
    /// # Errors
    /// [`DiskError`] if the folder exists but cannot be listed. A file that is damaged or cannot be read is an entry
    /// that says so.
    pub fn list(&self) -> Result<Vec<SlotEntry>, DiskError> {
        let mut entries = Vec::new();
        for name in self.slots()? {
            entries.extend(self.entry(&name, &Slot::new(self.clone(), name.clone()).path()));
        }
        let previous = format!(".previous{ENDING}");
        for file in self.files().list(&self.aside())? {
            let Some(name) = file.strip_suffix(&previous).and_then(|name| Name::of_file(name).ok()) else {
                continue;
            };
            if entries.iter().all(|entry| entry.name != name) {
                let head = Err(ReadError::new("file", 0, Fault::Missing));
                entries.push(SlotEntry { name, len_bytes: 0, head });
            }
        }
        sort_by(&mut entries, |one, other| one.name.cmp(&other.name));
        Ok(entries)
    }

    /// Returns the slot that was saved last, among those whose head can be read without opening them.
    ///
    /// # Errors
    /// As [`SaveDir::list`].
    pub fn newest(&self) -> Result<Option<SlotEntry>, DiskError> {
        let saved_at = |entry: &SlotEntry| entry.head.as_ref().ok().map(|head| head.state.saved_at_unix_ms);
        let entries = self.list()?.into_iter().filter(|entry| entry.head.is_ok());
        // Of two in the same millisecond, the first by name.
        Ok(entries.rev().max_by_key(saved_at))
    }

    /// Returns the entry of a save, from its two ends; `None` if the file does not exist.
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
        let Ends { first, last, len } = self.ends_of(path, len_bytes)?;
        let head = head_of(len, &first, &last);
        Ok(Some(SlotEntry { name: name.clone(), len_bytes, head }))
    }

    /// Reads the two ends of a file: the header, and the last state.
    pub(super) fn ends_of(&self, path: &Path, len_bytes: u64) -> Result<Ends, DiskError> {
        let part = |from: u64, most: usize| {
            let bytes = self.files().read(path, from, most as u64)?;
            Ok::<_, DiskError>(bytes.unwrap_or_default())
        };
        let first = part(0, START_BYTES)?;
        let end = self.reserve_at(path, len_bytes)?;
        let tail = |most: usize| {
            let from = end.saturating_sub(most as u64);
            part(from, usize::try_from(end - from).unwrap_or(0))
        };
        let mut last = tail(TAIL_BYTES)?;
        let len = usize::try_from(end).unwrap_or(usize::MAX);
        if let Some(needed) = state_bytes(len, &last).ok().filter(|needed| *needed > last.len()) {
            last = tail(needed.min(MAX_TAIL_BYTES))?;
        }
        Ok(Ends { first, last, len })
    }

    /// Returns where the reserve at the end of a file starts; the file's length if there is none.
    fn reserve_at(&self, path: &Path, len_bytes: u64) -> Result<u64, DiskError> {
        let (mut end, mut step) = (len_bytes, FOOT_ITEM_BYTES as u64);
        while end > 0 && len_bytes - end < MAX_RESERVE_BYTES {
            // A foot may start before the step that contains its last nonzero byte, and end after it.
            let step_at = end.saturating_sub(step);
            let from = step_at.saturating_sub(FOOT_ITEM_BYTES as u64);
            let part =
                self.files().read(path, from, end - from + FOOT_DIGEST_BYTES as u64)?.unwrap_or_default();
            let before = usize::try_from(step_at - from).unwrap_or(0);
            if part.iter().skip(before).any(|byte| *byte != 0) {
                return Ok(from + without_reserve(&part).len() as u64);
            }
            (end, step) = (step_at, RESERVE_STEP_BYTES);
        }
        Ok(len_bytes)
    }

    /// Copies a slot to another name. The copy is an independent slot.
    ///
    /// # Durability
    /// When this returns, the copy is on the disk. If cut off before, there is no slot of that name.
    ///
    /// # Errors
    /// [`SlotError`] if there is no intact save to copy, if the other name has a save already, or if that slot is
    /// open.
    pub fn copy(&self, from: &str, to: &str) -> Result<Slot, SlotError> {
        let (from, to) = (self.slot(from)?, self.slot(to)?);
        let path = from.path();
        let bytes = self.read(&path)?.ok_or_else(|| SlotError::Missing { path: path.clone() })?;
        let whole = read_within(&bytes, self.limits()).and_then(|file| file.fault.map_or(Ok(()), Err));
        whole.map_err(|error| SlotError::Damaged { path, error })?;
        if !to.hold()? {
            return Err(SlotError::InUse { lock: to.lock_path() });
        }
        for path in to.all_paths()? {
            if self.exists(&path)? {
                return Err(SlotError::Taken { path });
            }
        }
        self.publish(to.name().as_str(), &to.path(), &[&bytes])?;
        Ok(to)
    }

    /// Renames a slot, with its pins. Its backup and this machine's own last state are set aside: the next save and the next
    /// closing make others. What
    /// players read in a list is the slot's title ([`Play::set_title`](crate::Play::set_title)), which stays.
    ///
    /// # Durability
    /// When this returns, the slot has its new name on the disk too. If cut off before, it has one of the two names, and
    /// pins may still have the old one: another call moves them.
    ///
    /// # Errors
    /// [`SlotError`] if the slot does not have a save, if the other name has a save or such a pin already, or if one of
    /// the two is open.
    pub fn rename(&self, from: &str, to: &str) -> Result<Slot, SlotError> {
        let (from, to) = (self.slot(from)?, self.slot(to)?);
        if from.name() == to.name() {
            return match self.exists(&from.path())? {
                true => Ok(to),
                false => Err(SlotError::Missing { path: from.path() }),
            };
        }
        for slot in [&from, &to] {
            if !slot.hold()? {
                return Err(SlotError::InUse { lock: slot.lock_path() });
            }
        }
        let pins = from.pin_paths_in(&to)?;
        for (_, path) in &pins {
            if self.exists(path)? {
                return Err(SlotError::Taken { path: path.clone() });
            }
        }
        if self.exists(&from.path())? {
            for path in to.all_paths()? {
                if self.exists(&path)? {
                    return Err(SlotError::Taken { path });
                }
            }
            // The file last: without it the slot would look damaged.
            let mut others = from.all_paths()?;
            others.retain(|path| *path != from.path() && matches!(self.exists(path), Ok(true)));
            if !others.is_empty() {
                self.set_all_aside(from.name().as_str(), others, "renamed")?;
            }
            self.files().set_aside(&[(from.path(), to.path())])?;
        } else if pins.is_empty() || self.exists(&from.previous_path())? || !self.exists(&to.path())? {
            // Only pins without a slot are what an interrupted call has left.
            return Err(SlotError::Missing { path: from.path() });
        }
        self.files().set_aside(&pins)?;
        from.release();
        Ok(to)
    }

    /// Removes a slot with its pins: its files are set aside, not deleted. Returns their new paths.
    ///
    /// # Durability
    /// When this returns, the slot is removed from the disk too. If cut off before, it still exists, without its
    /// backup.
    ///
    /// # Errors
    /// [`SlotError`] if there is no such slot, or if it is open.
    pub fn remove(&self, name: &str) -> Result<Vec<PathBuf>, SlotError> {
        let slot = self.slot(name)?;
        // The backup first: without its file the slot would look damaged. The pins last: they belong to the slot.
        let mut files = Vec::new();
        for path in slot.all_paths()?.into_iter().rev() {
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
