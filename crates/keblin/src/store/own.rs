//! This machine's own last state of a slot, in the folder that is not synced. A sync program can put any file in place of
//! the slot's: what this machine has saved is still here, and opening merges it. The name of the file has the id under
//! which this machine writes the slot; an id without its file is not used again.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::error::DiskError;
use super::open::{Found, Way};
use super::savedir::ENDING;
use super::slot::Slot;
use super::slot_state::SlotState;
use crate::broken::Broken;
use crate::progress::reconcile::MachineId;
use crate::save::file::without_reserve;
use crate::save::layout::{FOOT_ITEM_BYTES, FOOT_MARK, digest};
use crate::save::writer::write_whole;
use crate::save::{Lineage, Stamp, read_within};
use crate::snapshot::Schema;
use crate::verify::{Save, Verified};

/// The start of the reason in the name of the file.
const OWN: &str = "own-";

/// The end of it while a game runs that may save more.
const OPEN: &str = "-open";

/// A file with this machine's own last state.
pub(super) struct OwnFile {
    pub(super) path: PathBuf,
    /// The id under which it was written.
    writer: u64,
    /// Whether the game that wrote it has not closed the slot: there may have been later saves under that id.
    is_open: bool,
}

impl Slot {
    /// Returns the path of this machine's own last state under an id; while the game runs that may write more under it, another
    /// one.
    fn own_path(&self, writer: u64, is_open: bool) -> PathBuf {
        let open = if is_open { OPEN } else { "" };
        self.aside_path(&format!("{OWN}{writer:016x}-{:08x}{open}", self.here()))
    }

    /// Returns a number that no other folder has, on this machine or on another: files that were copied here are not its own.
    fn here(&self) -> u32 {
        let of = format!("{:016x} {}", self.dir().files().machine(), self.dir().folder().display());
        digest(of.as_bytes()).first_chunk().map_or(0, |start| u32::from_be_bytes(*start))
    }

    /// Returns the files of this machine's own last states. There is more than one only if the game has ended without closing
    /// the slot, or if a file could not be used.
    pub(super) fn own_files(&self) -> Result<Vec<OwnFile>, DiskError> {
        let start = format!("{}.{OWN}", self.name());
        let here = format!("{:08x}", self.here());
        let own = |file: &String| {
            let (writer, place) = file.strip_prefix(&start)?.strip_suffix(ENDING)?.split_once('-')?;
            let is_open = place.ends_with(OPEN);
            let is_here = place.strip_suffix(OPEN).unwrap_or(place) == here;
            let writer = u64::from_str_radix(writer, 16).ok().filter(|_| is_here)?;
            Some(OwnFile { path: self.own_path(writer, is_open), writer, is_open })
        };
        Ok(self.dir().files().list(&self.dir().aside())?.iter().filter_map(own).collect())
    }

    /// Returns the paths of the slot's file, of its backup, and of this machine's own last states.
    pub(super) fn all_paths(&self) -> Result<Vec<PathBuf>, DiskError> {
        let own = self.own_files()?.into_iter().map(|own| own.path);
        Ok([self.path(), self.previous_path()].into_iter().chain(own).collect())
    }

    /// Returns this machine's own last state, if it can be read and the slot's file is another save; the next save is under
    /// its id.
    pub(super) fn own_state(
        &self,
        schema: &Arc<Schema>,
        way: Way,
        is_file_whole: bool,
    ) -> Option<(PathBuf, Verified<Save>)> {
        if Broken::OwnForgotten.is() {
            return None;
        }
        for OwnFile { path, writer, is_open } in self.own_files().unwrap_or_default() {
            let is_as_left = is_file_whole && self.is_as_left(&path);
            let found = if is_as_left { None } else { Some(self.found(&path, schema)) };
            if way == Way::ToPlay && !is_open && matches!(found, None | Some(Found::Whole(_))) {
                self.held().writer = Some(writer);
            }
            match found {
                None => return None,
                Some(Found::Whole(save)) => return Some((path, *save)),
                Some(_) => {}
            }
        }
        None
    }

    /// Returns the id under which this machine has last saved the slot; `None` if it has not.
    #[must_use]
    pub fn machine(&self) -> Option<MachineId> {
        self.own_files().ok()?.last().map(|own| MachineId(own.writer))
    }

    /// Returns the id of this machine, if the slot's file is its own last state.
    pub(super) fn own_writer(&self) -> Option<u64> {
        let own = self.own_files().unwrap_or_default();
        own.iter().find(|own| !own.is_open && self.is_as_left(&own.path)).map(|own| own.writer)
    }

    /// Returns whether the slot's file is the same save as this machine's own last state: as long, with the same end.
    fn is_as_left(&self, own: &Path) -> bool {
        let end = |path: &Path| {
            let len = self.dir().files().len(path).ok()??;
            let from = len.saturating_sub(FOOT_ITEM_BYTES as u64);
            Some((len, self.dir().files().read(path, from, FOOT_ITEM_BYTES as u64).ok()??))
        };
        // A reserve at the end says nothing.
        let is_foot =
            |(_, end): &(u64, Vec<u8>)| end.get(2..).is_some_and(|foot| foot.starts_with(FOOT_MARK));
        end(own).filter(is_foot).is_some_and(|own| Some(own) == end(&self.path()))
    }

    /// Gives the slot's new file a second name, where the system has such names: if a sync program replaces it while the game
    /// runs, and the game does not live to merge it, what was saved is still here.
    pub(super) fn link_own(&self, held: &SlotState) {
        let Some(writer) = held.writer else { return };
        let (files, own) = (self.dir().files(), self.own_path(writer, false));
        let linked = files.link(&self.path(), &self.dir().fresh_path(self.name().as_str()), &own);
        // Without a second name the own last state is from before this save: if the game does not close the slot, its id is not
        // used again.
        let marked = linked.and_then(|linked| match linked || !self.dir().exists(&own)? {
            true => Ok(()),
            false => files.set_aside(&[(own, self.own_path(writer, true))]),
        });
        if let Err(error) = marked {
            log::warn!("keblin: this machine's own last state was not kept: {error}");
        }
    }

    /// Keeps what was last saved as this machine's own last state, as a file of its own: an overwrite of the slot's file
    /// does not reach it.
    pub(super) fn keep_own(&self, held: &SlotState) -> Result<(), DiskError> {
        let (Some(writer), Some(known), Some(last)) = (held.writer, &held.known, &held.last) else {
            return Ok(());
        };
        let path = self.own_path(writer, false);
        let is_linked = self.dir().files().is_linked(&self.path(), &path);
        if self.is_as_left(&path) && !is_linked {
            return Ok(());
        }
        let there = self.dir().read(&self.path())?.unwrap_or_default();
        let is_ours = |bytes: &[u8]| {
            let file = read_within(bytes, self.dir().limits()).ok().filter(|file| file.is_last());
            file.is_some_and(|file| Lineage::of(&file).head() == known.head())
        };
        if is_ours(&there) {
            self.put(&path, &[without_reserve(&there)])?;
        } else {
            let read = self.with_areas_read(last);
            let last = read.as_ref().map_or(last, |(last, _)| last);
            let stamp = Stamp::after(Some(known), self.dir().files().now_unix_ms(), "own");
            self.put(&path, &write_whole(last, &stamp, self.dir().wrapping()).parts.all())?;
        }
        // What they held was merged when the slot was opened.
        for other in self.own_files()?.into_iter().filter(|own| own.path != path) {
            if matches!(self.found(&other.path, last.schema()), Found::Whole(_)) {
                self.dir().files().remove(&other.path)?;
            }
        }
        Ok(())
    }
}
