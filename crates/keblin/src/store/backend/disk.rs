//! The disk: the calls to the operating system, each with its path in the error. Only this file writes, renames or
//! reads the clock. It opens only regular files, and never through a link: a folder that others can write to may
//! contain anything.

#![expect(clippy::disallowed_methods, reason = "this is the one place for files and the clock")]

use keblin_model::order::sort_by;
use std::collections::HashMap;
use std::fs::{self, File, Metadata, OpenOptions, TryLockError};
use std::io::{self, ErrorKind, IoSlice, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use super::{Backend, FileParts, LeftAt, Lock, Steps, Which};
use crate::save::layout::digest;
use crate::store::error::{DiskError, failed, there};

/// How often a lock that is held is tried again, and the pause in between.
const LOCK_TRIES: u32 = 4;
const LOCK_PAUSE: Duration = Duration::from_millis(5);

/// Returns a number that no other machine has, as far as it is known: by its id, where the system has one, else by its name.
pub(super) fn machine() -> u64 {
    static MACHINE: OnceLock<u64> = OnceLock::new();
    *MACHINE.get_or_init(|| {
        let ids = ["/etc/machine-id", "/var/lib/dbus/machine-id"];
        let id = ids.iter().find_map(|path| fs::read_to_string(path).ok().filter(|id| !id.trim().is_empty()));
        let names = ["COMPUTERNAME", "HOSTNAME"];
        let id = id.or_else(|| names.iter().find_map(|name| std::env::var(name).ok())).unwrap_or_default();
        digest(id.trim().as_bytes()).first_chunk().map_or(0, |start| u64::from_be_bytes(*start))
    })
}

/// Returns milliseconds since 1970; 0 if the clock is before.
pub(super) fn now_unix_ms() -> u64 {
    unix_ms(SystemTime::now())
}

fn unix_ms(time: SystemTime) -> u64 {
    let since = time.duration_since(UNIX_EPOCH).unwrap_or_default();
    u64::try_from(since.as_millis()).unwrap_or(u64::MAX)
}

/// Returns the metadata of a regular file; an error for anything else with that name.
fn regular(path: &Path) -> io::Result<Metadata> {
    let found = fs::symlink_metadata(path)?;
    is_regular(&found).map(|()| found)
}

fn is_regular(found: &Metadata) -> io::Result<()> {
    let kind = found.file_type();
    let what = match () {
        () if kind.is_file() => return Ok(()),
        () if kind.is_dir() => "expected a file, but found a folder; move it away",
        () if kind.is_symlink() => {
            "expected a file, but found a link, and links are not followed; put the file itself here"
        }
        () => "expected a file, but found a device or a pipe; move it away",
    };
    Err(io::Error::new(ErrorKind::InvalidInput, what))
}

/// Opens a regular file, never through a link, and without waiting for a pipe.
fn open_regular(options: &mut OpenOptions, path: &Path) -> io::Result<File> {
    regular(path)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        options.custom_flags(libc::O_NOFOLLOW | libc::O_NONBLOCK);
    }
    let file = options.open(path)?;
    // It may have been replaced since the check.
    is_regular(&file.metadata()?).map(|()| file)
}

/// The files of the operating system.
#[derive(Debug, Default)]
pub struct Disk {
    /// Files that were appended to, by name: the next call usually syncs or appends to the same one.
    kept: Mutex<HashMap<PathBuf, OpenFile>>,
}

/// An open file.
#[derive(Clone, Debug)]
struct OpenFile {
    file: Arc<File>,
    /// The identity of the file; `None` if the system does not give one, and then it is kept only until its sync.
    which: Which,
}

/// Returns the identity of a file, whatever its name.
#[cfg(unix)]
fn which_of(found: &Metadata) -> Which {
    use std::os::unix::fs::MetadataExt;
    Some((found.dev(), found.ino()))
}

#[cfg(not(unix))]
fn which_of(_: &Metadata) -> Which {
    None
}

impl Disk {
    fn kept(&self) -> MutexGuard<'_, HashMap<PathBuf, OpenFile>> {
        // Nothing panics while it is held.
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Closes the file of a name that will refer to another one.
    fn let_go(&self, path: &Path) {
        self.kept().remove(path);
    }

    /// Opens the file of a name and returns its length: the kept one, if the name still refers to it.
    fn open(&self, path: &Path) -> Result<Option<(Arc<File>, u64)>, DiskError> {
        let found = there(regular(path)).map_err(failed("looking for", path))?;
        let Some(found) = found else {
            self.let_go(path);
            return Ok(None);
        };
        let is_it = |kept: &&OpenFile| kept.which.is_some() && kept.which == which_of(&found);
        if let Some(kept) = self.kept().get(path).filter(is_it) {
            return Ok(Some((Arc::clone(&kept.file), found.len())));
        }
        let file = open_regular(OpenOptions::new().read(true).write(true), path);
        let file = file.map_err(failed("opening", path))?;
        let found = file.metadata().map_err(failed("looking at", path))?;
        let file = Arc::new(file);
        self.kept().insert(path.to_path_buf(), OpenFile { file: Arc::clone(&file), which: which_of(&found) });
        Ok(Some((file, found.len())))
    }
}

/// Reads at most this many bytes of a file of some length from an offset on.
fn read_from(mut file: &File, len: u64, from: u64, most: u64) -> io::Result<Vec<u8>> {
    let wanted = usize::try_from(len.saturating_sub(from).min(most)).unwrap_or(usize::MAX);
    let mut bytes = Vec::new();
    bytes.try_reserve_exact(wanted).map_err(|_| io::Error::from(ErrorKind::OutOfMemory))?;
    file.seek(SeekFrom::Start(from))?;
    file.take(most).read_to_end(&mut bytes)?;
    Ok(bytes)
}

/// Writes all parts together: separate writes would use more pages, and syncing those takes longer.
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

/// A file that stays open, whatever its name refers to later.
struct DiskParts {
    /// Its position is shared.
    file: Mutex<File>,
    path: PathBuf,
}

impl FileParts for DiskParts {
    fn read(&self, from: u64, most: u64) -> Result<Vec<u8>, DiskError> {
        let file = self.file.lock().unwrap_or_else(PoisonError::into_inner);
        let len = file.metadata().map_err(failed("looking at", &self.path))?.len();
        read_from(&file, len, from, most).map_err(failed("reading", &self.path))
    }
}

impl Backend for Disk {
    fn len(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        let found = there(regular(path)).map_err(failed("looking for", path))?;
        Ok(found.map(|found| found.len()))
    }

    fn read(&self, path: &Path, from: u64, most: u64) -> Result<Option<Vec<u8>>, DiskError> {
        let file =
            there(open_regular(OpenOptions::new().read(true), path)).map_err(failed("opening", path))?;
        let Some(file) = file else { return Ok(None) };
        let len = file.metadata().map_err(failed("looking at", path))?.len();
        read_from(&file, len, from, most).map(Some).map_err(failed("reading", path))
    }

    fn parts_of(&self, path: &Path) -> Result<Option<Box<dyn FileParts>>, DiskError> {
        let file =
            there(open_regular(OpenOptions::new().read(true), path)).map_err(failed("opening", path))?;
        let parts = |file| DiskParts { file: Mutex::new(file), path: path.to_path_buf() };
        Ok(file.map(|file| -> Box<dyn FileParts> { Box::new(parts(file)) }))
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

    fn cut_reserve(&self, path: &Path, left: &LeftAt<'_>) -> Result<bool, DiskError> {
        let Some((file, len)) = self.open(path)? else { return Ok(false) };
        let (from, most) = left.looked_at();
        let found = read_from(&file, len, from, most).map_err(failed("reading", path))?;
        if len != left.len || len <= left.end || !left.is_so(&found) {
            return Ok(false);
        }
        file.set_len(left.end).map_err(failed("cutting the reserve of", path))?;
        self.let_go(path);
        Ok(true)
    }

    fn sync(&self, path: &Path) -> Result<bool, DiskError> {
        let kept = self.kept().get(path).cloned();
        // The same open file, because some systems report a failure only there.
        let Some(OpenFile { file, which }) = kept else {
            let file = open_regular(OpenOptions::new().write(true), path).map_err(failed("opening", path))?;
            file.sync_data().map_err(failed("syncing", path))?;
            let synced = file.metadata().map_err(failed("looking at", path))?;
            return Ok(which_of(&synced) == self.which(path)?);
        };
        let synced = file.sync_data().map_err(failed("syncing", path));
        if synced.is_err() || which.is_none() {
            self.let_go(path);
        }
        synced?;
        match which {
            Some(_) => Ok(self.which(path)? == which),
            None => {
                let len = file.metadata().map_err(failed("looking at", path))?.len();
                Ok(self.len(path)? == Some(len))
            }
        }
    }

    fn publish(&self, path: &Path, beside: &Path, parts: &[&[u8]]) -> Result<bool, DiskError> {
        self.let_go(path);
        self.publish_by_steps(path, beside, parts, None)
    }

    fn publish_over(
        &self,
        path: &Path,
        beside: &Path,
        parts: &[&[u8]],
        replaced: &Path,
    ) -> Result<bool, DiskError> {
        self.let_go(path);
        self.publish_by_steps(path, beside, parts, Some(replaced))
    }

    fn link(&self, path: &Path, beside: &Path, to: &Path) -> Result<bool, DiskError> {
        // Many file systems have no such names.
        if fs::hard_link(path, beside).is_err() {
            return Ok(false);
        }
        let renamed = fs::rename(beside, to).map_err(failed("renaming", beside));
        // Two names of one file are not renamed to each other.
        let _ = fs::remove_file(beside);
        renamed.map(|()| true)
    }

    fn is_linked(&self, path: &Path, to: &Path) -> bool {
        let which = |path: &Path| self.which(path).ok().flatten();
        which(path).is_some_and(|one| Some(one) == which(to))
    }

    fn set_aside(&self, moves: &[(PathBuf, PathBuf)]) -> Result<(), DiskError> {
        moves.iter().for_each(|(path, _)| self.let_go(path));
        self.set_aside_by_steps(moves)
    }

    fn remove(&self, path: &Path) -> Result<bool, DiskError> {
        // For a link this removes the link.
        let removed = there(fs::remove_file(path)).map_err(failed("removing", path))?;
        Ok(removed.is_some())
    }

    fn written_unix_ms(&self, path: &Path) -> Result<Option<u64>, DiskError> {
        let found = there(fs::symlink_metadata(path)).map_err(failed("looking for", path))?;
        Ok(found.and_then(|found| found.modified().ok()).map(unix_ms))
    }

    fn list(&self, folder: &Path) -> Result<Vec<String>, DiskError> {
        let entries = there(fs::read_dir(folder)).map_err(failed("listing", folder))?;
        let mut names = Vec::new();
        for entry in entries.into_iter().flatten() {
            let entry = entry.map_err(failed("listing", folder))?;
            names.extend(entry.file_name().into_string());
        }
        sort_by(&mut names, Ord::cmp);
        Ok(names)
    }

    fn lock(&self, path: &Path) -> Result<Option<Box<dyn Lock>>, DiskError> {
        path.parent().map_or(Ok(()), |folder| self.make_folder(folder))?;
        let file = match OpenOptions::new().write(true).create_new(true).open(path) {
            Err(error) if error.kind() == ErrorKind::AlreadyExists => {
                open_regular(OpenOptions::new().write(true), path)
            }
            opened => opened,
        };
        let file = file.map_err(failed("opening", path))?;
        // A process that this program is just starting has every open file until it runs, so also a lock that was
        // given up meanwhile.
        for _ in 0..LOCK_TRIES {
            match file.try_lock() {
                Ok(()) => return Ok(Some(Box::new(file))),
                Err(TryLockError::WouldBlock) => std::thread::sleep(LOCK_PAUSE),
                Err(TryLockError::Error(error)) => return Err(failed("locking", path)(error)),
            }
        }
        Ok(None)
    }
}

impl Steps for Disk {
    fn make_folder(&self, folder: &Path) -> Result<(), DiskError> {
        let is_there = |folder: &&Path| folder.as_os_str().is_empty() || folder.exists();
        let missing: Vec<&Path> = folder.ancestors().take_while(|folder| !is_there(folder)).collect();
        fs::create_dir_all(folder).map_err(failed("creating the folder", folder))?;
        // A folder is only as safe as its name in its parent.
        let parents = missing.into_iter().rev().filter_map(Path::parent);
        parents.into_iter().try_for_each(|parent| self.sync_folder(parent))
    }

    fn write(&self, path: &Path, parts: &[&[u8]]) -> Result<Which, DiskError> {
        let mut options = OpenOptions::new();
        let file = options.write(true).create_new(true).open(path).map_err(failed("creating", path))?;
        write_all(&file, parts).map_err(failed("writing", path))?;
        Ok(which_of(&file.metadata().map_err(failed("looking at", path))?))
    }

    fn take_rights(&self, path: &Path, of: &Path) -> Result<(), DiskError> {
        let Ok(found) = regular(of) else { return Ok(()) };
        fs::set_permissions(path, found.permissions()).map_err(failed("setting the access rights of", path))
    }

    fn which(&self, path: &Path) -> Result<Which, DiskError> {
        let found = there(fs::symlink_metadata(path)).map_err(failed("looking for", path))?;
        Ok(found.as_ref().and_then(which_of))
    }

    fn sync_file(&self, path: &Path) -> Result<(), DiskError> {
        let file = open_regular(OpenOptions::new().write(true), path).map_err(failed("opening", path))?;
        file.sync_all().map_err(failed("syncing", path))
    }

    fn keep_replaced(&self, path: &Path, replaced: &Path) {
        // Without hard links the file is lost that arrives between looking and renaming.
        let _ = fs::hard_link(path, replaced);
    }

    fn rename(&self, path: &Path, to: &Path) -> Result<(), DiskError> {
        fs::rename(path, to).map_err(failed("renaming", path))
    }

    #[cfg(unix)]
    fn sync_folder(&self, folder: &Path) -> Result<(), DiskError> {
        // The folder of a relative path without one.
        let folder = if folder.as_os_str().is_empty() { Path::new(".") } else { folder };
        File::open(folder).and_then(|folder| folder.sync_all()).map_err(failed("syncing the folder", folder))
    }

    /// Elsewhere a folder cannot be opened as a file; the rename alone must do.
    #[cfg(not(unix))]
    fn sync_folder(&self, _folder: &Path) -> Result<(), DiskError> {
        Ok(())
    }
}
