//! Publishes a whole file in place of the existing one. The existing file may be ours as it was left, an older one of
//! ours that somebody put back, a save that ours knows nothing of, or damaged. Only a file that ours continues
//! becomes the backup or makes way for it; every other file is set aside and reported.

use std::path::{Path, PathBuf};

use super::error::{DiskError, failed};
use super::held::{Held, Left, Standing};
use super::saved::{Replaced, SaveError, Saved};
use super::slot::Slot;
use super::there::{Found, There};
use crate::broken::Broken;
use crate::progress::AsideReason;
use crate::progress::reconcile::{Playing, Side, meet};
use crate::save::writer::write_whole;
use crate::save::written::Written;
use crate::save::{Lineage, Stamp};
use crate::snapshot::Snapshot;
use crate::verify::verify_within;

/// How often a file is published again because another program keeps replacing it.
const TRIES: usize = 4;

/// Why a whole file is published.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum How {
    /// For a save; the existing file becomes the backup.
    Whole,
    /// The same; if there is no backup, the new file is its own: without a backup, a lost file would look like a
    /// first run.
    WithCopy,
    /// After an erasure, which must not come back through the backup or another program's save.
    Erasing,
    /// After an earlier erasure; the backup may still contain the data.
    OwingErasing,
}

impl How {
    fn erases(self) -> bool {
        matches!(self, How::Erasing | How::OwingErasing)
    }
}

impl Slot {
    /// Replaces the existing file with a whole new one.
    pub(super) fn publish(
        &self,
        held: &mut Held,
        snapshot: &Snapshot,
        cause: &str,
        how: How,
    ) -> Result<Saved, SaveError> {
        held.owes_erasing |= how == How::Erasing;
        // Before the file that they are in makes way.
        let read = self.with_areas_read(snapshot);
        let snapshot = read.as_ref().map_or(snapshot, |(snapshot, _)| snapshot);
        let mut told = Vec::new();
        for _ in 0..TRIES {
            if let Some(mut saved) = self.publish_once(held, snapshot, cause, how, &mut told)? {
                saved.set_aside.splice(0..0, told);
                saved.lost_areas = read.map_or_else(Vec::new, |(_, lost)| lost);
                return Ok(saved);
            }
        }
        let exchanged = std::io::Error::other("another program keeps replacing the file");
        Err(failed("publishing", &self.path())(exchanged).into())
    }

    /// Returns `None` if another file has taken its place afterwards; files set aside by then are reported.
    fn publish_once(
        &self,
        held: &mut Held,
        snapshot: &Snapshot,
        cause: &str,
        how: How,
        told: &mut Vec<(PathBuf, AsideReason)>,
    ) -> Result<Option<Saved>, SaveError> {
        held.left = None;
        self.hold_on(held)?;
        let (path, previous, limits) = (self.path(), self.previous_path(), self.dir().limits());
        let (file, copy) = (self.file_there(snapshot.schema())?, self.there(&previous, snapshot.schema()));
        // If the file is not intact, or is from before an erasure, the backup counts as the existing save: it may be
        // the only one left.
        let is_of_before = held.is_of_before(file.lineage(), copy.lineage());
        let is_whole = file.lineage().is_some() && !is_of_before;
        let there = if is_whole { &file } else { &copy };
        let standing = match !is_whole && file.holds(held.known.as_ref()) && file.holds(copy.lineage()) {
            // From the line of the file that ours is in, but from more saves ago than ours names.
            true => Some(Standing::Earlier),
            false => there.lineage().map(|there| held.standing(there)),
        };
        let theirs = match (there, standing) {
            (Found::There(there), Some(Standing::Met | Standing::BeforeErasing)) if is_whole => {
                verify_within(&there.bytes, snapshot.schema(), self.dir().key(), limits).ok()
            }
            (Found::There(there), Some(Standing::Strange)) => {
                verify_within(&there.bytes, snapshot.schema(), self.dir().key(), limits).ok()
            }
            _ => None,
        };
        let both = theirs.as_ref().filter(|_| standing == Some(Standing::Strange) && !how.erases());
        let base = both.and_then(|_| self.base_of(held.known.as_ref()?, there, [&file, &copy], snapshot));
        let both = both.map(|theirs| {
            meet(snapshot, theirs.snapshot(), base.as_ref(), Side::Ours, Playing::Ours).snapshot
        });
        let before = joined(held.known.as_ref(), file.lineage(), copy.lineage(), how);
        let mut stamp = Stamp::after(before.as_ref(), self.dir().files().now_unix_ms(), cause);
        stamp.erasures += u64::from(how == How::Erasing);
        let mut written = write_whole(both.as_ref().unwrap_or(snapshot), &stamp, self.dir().wrapping());
        if !written.fits(limits) {
            return Err(SaveError::TooLarge(written.fullness(limits)));
        }
        let mut aside = match file {
            Found::Unusable(why) => self.past_the_unusable(held, why, &copy, &written)?,
            _ => {
                let of_before = is_of_before.then_some(Standing::BeforeErasing);
                self.clear_the_way(held, &file, standing.filter(|_| is_whole).or(of_before), &copy, how)?
            }
        };
        if let (false, Some(Standing::Strange), Found::There(copy)) = (is_whole, standing, &copy) {
            self.keep_the_copy(copy, &mut aside)?;
        }
        if is_whole && how.erases() && standing != Some(Standing::Latest) {
            self.keep_what_gives_way(held, &file, &copy, &mut aside)?;
        }
        held.try_for(&written.lineage);
        if !self.put(&path, &written.parts.all())? && !Broken::ExchangeUnseen.is() {
            told.extend(aside.told);
            return Ok(None);
        }
        self.copy_of(&written, &aside, how)?;
        held.owes_erasing = false;
        let (number, len_bytes) = (stamp.number, written.parts.len());
        let fullness = written.fullness(limits);
        let left = Left::of(&mut written, stamp.saved_at_unix_ms);
        held.has_saved(written, left);
        self.dir().tidy(self.name().as_str());
        let replaced = theirs.filter(|_| standing != Some(Standing::Met)).zip(aside.file).map(
            |(theirs, (set_aside, _))| Replaced {
                set_aside,
                snapshot: theirs.snapshot().clone(),
                base,
                has_met: both.is_some(),
            },
        );
        let set_aside = aside.told;
        let lost_areas = Vec::new();
        Ok(Some(Saved {
            path,
            number,
            len_bytes,
            written_bytes: len_bytes,
            fullness,
            replaced,
            set_aside,
            lost_areas,
        }))
    }

    /// Moves the existing file out of the way, as the backup or aside, so that nothing is lost if the new file is the
    /// last thing that is written.
    fn clear_the_way(
        &self,
        held: &Held,
        file: &Found,
        standing: Option<Standing>,
        copy: &Found,
        how: How,
    ) -> Result<Aside, SaveError> {
        let mut aside = Aside::default();
        self.clear_the_copy(copy, &mut aside)?;
        let why = match (file, standing) {
            (Found::Missing | Found::Unusable(_), _) => return Ok(aside),
            (Found::There(_), None) => AsideReason::Damaged,
            (Found::There(_), Some(Standing::Strange | Standing::Met)) => AsideReason::Replaced,
            (Found::There(_), Some(Standing::BeforeErasing)) => AsideReason::Erased,
            (Found::There(_), Some(Standing::Earlier)) => AsideReason::Older,
            (Found::There(there), Some(Standing::Latest)) => {
                self.becomes_the_copy(there, copy, how, &mut aside)?;
                return Ok(aside);
            }
        };
        if let Found::There(there) = file {
            // A copy, so that the file itself stays intact until the new one replaces it.
            let to = self.dir().free_aside(self.name().as_str(), why.as_str())?;
            self.put(&to, &[&there.bytes])?;
            // A save that was cut off or failed is damage of our own, which was reported already.
            let known = held.known.as_ref().and_then(Lineage::head);
            let is_behind = there.last.is_some() && there.last.as_ref() == known;
            let is_ours = why == AsideReason::Damaged && !held.tried.is_empty() && is_behind;
            aside.told.extend((!is_ours).then(|| (to.clone(), why)));
            aside.file = Some((to, why));
            let is_ours = |head| held.known.as_ref().is_some_and(|known| known.has_been(head));
            let copy = copy.lineage().and_then(Lineage::head);
            aside.copy_gives_way = why == AsideReason::Replaced && copy.is_some_and(is_ours);
        }
        Ok(aside)
    }

    /// Keeps an intact backup that another program saved, unless it was set aside already.
    fn keep_the_copy(&self, copy: &There, aside: &mut Aside) -> Result<(), SaveError> {
        let kept =
            aside.told.iter().find(|(_, why)| *why == AsideReason::Replaced).map(|(path, _)| path.clone());
        let kept = match kept {
            Some(kept) => kept,
            None => {
                let to = self.dir().free_aside(self.name().as_str(), AsideReason::Replaced.as_str())?;
                self.put(&to, &[&copy.bytes])?;
                aside.told.push((to.clone(), AsideReason::Replaced));
                to
            }
        };
        aside.file = Some((kept, AsideReason::Replaced));
        Ok(())
    }

    /// Sets a useless backup aside.
    fn clear_the_copy(&self, copy: &Found, aside: &mut Aside) -> Result<(), SaveError> {
        if let Found::Unusable(why) = copy {
            let to = self.set_aside(&self.previous_path(), why.as_str())?;
            aside.told.push((to, *why));
        }
        Ok(())
    }

    /// Keeps a backup that neither ours nor the file continues, before an erasure replaces it.
    fn keep_what_gives_way(
        &self,
        held: &Held,
        file: &Found,
        copy: &Found,
        aside: &mut Aside,
    ) -> Result<(), SaveError> {
        let (Found::There(file), Found::There(copy)) = (file, copy) else { return Ok(()) };
        let Some(head) = copy.lineage.as_ref().and_then(Lineage::head) else { return Ok(()) };
        let is_ours = held.known.as_ref().is_some_and(|known| known.has_been(head));
        if !is_ours && !file.has_grown_out_of(copy) {
            let to = self.dir().free_aside(self.name().as_str(), AsideReason::Replaced.as_str())?;
            self.put(&to, &[&copy.bytes])?;
            aside.told.push((to, AsideReason::Replaced));
        }
        Ok(())
    }

    /// The existing file cannot be read, and so not copied: the new file becomes the backup as well, before the old
    /// file is moved aside.
    fn past_the_unusable(
        &self,
        held: &Held,
        why: AsideReason,
        copy: &Found,
        written: &Written,
    ) -> Result<Aside, SaveError> {
        let mut aside = Aside::default();
        self.clear_the_copy(copy, &mut aside)?;
        if let Found::There(There { bytes, lineage, .. }) = copy {
            let head = lineage.as_ref().and_then(Lineage::head);
            let is_ours =
                head.is_some_and(|head| held.known.as_ref().is_some_and(|known| known.has_been(head)));
            if !is_ours {
                let to = self.dir().free_aside(self.name().as_str(), AsideReason::Replaced.as_str())?;
                self.put(&to, &[bytes])?;
                aside.told.push((to, AsideReason::Replaced));
            }
        }
        self.put(&self.previous_path(), &written.parts.all())?;
        let to = self.set_aside(&self.path(), why.as_str())?;
        aside.told.push((to, why));
        Ok(aside)
    }

    /// The file becomes the backup if it continues the current one. Otherwise two saves have met: both are kept aside,
    /// and the new file becomes the backup once it is there.
    fn becomes_the_copy(
        &self,
        file: &There,
        copy: &Found,
        how: How,
        aside: &mut Aside,
    ) -> Result<(), SaveError> {
        if let Found::There(copy) = copy {
            let has_grown_out = copy.lineage.is_none() || file.has_grown_out_of(copy);
            let why = match (&copy.lineage, has_grown_out) {
                (None, _) => Some(AsideReason::Damaged),
                (Some(_), false) => Some(AsideReason::Replaced),
                _ => None,
            };
            if let Some(why) = why {
                let to = self.dir().free_aside(self.name().as_str(), why.as_str())?;
                self.put(&to, &[&copy.bytes])?;
                aside.told.push((to, why));
                aside.copy_gives_way = why == AsideReason::Replaced;
            }
            if aside.copy_gives_way && !how.erases() {
                let to = self.dir().free_aside(self.name().as_str(), AsideReason::Replaced.as_str())?;
                self.put(&to, &[&file.bytes])?;
                aside.told.push((to, AsideReason::Replaced));
            }
        }
        if !aside.copy_gives_way && !how.erases() && !Broken::NoPrevious.is() {
            self.put(&self.previous_path(), &[&file.bytes])?;
        }
        Ok(())
    }

    /// Makes the new file its own backup where there is none, or the current one must not stay. If two saves have met,
    /// both files then hold what both had, so neither is lost if a sync program puts an old one back.
    fn copy_of(&self, written: &Written, aside: &Aside, how: How) -> Result<(), DiskError> {
        let is_missing = || self.dir().exists(&self.previous_path()).map(|there| !there);
        let gives_way = how.erases() || aside.copy_gives_way;
        let is_wanted = gives_way || (how == How::WithCopy && is_missing()?);
        if is_wanted && (gives_way || !Broken::NoPrevious.is()) {
            self.put(&self.previous_path(), &written.parts.all())?;
        }
        Ok(())
    }

    /// A removed folder took the lock with it: takes it again; the slot may be open elsewhere by then.
    fn hold_on(&self, held: &mut Held) -> Result<(), SaveError> {
        if self.dir().exists(&self.lock_path())? {
            return Ok(());
        }
        held.unlock();
        match held.lock(self)? {
            true => Ok(()),
            false => Err(SaveError::InUse { lock: self.lock_path() }),
        }
    }

    pub(super) fn put(&self, path: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.dir().publish(self.name().as_str(), path, parts)
    }
}

/// The files that were set aside.
#[derive(Default)]
struct Aside {
    /// The file, if it is a copy of the one that the new file replaces.
    file: Option<(PathBuf, AsideReason)>,
    /// Everything to report.
    told: Vec<(PathBuf, AsideReason)>,
    /// Whether the new file must become the backup as well, because two saves have met.
    copy_gives_way: bool,
}

/// Returns what the next save continues: ours, and the saves in the two places. Its number is higher than all of
/// them. It meets another program's backup, except after an erasure: then nothing of it may come back.
fn joined(
    known: Option<&Lineage>,
    file: Option<&Lineage>,
    copy: Option<&Lineage>,
    how: How,
) -> Option<Lineage> {
    let mut joined = known.or(file).or(copy)?.clone();
    if let Some(file) = file {
        joined.join(file);
    }
    if let Some(copy) = copy {
        let is_of_the_same = copy.created_unix_ms == joined.created_unix_ms;
        let is_earlier = is_of_the_same && (copy.number <= joined.number || copy.has_erased_since(&joined));
        match is_earlier || how.erases() {
            true => joined.join(copy),
            false => joined.number = joined.number.max(copy.number),
        }
    }
    Some(joined)
}
