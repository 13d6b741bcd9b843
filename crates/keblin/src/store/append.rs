//! Appends a state after the last one of a file, with one sync, and makes a reserve after it for later states.

use super::backend::LeftAt;
use super::error::DiskError;
use super::save_result::{SaveError, Saved};
use super::slot::Slot;
use super::slot_state::{Left, SlotState};
use crate::broken::Broken;
use crate::save::Stamp;
use crate::save::search::is_whole_throughout;
use crate::save::writer::write_after_tail;
use crate::save::written::Written;
use crate::save::{Lineage, read_within};
use crate::snapshot::Snapshot;

/// A file up to this length, in bytes, is appended to however much of it is stale, because reading it is fast.
pub(super) const SMALL_BYTES: usize = 256 << 10;

/// The reserve is made for this many states like the one that is written.
const RESERVE_STATES: usize = 16;

/// The largest reserve that is made at once, in bytes.
const MAX_RESERVE_BYTES: usize = 1 << 20;

/// How old the backup may be if areas of the world have changed since, in milliseconds.
const COPY_MS: u64 = 15 * 60 * 1000;

impl Slot {
    /// Writes a state after the last one. Returns `None` if a whole file must be published instead: too little of
    /// this one is needed, it would become too large, it is not as it was left, it was exchanged, or it is damaged.
    pub(super) fn put_behind(
        &self,
        held: &mut SlotState,
        left: Left,
        snapshot: &Snapshot,
        cause: &str,
    ) -> Result<Option<Saved>, SaveError> {
        let (path, files, limits) = (self.path(), self.dir().files(), self.dir().limits());
        let stamp = Stamp::after(held.known.as_ref(), files.now_unix_ms(), cause);
        let buffer = std::mem::take(&mut held.buffer);
        let from = left.tail.end;
        let mut written = write_after_tail(left.tail, snapshot, &stamp, self.dir().wrapping(), buffer);
        let len_bytes = written.tail.end;
        let is_mostly_stale = len_bytes > SMALL_BYTES && len_bytes > 2 * written.live;
        if is_mostly_stale || !written.fits(limits) {
            return Ok(None);
        }
        held.note_attempt(&written.lineage);
        // Checks as much of the reserve: a state that another program wrote there starts with a mark.
        let last = if Broken::AppendAfterFailure.is() { &[] } else { left.foot.as_slice() };
        let left_at = LeftAt { len: left.len_bytes as u64, end: from as u64, last };
        if !files.append(&path, &left_at, &written.parts.all())? {
            return Ok(None);
        }
        let mut next = Left::of(&mut written, left.copied_unix_ms);
        if let Some(next) = &mut next {
            next.len_bytes = self.make_reserve(left.len_bytes.max(len_bytes), &written);
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
        let (fullness, replaced) = (written.fullness(limits), None);
        let (set_aside, lost_areas, merged) = (Vec::new(), Vec::new(), None);
        held.record_saved(written, next, snapshot);
        Ok(Some(Saved {
            path,
            number,
            len_bytes,
            written_bytes,
            fullness,
            replaced,
            set_aside,
            lost_areas,
            merged,
        }))
    }

    /// Makes a reserve after the last state if the file has none; returns the new length of the file. Even if this
    /// fails, the state before it is saved.
    fn make_reserve(&self, len_bytes: usize, written: &Written) -> usize {
        let (state, end) = (written.parts.len(), written.tail.end);
        // At most to the length where the file is published anew.
        let anew = SMALL_BYTES.max(2 * written.live).min(self.dir().limits().max_save_bytes);
        let reserve = (RESERVE_STATES * state).min(MAX_RESERVE_BYTES).min(anew.saturating_sub(end));
        if len_bytes > end || reserve < state {
            return len_bytes;
        }
        let left_at = LeftAt { len: end as u64, end: end as u64, last: &[] };
        let made = self.dir().files().append(&self.path(), &left_at, &[&vec![0; reserve]]);
        // A partial reserve does no harm, but then the length is unknown: the next save finds another length, and
        // publishes.
        if made.is_ok_and(|made| made) { end + reserve } else { end }
    }

    /// Renews the backup in time. Areas are shared between the states of a file, so a damaged byte can cost all of
    /// these states; then at most this much play is lost. Everything else is in every state. Returns whether the file
    /// was intact, block by block, if it was to be copied.
    fn copy_in_time(&self, left: &mut Left, saved: &Lineage, now_unix_ms: u64) -> Result<bool, DiskError> {
        // Whatever the clock was set to meanwhile.
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
