//! The disk: the calls to the operating system, each with its path in the error. The only file that writes, renames or
//! looks at the clock.

#![expect(clippy::disallowed_methods, reason = "this is the one place for files and the clock")]

use std::collections::BTreeMap;
use std::fmt;
use std::fs::{self, File, Metadata, OpenOptions, TryLockError};
use std::io::{self, ErrorKind, IoSlice, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{SystemTime, UNIX_EPOCH};

use super::backend::{Backend, LeftAt, Lock, Steps};
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

pub(super) fn failed(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> DiskError {
    let path = path.to_path_buf();
    move |source| DiskError { doing, path, source }
}

/// What is not there is no failure.
fn there<T>(result: io::Result<T>) -> io::Result<Option<T>> {
    match result {
        Ok(found) => Ok(Some(found)),
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}

/// Milliseconds since 1970; 0 on a clock that stands before.
pub(super) fn now_unix_ms() -> u64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    u64::try_from(since.as_millis()).unwrap_or(u64::MAX)
}

/// The files of the operating system.
#[derive(Debug, Default)]
pub struct Disk {
    /// The files that were appended to, by name: each is the one to be synced and, as a rule, appended to next.
    kept: Mutex<BTreeMap<PathBuf, Kept>>,
}

/// An open file.
#[derive(Clone, Debug)]
struct Kept {
    file: Arc<File>,
    /// Which file of the system it is; nothing where that cannot be known, and then it is kept no longer than to its sync.
    which: Option<(u64, u64)>,
}

/// Which file of the system a name stands for, whatever it is called.
#[cfg(unix)]
fn which(found: &Metadata) -> Option<(u64, u64)> {
    use std::os::unix::fs::MetadataExt;
    Some((found.dev(), found.ino()))
}

#[cfg(not(unix))]
fn which(_: &Metadata) -> Option<(u64, u64)> {
    None
}

impl Disk {
    fn kept(&self) -> MutexGuard<'_, BTreeMap<PathBuf, Kept>> {
        // Nothing panics while it is held.
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Gives up the open file of a name that is about to stand for another.
    fn let_go(&self, path: &Path) {
        self.kept().remove(path);
    }

    /// The file of a name, opened, and how long it is: the one that is kept, if the name still stands for it.
    fn open(&self, path: &Path) -> Result<Option<(Arc<File>, u64)>, DiskError> {
        let found = there(fs::metadata(path)).map_err(failed("looking for", path))?;
        let Some(found) = found else {
            self.let_go(path);
            return Ok(None);
        };
        let is_it = |kept: &&Kept| kept.which.is_some() && kept.which == which(&found);
        if let Some(kept) = self.kept().get(path).filter(is_it) {
            return Ok(Some((Arc::clone(&kept.file), found.len())));
        }
        let file = OpenOptions::new().read(true).write(true).open(path).map_err(failed("opening", path))?;
        let found = file.metadata().map_err(failed("looking at", path))?;
        let file = Arc::new(file);
        self.kept().insert(path.to_path_buf(), Kept { file: Arc::clone(&file), which: which(&found) });
        Ok(Some((file, found.len())))
    }
}

/// At most so many bytes of a file of some length from an offset on.
fn read_from(mut file: &File, len: u64, from: u64, most: u64) -> io::Result<Vec<u8>> {
    let room = len.saturating_sub(from).min(most).min(MAX_SAVE_BYTES as u64 + 1);
    let mut bytes = Vec::with_capacity(usize::try_from(room).unwrap_or(0));
    file.seek(SeekFrom::Start(from))?;
    file.take(most).read_to_end(&mut bytes)?;
    Ok(bytes)
}

/// Writes all parts together: in single pieces they would be on more pages, and a sync of those takes longer.
fn write_all(mut file: &File, parts: &[&[u8]]) -> io::Result<()> {
    let mut slices: Vec<IoSlice<'_>> = parts.iter().map(|part| IoSlice::new(part)).collect();
    let mut rest = slices.as_mut_slice();
    IoSlice::advance_slices(&mut rest, 0);
    while !rest.is_empty() {
        match file.write_vectored(rest) {
            Ok(0) => return Err(ErrorKind::WriteZero.into()),
            Ok(written) => IoSlice::advance_slices(&mut rest, written),
            Err(error) if error.kind() == ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    Ok(())
}

impl Backend for Disk {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        let found = there(fs::metadata(path)).map_err(failed("looking for", path))?;
        Ok(found.map(|found| found.len()))
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        let file = there(File::open(path)).map_err(failed("opening", path))?;
        let Some(file) = file else { return Ok(None) };
        let len = file.metadata().map_or(0, |found| found.len());
        read_from(&file, len, from, most).map(Some).map_err(failed("reading", path))
    }

    fn append(&self, path: &Path, left: &LeftAt<'_>, parts: &[&[u8]]) -> Result<bool, DiskError> {
        let Some((file, len)) = self.open(path)? else { return Ok(false) };
        let (from, most) = left.looked_at();
        let found = read_from(&file, len, from, most).map_err(failed("reading", path))?;
        if len != left.len || !left.is_so(&found) {
            return Ok(false);
        }
        let sought = file.as_ref().seek(SeekFrom::Start(left.end));
        sought.and_then(|_| write_all(&file, parts)).map_err(failed("appending to", path))?;
        Ok(true)
    }

    fn sync(&self, path: &Path) -> Result<(), DiskError> {
        let kept = self.kept().get(path).cloned();
        // The same open file: some systems tell a failure only there.
        let Some(Kept { file, which }) = kept else {
            let file = OpenOptions::new().write(true).open(path).map_err(failed("opening", path))?;
            return file.sync_data().map_err(failed("syncing", path));
        };
        let synced = file.sync_data().map_err(failed("syncing", path));
        if synced.is_err() || which.is_none() {
            self.let_go(path);
        }
        synced
    }

    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<(), DiskError> {
        self.let_go(path);
        self.publish_by_steps(path, beside, parts)
    }

    fn set_aside(&self, path: &Path, to: &Path) -> Result<(), DiskError> {
        self.let_go(path);
        self.set_aside_by_steps(path, to)
    }

    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError> {
        let entries = there(fs::read_dir(folder)).map_err(failed("listing", folder))?;
        let mut names = Vec::new();
        for entry in entries.into_iter().flatten() {
            let entry = entry.map_err(failed("listing", folder))?;
            names.extend(entry.file_name().into_string());
        }
        names.sort();
        Ok(names)
    }

    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError> {
        path.parent().map_or(Ok(()), |folder| self.make_folder(folder))?;
        let mut options = OpenOptions::new();
        let file =
            options.write(true).create(true).truncate(false).open(path).map_err(failed("opening", path))?;
        match file.try_lock() {
            Ok(()) => Ok(Some(Box::new(file))),
            Err(TryLockError::WouldBlock) => Ok(None),
            Err(TryLockError::Error(error)) => Err(failed("locking", path)(error)),
        }
    }
}

impl Steps for Disk {
    fn make_folder(&self, folder: &Path) -> Result<(), DiskError> {
        fs::create_dir_all(folder).map_err(failed("making the folder", folder))
    }

    fn write(&self, path: &Path, parts: &[&[u8]]) -> Result<(), DiskError> {
        let mut options = OpenOptions::new();
        let file =
            options.write(true).create(true).truncate(true).open(path).map_err(failed("creating", path))?;
        write_all(&file, parts).map_err(failed("writing", path))
    }

    fn sync_file(&self, path: &Path) -> Result<(), DiskError> {
        let file = OpenOptions::new().write(true).open(path).map_err(failed("opening", path))?;
        file.sync_all().map_err(failed("syncing", path))
    }

    fn rename(&self, path: &Path, to: &Path) -> Result<(), DiskError> {
        fs::rename(path, to).map_err(failed("renaming", path))
    }

    #[cfg(unix)]
    fn sync_folder(&self, folder: &Path) -> Result<(), DiskError> {
        // The folder of a relative path that has none.
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        File::open(folder).and_then(|folder| folder.sync_all()).map_err(failed("syncing the folder", folder))
    }

    /// Elsewhere a folder cannot be opened as a file; the rename itself is what can be had.
    #[cfg(not(unix))]
    fn sync_folder(&self, _folder: &Path) -> Result<(), DiskError> {
        Ok(())
    }
}
