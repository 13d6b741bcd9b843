//! The disk: the calls to the operating system, each with its path in the error. The only file that writes, renames or
//! looks at the clock.

#![expect(clippy::disallowed_methods, reason = "this is the one place for files and the clock")]

use std::fmt;
use std::fs::{self, File, OpenOptions, TryLockError};
use std::io::{self, ErrorKind, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{SystemTime, UNIX_EPOCH};

use super::backend::{Backend, Lock, Steps};
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
    /// The file that was appended to last, which is the one to be synced next.
    appended: Mutex<Option<(PathBuf, File)>>,
}

impl Disk {
    fn appended(&self) -> MutexGuard<'_, Option<(PathBuf, File)>> {
        // Nothing panics while it is held.
        self.appended.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl Backend for Disk {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        let found = there(fs::metadata(path)).map_err(failed("looking for", path))?;
        Ok(found.map(|found| found.len()))
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        let file = there(File::open(path)).map_err(failed("opening", path))?;
        let Some(mut file) = file else { return Ok(None) };
        let len = file.metadata().map_or(0, |found| found.len());
        let room = len.saturating_sub(from).min(most).min(MAX_SAVE_BYTES as u64 + 1);
        let mut bytes = Vec::with_capacity(usize::try_from(room).unwrap_or(0));
        let sought = if from > 0 { file.seek(SeekFrom::Start(from)) } else { Ok(0) };
        let read = sought.and_then(|_| file.take(most).read_to_end(&mut bytes));
        read.map_err(failed("reading", path))?;
        Ok(Some(bytes))
    }

    fn append(&self, path: &Path, len: u64, from: u64, bytes: &[u8]) -> Result<(), DiskError> {
        let mut file = OpenOptions::new().write(true).open(path).map_err(failed("opening", path))?;
        let found = file.metadata().map_err(failed("looking at", path))?.len();
        if found != len || from > len {
            let message = format!("{len} bytes were expected, and there are {found}");
            return Err(failed("appending to", path)(io::Error::other(message)));
        }
        let sought = file.seek(SeekFrom::Start(from));
        sought.and_then(|_| file.write_all(bytes)).map_err(failed("appending to", path))?;
        *self.appended() = Some((path.to_path_buf(), file));
        Ok(())
    }

    fn sync(&self, path: &Path) -> Result<(), DiskError> {
        // The same open file: some systems tell a failure only there.
        let appended = self.appended().take_if(|(appended, _)| appended == path);
        let file = match appended {
            Some((_, file)) => file,
            None => OpenOptions::new().write(true).open(path).map_err(failed("opening", path))?,
        };
        file.sync_data().map_err(failed("syncing", path))
    }

    fn publish(&self, path: &Path, beside: &Path, bytes: &[u8]) -> Result<(), DiskError> {
        self.publish_by_steps(path, beside, bytes)
    }

    fn set_aside(&self, path: &Path, to: &Path) -> Result<(), DiskError> {
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

    fn write(&self, path: &Path, bytes: &[u8]) -> Result<(), DiskError> {
        let mut options = OpenOptions::new();
        let mut file =
            options.write(true).create(true).truncate(true).open(path).map_err(failed("creating", path))?;
        file.write_all(bytes).map_err(failed("writing", path))
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
