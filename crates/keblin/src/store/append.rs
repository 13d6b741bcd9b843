//! Appending a state behind the last one of a file, with one sync, and room behind it for those that follow.

use super::backend::LeftAt;
use super::broken::Broken;
use super::error::DiskError;
use super::held::{Held, Left};
use super::saved::{SaveError, Saved};
use super::slot::Slot;
use crate::save::Stamp;
use crate::save::search::is_whole_throughout;
use crate::save::writer::{Written, write_behind_tail};
use crate::save::{Lineage, read_within};
use crate::snapshot::Snapshot;

/// A file up to this length, in bytes, is appended to whatever is stale in it: reading it costs nothing to speak of.
const SMALL_BYTES: usize = 256 << 10;

/// Room is made for so many states like the one that is written.
const ROOM_STATES: usize = 16;

/// The most room that is made at once, in bytes.
const MAX_ROOM_BYTES: usize = 1 << 20;

/// How old the copy before may be when areas of the world have changed since, in milliseconds.
const COPY_MS: u64 = 15 * 60 * 1000;

impl Slot {
    /// Writes a state behind the last one. `None` if a whole file is to be written instead: too little of this one is
    /// needed, it would become too large, it is not as it was left, it was exchanged, or it was found damaged.
    pub(super) fn put_behind(
        &self,
        held: &mut Held,
        left: Left,
        snapshot: &Snapshot,
        cause: &str,
    ) -> Result<Option<Saved>, SaveError> {
        let (path, files, limits) = (self.path(), self.dir().files(), self.dir().limits());
        let stamp = Stamp::after(held.known.as_ref(), files.now_unix_ms(), cause);
        let room = std::mem::take(&mut held.room);
        let from = left.tail.end;
        let mut written = write_behind_tail(left.tail, snapshot, &stamp, self.dir().key(), room);
        let len_bytes = written.tail.end;
        let is_mostly_stale = len_bytes > SMALL_BYTES && len_bytes > 2 * written.live;
        if is_mostly_stale || !written.fits(limits) {
            return Ok(None);
        }
        held.try_for(&written.lineage);
        // With as much of the room: a state that somebody else has written there begins with a mark.
        let last = if Broken::AppendAfterFailure.is() { &[] } else { left.foot.as_slice() };
        let left_at = LeftAt { len: left.len_bytes as u64, end: from as u64, last };
        if !files.append(&path, &left_at, &written.parts.all())? {
            return Ok(None);
        }
        let mut next = Left::of(&mut written, left.copied_unix_ms);
        if let Some(next) = &mut next {
            next.len_bytes = self.make_room(left.len_bytes.max(len_bytes), &written);
        }
        if Broken::AppendAfterFailure.is() {
            held.left.clone_from(&next);
        }
        if !Broken::NoSync.is() && !files.sync(&path)? && !Broken::ExchangeUnseen.is() {
            return Ok(None);
        }
        if let Some(next) = &mut next {
            next.has_new_areas |= left.has_new_areas;
            if !self.copy_in_time(next, &written.lineage, stamp.saved_at_unix_ms)? {
                return Ok(None);
            }
        }
        let (number, written_bytes) = (stamp.number, written.parts.len());
        let (fullness, replaced, set_aside) = (written.fullness(limits), None, Vec::new());
        held.has_saved(written, next);
        Ok(Some(Saved { path, number, len_bytes, written_bytes, fullness, replaced, set_aside }))
    }

    /// Makes room behind the last state of a file of some length if it has none, for states that follow; how long the
    /// file is then. Whatever comes of it, the state before it is what is saved.
    fn make_room(&self, len_bytes: usize, written: &Written) -> usize {
        let (state, end) = (written.parts.len(), written.tail.end);
        // No further than to where the file is written anew.
        let anew = SMALL_BYTES.max(2 * written.live).min(self.dir().limits().max_save_bytes);
        let room = (ROOM_STATES * state).min(MAX_ROOM_BYTES).min(anew.saturating_sub(end));
        if len_bytes > end || room < state {
            return len_bytes;
        }
        let left_at = LeftAt { len: end as u64, end: end as u64, last: &[] };
        let made = self.dir().files().append(&self.path(), &left_at, &[&vec![0; room]]);
        // A part of it is no harm, but then the length is not known: the next save finds another, and publishes.
        if made.is_ok_and(|made| made) { end + room } else { end }
    }

    /// Areas are shared between the states of a file, so that a damaged byte can cost all of them: so much play is lost
    /// then at most. Whatever else is in a state is in every state. Whether the file was whole, block by block, if it was
    /// to be copied.
    fn copy_in_time(&self, left: &mut Left, saved: &Lineage, now_unix_ms: u64) -> Result<bool, DiskError> {
        // However the clock was set meanwhile.
        if !left.has_new_areas || left.copied_unix_ms.abs_diff(now_unix_ms) < COPY_MS {
            return Ok(true);
        }
        let Ok(Some(bytes)) = self.dir().read(&self.path()) else { return Ok(false) };
        let limits = self.dir().limits();
        let is_it = || {
            let last = read_within(&bytes, limits).ok().filter(|file| file.is_last());
            last.is_some_and(|file| Some(&file.head.digest) == saved.head())
        };
        let is_whole = is_whole_throughout(&bytes, limits) && is_it();
        if !is_whole && !Broken::CopyUnverified.is() {
            return Ok(false);
        }
        self.put(&self.previous_path(), &[&bytes])?;
        (left.copied_unix_ms, left.has_new_areas) = (now_unix_ms, false);
        Ok(true)
    }
}
