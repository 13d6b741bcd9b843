//! Publishes a whole file in place of the existing one. The existing file may be ours as it was left, an older one of
//! ours that somebody put back, a save that ours knows nothing of, or damaged. Only a file that ours continues
//! becomes the backup or makes way for it; every other file is set aside and reported.

use std::path::{Path, PathBuf};

use super::error::{DiskError, failed};
use super::existing::{ExistingFile, Found};
use super::plan::{Act, Place, Seen, Situation};
use super::save_result::{Merged, Replaced, SaveError, Saved};
use super::slot::Slot;
use super::slot_state::{Left, SlotState};
use crate::broken::Broken;
use crate::progress::AsideReason;
use crate::progress::reconcile::merged;
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
    pub(super) fn erases(self) -> bool {
        matches!(self, How::Erasing | How::OwingErasing)
    }
}

impl Slot {
    /// Replaces the existing file with a whole new one.
    pub(super) fn publish(
        &self,
        held: &mut SlotState,
        snapshot: &Snapshot,
        cause: &str,
        how: How,
    ) -> Result<Saved, SaveError> {
        held.owes_erasing |= how == How::Erasing;
        // Before the file that they are in makes way.
        let read = self.with_areas_read(snapshot);
        let snapshot = read.as_ref().map_or(snapshot, |(snapshot, _)| snapshot);
        let mut set_aside = Vec::new();
        for _ in 0..TRIES {
            if let Some(mut saved) = self.publish_once(held, snapshot, cause, how, &mut set_aside)? {
                saved.lost_areas = read.map_or_else(Vec::new, |(_, lost)| lost);
                return Ok(saved);
            }
        }
        let exchanged = std::io::Error::other("another program keeps replacing the file");
        Err(failed("publishing", &self.path())(exchanged).into())
    }

    /// Looks at what is there, decides, and does it. Returns `None` if another file has taken the new one's place
    /// afterwards; files set aside by then are reported.
    fn publish_once(
        &self,
        held: &mut SlotState,
        snapshot: &Snapshot,
        cause: &str,
        how: How,
        set_aside: &mut Vec<(PathBuf, AsideReason)>,
    ) -> Result<Option<Saved>, SaveError> {
        held.left = None;
        self.hold_on(held)?;
        let there = Files {
            file: self.file_there(snapshot.schema())?,
            backup: self.there(&self.previous_path(), snapshot.schema()),
        };
        let situation = there.situation(held, how);
        let plan = situation.plan();
        let limits = self.dir().limits();
        let theirs = plan.replaces.and_then(|place| there.at(place).bytes());
        let theirs =
            theirs.and_then(|bytes| verify_within(bytes, snapshot.schema(), self.dir().key(), limits).ok());
        let merged =
            plan.merges.zip(theirs.as_ref()).map(|(_, theirs)| merged(snapshot, theirs.snapshot()).snapshot);
        let before = joined(held.known.as_ref(), there.file.lineage(), there.backup.lineage(), how);
        let mut stamp = Stamp::after(before.as_ref(), self.dir().files().now_unix_ms(), cause);
        stamp.erasures += u64::from(how == How::Erasing);
        let new = merged.as_ref().unwrap_or(snapshot);
        let mut written = write_whole(new, &stamp, self.dir().wrapping());
        if !written.fits(limits) {
            return Err(SaveError::TooLarge(written.fullness(limits)));
        }
        let mut replaced = None;
        for act in plan.acts {
            if act == Act::New {
                held.note_attempt(&written.lineage);
                if !self.put_over(there.file.bytes(), &written.parts.all())? && !Broken::ExchangeUnseen.is() {
                    return Ok(None);
                }
            } else if let Some((place, kept, why)) = self.carry_out(act, &there, &written)? {
                if plan.replaces == Some(place) {
                    replaced = Some(kept.clone());
                }
                let was_reported =
                    why == AsideReason::Damaged && place == Place::File && situation.is_own_damage;
                set_aside.extend((!was_reported).then_some((kept, why)));
            }
        }
        if how.erases() {
            self.own_files()?
                .iter()
                .try_for_each(|own| self.put(&own.path, &written.parts.all()).map(drop))?;
        }
        self.link_own(held);
        held.owes_erasing = false;
        let (number, len_bytes) = (stamp.number, written.parts.len());
        let fullness = written.fullness(limits);
        let left = Left::of(&mut written, stamp.saved_at_unix_ms);
        held.record_saved(written, left, new);
        self.dir().tidy(self.name().as_str());
        let has_met = merged.is_some();
        let replaced = theirs.zip(replaced).map(|(theirs, set_aside)| Replaced {
            set_aside,
            snapshot: theirs.snapshot().clone(),
            has_met,
        });
        let merged = merged.map(|now| Box::new(Merged { before: snapshot.clone(), now }));
        Ok(Some(Saved {
            path: self.path(),
            number,
            len_bytes,
            written_bytes: len_bytes,
            fullness,
            replaced,
            set_aside: std::mem::take(set_aside),
            lost_areas: Vec::new(),
            merged,
        }))
    }

    /// Does one thing. Returns a file that was set aside: where it was, where it is now, and why.
    fn carry_out(
        &self,
        act: Act,
        there: &Files,
        written: &Written,
    ) -> Result<Option<(Place, PathBuf, AsideReason)>, DiskError> {
        match act {
            Act::CopyAside(place, why) => {
                let to = self.dir().free_aside(self.name().as_str(), why.as_str())?;
                self.put(&to, &[there.at(place).bytes().unwrap_or_default()])?;
                Ok(Some((place, to, why)))
            }
            Act::MoveAside(place, why) => {
                let from = if place == Place::File { self.path() } else { self.previous_path() };
                Ok(Some((place, self.set_aside(&from, why.as_str())?, why)))
            }
            Act::FileToBackup => {
                self.put(&self.previous_path(), &[there.file.bytes().unwrap_or_default()])?;
                Ok(None)
            }
            Act::NewToBackup | Act::New => {
                let to = if act == Act::New { self.path() } else { self.previous_path() };
                self.put(&to, &written.parts.all())?;
                Ok(None)
            }
        }
    }

    /// A removed folder took the lock with it: takes it again; the slot may be open elsewhere by then.
    fn hold_on(&self, held: &mut SlotState) -> Result<(), SaveError> {
        if self.dir().exists(&self.lock_path())? {
            return Ok(());
        }
        held.unlock();
        match held.lock(self)? {
            true => Ok(()),
            false => Err(SaveError::InUse { lock: self.lock_path() }),
        }
    }

    /// Puts a new file in place of the one that was seen. If another program has put one there since, that one is put back, to
    /// be looked at. Returns whether the new file is there.
    fn put_over(&self, seen: Option<&[u8]>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        let (dir, path, name) = (self.dir(), self.path(), self.name().as_str());
        let [beside, replaced] = [(); 2].map(|()| dir.fresh_path(name));
        let stands = dir.files().publish_over(&path, &beside, parts, &replaced)?;
        let Some(unseen) = dir.read(&replaced)? else { return Ok(stands) };
        if Some(&*unseen) == seen {
            let _ = dir.files().remove(&replaced);
            return Ok(stands);
        }
        if stands {
            dir.files().set_aside(&[(replaced, path)])?;
        }
        Ok(false)
    }

    pub(super) fn put(&self, path: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.dir().publish(self.name().as_str(), path, parts)
    }
}

/// What was found in both places.
struct Files {
    file: Found,
    backup: Found,
}

impl Files {
    fn at(&self, place: Place) -> &Found {
        match place {
            Place::File => &self.file,
            Place::Backup => &self.backup,
        }
    }

    /// Returns what the plan depends on.
    fn situation(&self, held: &SlotState, how: How) -> Situation {
        let Files { file, backup } = self;
        let seen = |found: &Found| match found {
            Found::Missing => Seen::Missing,
            Found::Unusable(why) => Seen::Unusable(*why),
            Found::File(there) => {
                there.lineage.as_ref().map_or(Seen::Damaged, |save| Seen::Save(held.relation(save)))
            }
        };
        let known = held.known.as_ref();
        let head_of_backup = backup.lineage().and_then(Lineage::head);
        let predates_backup = held.predates_erasure(file.lineage(), backup.lineage());
        let is_whole = file.lineage().is_some() && !predates_backup;
        let is_last =
            |file: &ExistingFile| file.last.is_some() && file.last.as_ref() == known.and_then(Lineage::head);
        Situation {
            how,
            file: seen(file),
            backup: seen(backup),
            predates_backup,
            continues_backup: match (file, backup) {
                (Found::File(file), Found::File(backup)) => file.continues(backup),
                _ => false,
            },
            ours_continues_backup: head_of_backup
                .zip(known)
                .is_some_and(|(head, known)| known.has_been(head)),
            is_in_line: !is_whole && file.holds(known) && file.holds(backup.lineage()),
            is_own_damage: !held.tried.is_empty() && matches!(file, Found::File(file) if is_last(file)),
        }
    }
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
