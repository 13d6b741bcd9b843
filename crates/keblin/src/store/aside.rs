//! Files that were set aside: their names, which say why, and how long they stay. Nothing that was saved is removed
//! at once. The oldest files are removed when there are many of them and they are old.

use keblin_model::order::sort_by;
use std::path::{Path, PathBuf};

use keblin_model::Name;

use super::error::DiskError;
use super::savedir::{ENDING, FRESH, SaveDir};

/// Why files are set aside: the words in their names.
const REASONS: [&str; 10] = [
    "damaged",
    "replaced",
    "older",
    "unreadable",
    "unfinished",
    "removed",
    "erased",
    "not_migrated",
    "earlier_version",
    REDECLARED,
];

/// Why a save is set aside that another declaration of the same version has written.
pub(super) const REDECLARED: &str = "redeclared";

/// Files that were set aside stay up to this many bytes, at any age.
pub const ASIDE_BYTES: u64 = 256 << 20;

/// Beyond [`ASIDE_BYTES`], a file that was set aside stays for this many days.
pub const ASIDE_DAYS: u64 = 30;

/// Beyond this many bytes, the oldest files that were set aside are removed at any age.
pub const ASIDE_MOST_BYTES: u64 = 2 << 30;

const DAY_MS: u64 = 24 * 60 * 60 * 1000;

/// A file that was set aside.
struct SetAside {
    path: PathBuf,
    slot: String,
    len_bytes: u64,
    written_unix_ms: u64,
}

impl SaveDir {
    /// Returns the folder of everything that is not a slot.
    pub(super) fn aside(&self) -> PathBuf {
        self.folder().join("aside")
    }

    pub(super) fn aside_path(&self, name: &str, why: &str) -> PathBuf {
        self.aside().join(format!("{name}.{why}{ENDING}"))
    }

    /// Returns unused names in `aside` that say why, one after the other.
    pub(super) fn free_asides(
        &self,
        name: &str,
        why: &str,
    ) -> Result<impl FnMut() -> PathBuf + use<'_>, DiskError> {
        let start = format!("{name}.{why}-");
        let number = |file: &String| file.strip_prefix(&start)?.strip_suffix(ENDING)?.parse::<u64>().ok();
        let taken = self.files().list(&self.aside())?.iter().filter_map(number).max();
        let (mut last, name, why) = (taken.unwrap_or(0), name.to_string(), why.to_string());
        Ok(move || {
            last = last.saturating_add(1);
            self.aside_path(&name, &format!("{why}-{last}"))
        })
    }

    /// Returns the first unused name.
    pub(super) fn free_aside(&self, name: &str, why: &str) -> Result<PathBuf, DiskError> {
        Ok(self.free_asides(name, why)?())
    }

    /// Moves files aside under names that say why; returns their new paths.
    pub(super) fn set_all_aside(
        &self,
        name: &str,
        files: Vec<PathBuf>,
        why: &str,
    ) -> Result<Vec<PathBuf>, DiskError> {
        let mut free = self.free_asides(name, why)?;
        let moves: Vec<_> = files.into_iter().map(|file| (file, free())).collect();
        self.files().set_aside(&moves)?;
        Ok(moves.into_iter().map(|(_, to)| to).collect())
    }

    /// Tidies up after a write of a slot whose lock is held: removes what interrupted writes have left, and the
    /// oldest of the files that were set aside if there are too many. Nothing waits for this or depends on it.
    pub(super) fn tidy(&self, name: &str) {
        let Ok(files) = self.files().list(&self.aside()) else { return };
        for file in files.iter().filter(|file| is_left_over(name, file)) {
            let _ = self.files().remove(&self.aside().join(file));
        }
        for path in self.too_much(&files) {
            let _ = self.files().remove(&path);
        }
    }

    /// Returns the files to remove. The newest of each slot stays.
    fn too_much(&self, files: &[String]) -> Vec<PathBuf> {
        let mut set_aside: Vec<SetAside> = files.iter().filter_map(|file| self.seen(file)).collect();
        let mut total: u64 = set_aside.iter().map(|file| file.len_bytes).sum();
        if total <= ASIDE_BYTES {
            return Vec::new();
        }
        sort_by(&mut set_aside, |one, other| one.written_unix_ms.cmp(&other.written_unix_ms));
        let now = self.files().now_unix_ms();
        let mut going = Vec::new();
        for (at, file) in set_aside.iter().enumerate() {
            let is_newest = set_aside.iter().skip(at + 1).all(|later| later.slot != file.slot);
            let is_old = now.saturating_sub(file.written_unix_ms) > ASIDE_DAYS * DAY_MS;
            if !is_newest && ((total > ASIDE_BYTES && is_old) || total > ASIDE_MOST_BYTES) {
                total -= file.len_bytes;
                going.push(file.path.clone());
            }
        }
        going
    }

    /// Parses the name of a file that was set aside; `None` for pins, backups, locks, settings, and other files.
    fn seen(&self, file: &str) -> Option<SetAside> {
        let (slot, why) = file.strip_suffix(ENDING)?.split_once('.')?;
        let (reason, number) = why.rsplit_once('-')?;
        if !REASONS.contains(&reason) || number.parse::<u64>().is_err() || Name::of_file(slot).is_err() {
            return None;
        }
        let path = self.aside().join(file);
        let len_bytes = self.files().len(&path).ok()??;
        let written_unix_ms = self.files().written_unix_ms(&path).ok()??;
        Some(SetAside { path, slot: slot.to_string(), len_bytes, written_unix_ms })
    }
}

/// Returns whether a file was left by an interrupted write of a slot.
fn is_left_over(name: &str, file: &str) -> bool {
    let why = file.strip_prefix(name).and_then(|rest| rest.strip_prefix('.'));
    why.is_some_and(|why| why.starts_with(FRESH) && why.ends_with(ENDING))
}

/// Returns whether a path is a file that is being written, or was left by such a write.
pub(super) fn is_fresh(name: &str, path: &Path) -> bool {
    path.file_name().and_then(|file| file.to_str()).is_some_and(|file| is_left_over(name, file))
}
