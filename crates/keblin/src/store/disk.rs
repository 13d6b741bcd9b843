//! The calls to the operating system, each with its path in the error. The only file that writes, renames or looks at
//! the clock.

#![expect(clippy::disallowed_methods, reason = "this is the one place for files and the clock")]

use std::fmt;
use std::fs::{self, File, OpenOptions, TryLockError};
use std::io::{self, ErrorKind, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::time::{SystemTime, UNIX_EPOCH};

use crate::save::layout::MAX_SAVE_BYTES;

/// A call to the operating system that failed.
#[derive(Debug)]
pub struct DiskError {
    /// What was being done.
    pub doing: &'static str,
    /// To what.
    pub path: PathBuf,
    /// Why it failed.
    pub source: io::Error,
}

impl fmt::Display for DiskError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}: {}", self.doing, self.path.display(), self.source)
    }
}

impl std::error::Error for DiskError {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        Some(&self.source)
    }
}

impl DiskError {
    /// Whether it failed because nothing may be written there.
    pub(super) fn is_read_only(&self) -> bool {
        matches!(self.source.kind(), ErrorKind::PermissionDenied | ErrorKind::ReadOnlyFilesystem)
    }
}

fn failed(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> DiskError {
    let path = path.to_path_buf();
    move |source| DiskError { doing, path, source }
}

/// Milliseconds since 1970; 0 on a clock that stands before.
pub(super) fn now_unix_ms() -> u64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    u64::try_from(since.as_millis()).unwrap_or(u64::MAX)
}

/// The bytes of a file, `None` if there is none. A file too large to be a save is read only so far that this is seen.
pub(super) fn read(path: &Path) -> Result<Option<Vec<u8>>, DiskError> {
    let file = match File::open(path) {
        Ok(file) => file,
        Err(error) if error.kind() == ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(failed("opening", path)(error)),
    };
    let mut bytes = Vec::new();
    file.take(MAX_SAVE_BYTES as u64 + 1).read_to_end(&mut bytes).map_err(failed("reading", path))?;
    Ok(Some(bytes))
}

/// Makes a folder and those above it.
pub(super) fn create_folder(path: &Path) -> Result<(), DiskError> {
    fs::create_dir_all(path).map_err(failed("making the folder", path))
}

/// The names of the files in a folder; none if there is no folder.
pub(super) fn list(path: &Path) -> Result<Vec<String>, DiskError> {
    let entries = match fs::read_dir(path) {
        Ok(entries) => entries,
        Err(error) if error.kind() == ErrorKind::NotFound => return Ok(Vec::new()),
        Err(error) => return Err(failed("listing", path)(error)),
    };
    let mut names = Vec::new();
    for entry in entries {
        let entry = entry.map_err(failed("listing", path))?;
        names.extend(entry.file_name().into_string());
    }
    names.sort();
    Ok(names)
}

/// Writes bytes to a new file and brings them to the disk. What stood under that name, a leftover of a broken write, is
/// overwritten.
pub(super) fn write_synced(path: &Path, bytes: &[u8]) -> Result<(), DiskError> {
    let mut options = OpenOptions::new();
    let mut file =
        options.write(true).create(true).truncate(true).open(path).map_err(failed("creating", path))?;
    file.write_all(bytes).map_err(failed("writing", path))?;
    file.sync_all().map_err(failed("syncing", path))
}

/// Puts a file in the place of another in one step, then brings the folder's entries to the disk.
pub(super) fn replace(from: &Path, to: &Path) -> Result<(), DiskError> {
    fs::rename(from, to).map_err(failed("renaming", from))?;
    for folder in [from.parent(), to.parent()].into_iter().flatten() {
        sync_folder(folder)?;
    }
    Ok(())
}

/// Brings the entries of a folder to the disk.
#[cfg(unix)]
fn sync_folder(folder: &Path) -> Result<(), DiskError> {
    File::open(folder).and_then(|folder| folder.sync_all()).map_err(failed("syncing the folder", folder))
}

/// Elsewhere a folder cannot be opened as a file; the rename itself is what can be had.
#[cfg(not(unix))]
fn sync_folder(_folder: &Path) -> Result<(), DiskError> {
    Ok(())
}

/// Locks a file, which is made if it is not there; `None` if somebody else has it locked. Dropping the file gives it up.
pub(super) fn lock(path: &Path) -> Result<Option<File>, DiskError> {
    let mut options = OpenOptions::new();
    let file =
        options.write(true).create(true).truncate(false).open(path).map_err(failed("opening", path))?;
    match file.try_lock() {
        Ok(()) => Ok(Some(file)),
        Err(TryLockError::WouldBlock) => Ok(None),
        Err(TryLockError::Error(error)) => Err(failed("locking", path)(error)),
    }
}

/// The length of a file and its bytes at both ends: so many from the start, and so many up to the end.
pub(super) fn ends(path: &Path, start: usize, tail: usize) -> Result<Option<Ends>, DiskError> {
    let mut file = match File::open(path) {
        Ok(file) => file,
        Err(error) if error.kind() == ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(failed("opening", path)(error)),
    };
    let len_bytes = file.metadata().map_err(failed("reading", path))?.len();
    let (mut first, mut last) = (Vec::new(), Vec::new());
    let mut read = |from: u64, count: usize, to: &mut Vec<u8>| {
        file.seek(SeekFrom::Start(from))?;
        (&file).take(count as u64).read_to_end(to)
    };
    read(0, start, &mut first).map_err(failed("reading", path))?;
    let from = len_bytes.saturating_sub(tail as u64);
    read(from, tail, &mut last).map_err(failed("reading", path))?;
    Ok(Some(Ends { len_bytes, first, last }))
}

/// The two ends of a file; of a short one they overlap.
pub(super) struct Ends {
    pub(super) len_bytes: u64,
    pub(super) first: Vec<u8>,
    pub(super) last: Vec<u8>,
}

/// Whether something stands under a name.
pub(super) fn exists(path: &Path) -> bool {
    fs::symlink_metadata(path).is_ok()
}
