//! Saving a slot, in two ways. A whole file is *published*: written beside the old one, synced, and put in its place in one
//! step. Another state is *appended* behind the last one, with one sync. Nothing is appended to a file that anything
//! failed on, or that is not as it was left: the next save publishes.

use std::fmt;
use std::path::{Path, PathBuf};

use keblin_schema::Schema;

use super::backend::LeftAt;
use super::disk::DiskError;
use super::slot::{Held, Slot};
use crate::progress::Progress;
use crate::save::decode::of_this_game;
use crate::save::layout::FOOT_ITEM_BYTES;
use crate::save::writer::{Tail, Written, write_behind_tail, write_whole};
use crate::save::{Lineage, ReadError, Stamp, read};
use crate::snapshot::Snapshot;
use crate::verify::verify_sealed;

/// A file up to this length, in bytes, is appended to whatever is stale in it: reading it costs nothing to speak of.
const SMALL_BYTES: usize = 256 << 10;

/// Room is made for so many states like the one that is written.
const ROOM_STATES: usize = 16;

/// The most room that is made at once, in bytes.
const MAX_ROOM_BYTES: usize = 1 << 20;

/// How old the copy before may be when areas of the world have changed since, in milliseconds.
const COPY_MS: u64 = 15 * 60 * 1000;

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
    /// What somebody else had saved in place of ours meanwhile.
    pub replaced: Option<Replaced>,
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
    /// Another copy of the program, or another [`Slot`] in this one, has the slot open.
    InUse {
        /// The lock.
        lock: PathBuf,
    },
    /// There is no slot to save to: it is only looked at, or the game keeps the bytes itself.
    OnlyLooking,
    /// The operating system failed.
    Disk(DiskError),
}

impl From<DiskError> for SaveError {
    fn from(error: DiskError) -> SaveError {
        SaveError::Disk(error)
    }
}

impl fmt::Display for SaveError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            SaveError::Refused { path, error } => write!(f, "not saved over {}: {error}", path.display()),
            SaveError::InUse { lock } => {
                write!(f, "not saved: the slot is open elsewhere, {} is locked", lock.display())
            }
            SaveError::OnlyLooking => write!(f, "not saved: the slot is only being looked at"),
            SaveError::Disk(error) => write!(f, "not saved: {error}"),
        }
    }
}

impl std::error::Error for SaveError {}

/// A file as it was left.
#[derive(Clone, Debug)]
pub(super) struct Left {
    /// What the next state goes behind.
    tail: Tail,
    /// The length of the file in bytes, with the room behind its last state.
    len_bytes: usize,
    /// The last bytes of its last state, which say how long that is, its number and the start of its digest.
    foot: Vec<u8>,
    /// When the copy before was last written, in milliseconds since 1970.
    copied_unix_ms: u64,
    /// Whether areas of the world have changed since.
    has_new_areas: bool,
}

impl Left {
    /// What is left by a save; the copy before it was written at that time.
    pub(super) fn of(written: &mut Written, copied_unix_ms: u64) -> Option<Left> {
        let foot = written.parts.last::<FOOT_ITEM_BYTES>()?.to_vec();
        let (tail, has_new_areas) = (written.tail.take(), written.has_new_areas);
        Some(Left { len_bytes: tail.end, tail, foot, copied_unix_ms, has_new_areas })
    }
}

/// What is taken over from a save that stands in place of ours.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Meeting {
    Records,
    /// What was erased must not come back by it.
    Nothing,
}

impl Slot {
    /// Saves a snapshot as a whole file. The save that is there becomes the copy before it; a damaged one is set aside.
    ///
    /// # Durability
    /// When this returns, the save is on the disk: its bytes and its name were synced, as far as the operating system
    /// and the disk keep their word. Cut off at any instant, the slot opens with this save or the one before.
    ///
    /// # Errors
    /// [`SaveError::Refused`] if the file there is of another game or a newer version, [`SaveError::InUse`] if another
    /// copy of the program has the slot open, [`SaveError::Disk`] if the disk is full, read-only or gone. Then what was
    /// there is still there.
    pub fn save(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let mut held = self.to_save()?;
        let saved = self.publish(&mut held, snapshot, cause, Meeting::Records)?;
        self.dir().save_settings(snapshot)?;
        Ok(saved)
    }

    /// Saves a snapshot behind the last state of the file, with one sync, if the file is as this [`Slot`] left it at its
    /// last save; as a whole file otherwise, and when more than half of a file beyond 256 KiB is no longer needed. For
    /// games that save often; the file grows until then, and every state in it stays readable. It grows by room for a
    /// number of states, because a sync takes longer where it must also bring a new length to the disk.
    ///
    /// # Durability
    /// As [`Slot::save`].
    ///
    /// # Errors
    /// As [`Slot::save`]. After one, the next save is a whole file.
    pub fn append(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let mut held = self.to_save()?;
        if held.owes_erasing {
            return self.publish_erased(&mut held, snapshot, cause);
        }
        // Taken out, and put back only when everything went well.
        let saved = match held.left.take() {
            Some(left) => self.put_behind(&mut held, left, snapshot, cause)?,
            None => None,
        };
        let saved = match saved {
            Some(saved) => saved,
            None => self.publish(&mut held, snapshot, cause, Meeting::Records)?,
        };
        self.keep_a_copy(&saved)?;
        self.dir().save_settings(snapshot)?;
        Ok(saved)
    }

    /// Saves a snapshot from which something was erased, so that damage cannot bring it back: the copy before it is
    /// replaced as well. Files that were set aside stay as they are.
    ///
    /// # Durability
    /// As [`Slot::save`]. Cut off between the two files, the slot opens with the new save, and the copy is still the
    /// old one; the next save of this [`Slot`] replaces it.
    ///
    /// # Errors
    /// As [`Slot::save`].
    pub fn save_erased(&self, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        let mut held = self.to_save()?;
        let saved = self.publish_erased(&mut held, snapshot, cause)?;
        self.dir().save_settings(snapshot)?;
        Ok(saved)
    }

    pub(super) fn to_save(&self) -> Result<std::sync::MutexGuard<'_, Held>, SaveError> {
        let mut held = self.held();
        match held.lock(self)? {
            true => Ok(held),
            false => Err(SaveError::InUse { lock: self.lock_path() }),
        }
    }

    /// Writes a state behind the last one; `None`, and nothing is written, if too little of the file is needed, or it is
    /// not as it was left.
    fn put_behind(
        &self,
        held: &mut Held,
        left: Left,
        snapshot: &Snapshot,
        cause: &str,
    ) -> Result<Option<Saved>, SaveError> {
        let (path, files) = (self.path(), self.dir().files());
        let stamp = Stamp::after(held.known.as_ref(), files.now_unix_ms(), cause);
        let room = std::mem::take(&mut held.room);
        let from = left.tail.end;
        let mut written = write_behind_tail(left.tail, snapshot, &stamp, self.dir().key(), room);
        let len_bytes = written.tail.end;
        if len_bytes > SMALL_BYTES && len_bytes > 2 * written.live {
            return Ok(None);
        }
        held.try_for(&written.lineage);
        // With as much of the room: a state that somebody else has written there begins with a mark.
        let last = if cfg!(keblin_fault = "append_after_failure") { &[] } else { left.foot.as_slice() };
        let left_at = LeftAt { len: left.len_bytes as u64, end: from as u64, last };
        if !files.append(&path, &left_at, &written.parts.all())? {
            return Ok(None);
        }
        let mut next = Left::of(&mut written, left.copied_unix_ms);
        if let Some(next) = &mut next {
            next.len_bytes = self.make_room(left.len_bytes.max(len_bytes), &written);
        }
        if cfg!(keblin_fault = "append_after_failure") {
            held.left.clone_from(&next);
        }
        if !cfg!(keblin_fault = "no_sync") {
            files.sync(&path)?;
        }
        if let Some(next) = &mut next {
            next.has_new_areas |= left.has_new_areas;
            self.copy_in_time(next, stamp.saved_at_unix_ms)?;
        }
        let (number, written_bytes) = (stamp.number, written.parts.len());
        held.has_saved(written, next);
        Ok(Some(Saved { path, number, len_bytes, written_bytes, replaced: None }))
    }

    /// Makes room behind the last state of a file of some length if it has none, for states that follow; how long the
    /// file is then. Whatever comes of it, the state before it is what is saved.
    fn make_room(&self, len_bytes: usize, written: &Written) -> usize {
        let (state, end) = (written.parts.len(), written.tail.end);
        // No further than to where the file is written anew.
        let most = SMALL_BYTES.max(2 * written.live).saturating_sub(end);
        let room = (ROOM_STATES * state).min(MAX_ROOM_BYTES).min(most);
        if len_bytes > end || room < state {
            return len_bytes;
        }
        let left_at = LeftAt { len: end as u64, end: end as u64, last: &[] };
        let made = self.dir().files().append(&self.path(), &left_at, &[&vec![0; room]]);
        // A part of it is no harm, but then the length is not known: the next save finds another, and publishes.
        if made.is_ok_and(|made| made) { end + room } else { end }
    }

    /// Areas are shared between the states of a file, so that a damaged byte can cost all of them: so much play is lost
    /// then at most. Whatever else is in a state is in every state.
    fn copy_in_time(&self, left: &mut Left, now_unix_ms: u64) -> Result<(), DiskError> {
        // However the clock was set meanwhile.
        if left.has_new_areas && left.copied_unix_ms.abs_diff(now_unix_ms) >= COPY_MS {
            let bytes = self.dir().read(&self.path())?.unwrap_or_default();
            self.put(&self.previous_path(), &[&bytes])?;
            (left.copied_unix_ms, left.has_new_areas) = (now_unix_ms, false);
        }
        Ok(())
    }

    /// Puts a whole file in place of what is there.
    fn publish(
        &self,
        held: &mut Held,
        snapshot: &Snapshot,
        cause: &str,
        meeting: Meeting,
    ) -> Result<Saved, SaveError> {
        held.left = None;
        self.hold_on(held)?;
        let (path, schema, key) = (self.path(), snapshot.schema(), self.dir().key());
        let (there, previous) = (self.dir().read(&path)?, self.dir().read(&self.previous_path())?);
        let of_file = match &there {
            Some(bytes) => self.state_of(bytes, &path, schema)?,
            None => None,
        };
        let is_theirs = of_file.as_ref().is_some_and(|file| held.is_strange(file));
        let theirs = there.as_deref().filter(|_| is_theirs);
        let theirs = theirs.and_then(|bytes| verify_sealed(bytes, schema, key).ok());
        let both = theirs.as_ref().filter(|_| meeting == Meeting::Records).map(|theirs| {
            let mut both = Progress::view(snapshot);
            both.reconcile(theirs.snapshot());
            both.snapshot()
        });
        // A copy, so that the file itself is there and whole until the new one takes its place. Only a file that is
        // ours and whole to its end may take the place of the copy before it.
        let name = self.name().as_str();
        let aside = match (&of_file, &theirs) {
            (Some(_), None) => self.previous_path(),
            (Some(_), Some(_)) => self.dir().free_aside(name, "replaced")?,
            (None, _) => self.dir().free_aside(name, "damaged")?,
        };
        let of_copy = previous.as_deref().and_then(|bytes| read(bytes).ok().map(|file| Lineage::of(&file)));
        // The latest; of equals the file itself, which max_by_key finds last.
        let known = [held.known.clone(), of_copy, of_file].into_iter().flatten();
        let before = known.max_by_key(|lineage| lineage.number);
        let stamp = Stamp::after(before.as_ref(), self.dir().files().now_unix_ms(), cause);
        let mut written = write_whole(both.as_ref().unwrap_or(snapshot), &stamp, key);
        if let Some(bytes) = there.filter(|_| !cfg!(keblin_fault = "no_previous")) {
            self.put(&aside, &[&bytes])?;
        }
        held.try_for(&written.lineage);
        self.put(&path, &written.parts.all())?;
        let (number, len_bytes) = (stamp.number, written.parts.len());
        let left = Left::of(&mut written, stamp.saved_at_unix_ms);
        held.has_saved(written, left);
        let replaced = theirs.map(|theirs| Replaced {
            set_aside: aside,
            snapshot: theirs.snapshot().clone(),
            has_met: both.is_some(),
        });
        Ok(Saved { path, number, len_bytes, written_bytes: len_bytes, replaced })
    }

    /// A folder that was removed took the lock with it: it is taken again, and the slot may be open elsewhere by then.
    fn hold_on(&self, held: &mut Held) -> Result<(), SaveError> {
        if self.dir().exists(&self.lock_path())? {
            return Ok(());
        }
        held.let_go();
        match held.lock(self)? {
            true => Ok(()),
            false => Err(SaveError::InUse { lock: self.lock_path() }),
        }
    }

    fn publish_erased(&self, held: &mut Held, snapshot: &Snapshot, cause: &str) -> Result<Saved, SaveError> {
        held.owes_erasing = true;
        let saved = self.publish(held, snapshot, cause, Meeting::Nothing)?;
        if let Some(bytes) = self.dir().read(&saved.path)? {
            self.put(&self.previous_path(), &[&bytes])?;
        }
        held.owes_erasing = false;
        Ok(saved)
    }

    /// Without a copy before it a file that is lost would be a first run: the first file of a slot is its own copy.
    fn keep_a_copy(&self, saved: &Saved) -> Result<(), DiskError> {
        let is_whole = saved.written_bytes == saved.len_bytes && !cfg!(keblin_fault = "no_previous");
        if is_whole && !self.dir().exists(&self.previous_path())? {
            let bytes = self.dir().read(&saved.path)?.unwrap_or_default();
            self.put(&self.previous_path(), &[&bytes])?;
        }
        Ok(())
    }

    fn put(&self, path: &Path, parts: &[&[u8]]) -> Result<(), DiskError> {
        self.dir().publish(self.name().as_str(), path, parts)
    }

    /// What a file has been until now: its last state, or nothing if it is not whole to its end. An error if it is not
    /// ours to replace.
    fn state_of(&self, bytes: &[u8], path: &Path, schema: &Schema) -> Result<Option<Lineage>, SaveError> {
        let refused = |error| SaveError::Refused { path: path.to_path_buf(), error };
        match read(bytes) {
            Ok(file) => {
                of_this_game(&file, schema).map_err(refused)?;
                Ok(file.is_last().then(|| Lineage::of(&file)))
            }
            Err(error) if error.is_refusal() => Err(refused(error)),
            Err(_) => Ok(None),
        }
    }
}
