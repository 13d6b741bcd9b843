//! Opens a large save without its areas: each is read when it is first needed. The file stays open, so they are there
//! even if another program replaces it. What can no longer be read is taken from the backup, if that has the same bytes.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::backend::FileParts;
use super::savedir::SaveDir;
use super::slot::Slot;
use crate::save::LeftOut;
use crate::save::left_out::needed;
use crate::snapshot::{AREA, AreaBytes, Areas, Filed, Schema, Snapshot};
use crate::verify::{Save, Verified, verify_within, verify_without_areas};

/// An area that could not be read when the save was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct LostArea {
    /// The name of its section.
    pub(super) section: Arc<str>,
    /// What it is now: as in the backup, if that has an earlier one.
    pub(super) now: Option<AreaBytes>,
}

impl Slot {
    /// Reads a file without its areas; `None` if it is small, damaged or otherwise to be read as a whole.
    pub(super) fn without_areas(&self, path: &Path, schema: &Arc<Schema>) -> Option<Verified<Save>> {
        let (dir, limits) = (self.dir(), self.dir().limits());
        if schema.areas.is_empty() {
            return None;
        }
        let len_bytes = dir.files().len(path).ok()??;
        if len_bytes <= dir.whole_bytes() || len_bytes > limits.max_save_bytes as u64 {
            return None;
        }
        let parts = dir.files().parts_of(path).ok()??;
        let ends = dir.ends_of(path, len_bytes).ok()?;
        let ranges = needed(ends.len, &ends.last, schema, limits)?;
        // What is left out stays zero. Such memory costs nothing until it is written to.
        let mut bytes = vec![0; ends.len];
        let last = ends.len.checked_sub(ends.last.len())?;
        bytes.get_mut(last..)?.copy_from_slice(&ends.last);
        for range in ranges {
            let read = parts.read(range.start as u64, range.len() as u64).ok()?;
            let place = bytes.get_mut(range).filter(|place| place.len() == read.len())?;
            place.copy_from_slice(&read);
        }
        let (save, left_out) = verify_without_areas(&bytes, schema, dir.key(), limits)?;
        let other = if path == self.path() { self.previous_path() } else { self.path() };
        let file = Arc::new(OpenSave { parts, dir: dir.clone(), other });
        Some(save.with_areas(left_out.into_iter().map(|area| file.area(area))))
    }

    /// Returns a snapshot with all its areas in memory, before its file makes way for another one; `None` if it has
    /// them already. Those that cannot be read are listed.
    pub(super) fn with_areas_read(&self, snapshot: &Snapshot) -> Option<(Snapshot, Vec<LostArea>)> {
        if snapshot.areas.values().all(AreaBytes::is_read) {
            return None;
        }
        let lost = snapshot.areas.iter().filter(|(_, bytes)| bytes.get().is_err());
        let lost: Vec<&Arc<str>> = lost.map(|(section, _)| section).collect();
        let mut backup = self.areas_of_backup(snapshot.schema(), &lost);
        let lost: Vec<LostArea> = lost
            .into_iter()
            .map(|section| LostArea { section: Arc::clone(section), now: backup.remove(section) })
            .collect();
        let mut snapshot = snapshot.clone();
        if !lost.is_empty() {
            let areas = Arc::make_mut(&mut snapshot.areas);
            for LostArea { section, now } in &lost {
                match now {
                    Some(now) => _ = areas.insert(Arc::clone(section), now.clone()),
                    None => _ = areas.remove(section),
                }
            }
        }
        Some((snapshot, lost))
    }

    /// Returns areas as they are in the backup. The copies of visits are not taken: they belong to its run.
    fn areas_of_backup(&self, schema: &Arc<Schema>, wanted: &[&Arc<str>]) -> Areas {
        let (path, limits) = (self.previous_path(), self.dir().limits());
        let whole = || {
            let bytes = self.dir().read(&path).ok().flatten()?;
            verify_within(&bytes, schema, self.dir().key(), limits).ok()
        };
        // Without its areas first: one that is damaged must not hide the others.
        let save = (!wanted.is_empty()).then(|| self.without_areas(&path, schema).or_else(whole)).flatten();
        let areas = save.iter().flat_map(|save| save.snapshot().areas.iter());
        let areas = areas.filter(|(section, bytes)| {
            wanted.contains(section) && section.starts_with(AREA) && bytes.get().is_ok()
        });
        areas.map(|(section, bytes)| (Arc::clone(section), bytes.clone())).collect()
    }
}

/// The file of a save that was opened without its areas.
struct OpenSave {
    parts: Box<dyn FileParts>,
    dir: SaveDir,
    /// The other file of the slot: the backup.
    other: PathBuf,
}

impl OpenSave {
    fn area(self: &Arc<OpenSave>, area: LeftOut) -> (Arc<str>, AreaBytes) {
        let (file, name, digest) = (Arc::clone(self), Arc::from(area.name.as_str()), area.digest);
        let read = Box::new(move || file.read(&area));
        (name, AreaBytes::filed(Filed { digest, read }))
    }

    fn read(&self, area: &LeftOut) -> Result<Vec<u8>, String> {
        let block = self.parts.read(area.offset as u64, area.len_bytes as u64);
        let read = block.map_err(|error| error.to_string());
        let read = read.and_then(|block| area.bytes_of(&block).map_err(|error| error.to_string()));
        read.or_else(|why| {
            let other = self.dir.read(&self.other).ok().flatten();
            other.and_then(|bytes| area.bytes_in(&bytes)).ok_or(why)
        })
    }
}
