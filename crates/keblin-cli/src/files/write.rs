//! Writes files: new ones, and whole ones in place of old ones, which are kept.

#![expect(
    clippy::disallowed_methods,
    reason = "the command line reads the files it is given and stamps what it writes"
)]

#[cfg(feature = "report")]
use std::io::Read;
use std::io::{ErrorKind, Write};
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use crate::Trouble;
use crate::out::shown;

/// How many bytes of a file are searched for its mark.
#[cfg(feature = "report")]
const MARKED_BYTES: u64 = 1024;

/// Writes a file that must not exist yet.
pub(crate) fn write_anew(path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    let told = |error: std::io::Error| {
        let why = match error.kind() {
            ErrorKind::AlreadyExists => "this file exists already; nothing was overwritten".to_string(),
            _ => error.to_string(),
        };
        Trouble::Told(format!("{}: {why}", shown(path)))
    };
    let mut file = std::fs::File::create_new(path).map_err(told)?;
    file.write_all(bytes).and_then(|()| file.sync_all()).map_err(told)
}

/// Writes a file that is made again each time, such as a report. What is there already must have a mark in its first
/// bytes that says so; anything else is not overwritten.
#[cfg(feature = "report")]
pub(crate) fn renew(path: &Path, bytes: &[u8], mark: &str) -> Result<(), Trouble> {
    let told = |error: std::io::Error| Trouble::Told(format!("{}: {error}", shown(path)));
    if is_free(path) {
        return write_anew(path, bytes);
    }
    refuse_link(path)?;
    let (mut start, file) = (Vec::new(), super::open_regular(path).map_err(told)?);
    let rights = file.metadata().map_err(told)?.permissions();
    file.take(MARKED_BYTES).read_to_end(&mut start).map_err(told)?;
    if !start.windows(mark.len()).any(|held| held == mark.as_bytes()) {
        let why = "this file exists already, and is something else; nothing was overwritten";
        return Err(Trouble::Told(format!("{}: {why}", shown(path))));
    }
    let beside = put_beside(path, bytes, Some(rights)).map_err(told)?;
    beside.persist(path).map(drop).map_err(|error| told(error.error))
}

/// Refuses a link, which the new file would replace.
fn refuse_link(path: &Path) -> Result<(), Trouble> {
    let is_link = std::fs::symlink_metadata(path).is_ok_and(|found| found.is_symlink());
    let why = "this is a link, which the new file would replace; name the file itself";
    if is_link { Err(Trouble::Told(format!("{}: {why}", shown(path)))) } else { Ok(()) }
}

/// Makes the folder that a file is to be in.
pub(crate) fn make_folder_of(path: &Path) -> Result<(), Trouble> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder).map_err(|error| Trouble::Told(format!("{}: {error}", shown(folder))))
}

/// Returns whether a path is free: not even a broken link is there.
pub(crate) fn is_free(path: &Path) -> bool {
    std::fs::symlink_metadata(path).is_err()
}

/// Writes a file so that its name always refers to a complete file. The old file is first copied to a folder `aside`
/// next to it, under a name that says why. Returns the path of that copy.
pub(crate) fn publish(path: &Path, bytes: &[u8], why: &str) -> Result<Option<PathBuf>, Trouble> {
    let told = |error: std::io::Error| Trouble::Told(format!("{}: {error}", shown(path)));
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    refuse_link(path)?;
    let there = match std::fs::symlink_metadata(path) {
        Err(error) if error.kind() == ErrorKind::NotFound => None,
        Err(error) => return Err(told(error)),
        Ok(found) => Some((std::fs::read(path).map_err(told)?, found.permissions())),
    };
    let rights = there.as_ref().map(|(_, rights)| rights.clone());
    // The new file is written completely first: if that fails, nothing is copied aside in vain.
    let beside = put_beside(path, bytes, rights.clone()).map_err(told)?;
    let aside =
        there.map(|(before, _)| put_aside(folder, path, &before, rights, why)).transpose().map_err(told)?;
    beside.persist(path).map_err(|error| told(error.error))?;
    sync_folder(folder).map_err(told)?;
    Ok(aside)
}

/// Writes bytes to a temporary file next to a path, ready to be renamed. Nobody can guess its name, and it is never
/// made through a link.
fn put_beside(
    path: &Path,
    bytes: &[u8],
    rights: Option<std::fs::Permissions>,
) -> std::io::Result<tempfile::NamedTempFile> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder)?;
    let name = format!(".{}.", path.file_name().unwrap_or_default().to_string_lossy());
    let mut builder = tempfile::Builder::new();
    builder.prefix(&name).suffix(".part");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        // Like any other new file: its access rights follow the user's own settings.
        builder.permissions(std::fs::Permissions::from_mode(0o666));
    }
    let mut beside = builder.tempfile_in(folder)?;
    beside.write_all(bytes)?;
    rights.map_or(Ok(()), |rights| beside.as_file().set_permissions(rights))?;
    beside.as_file().sync_all()?;
    Ok(beside)
}

/// Removes temporary files that earlier runs left when they were interrupted: those older than this run. One that
/// cannot be removed does no harm.
pub(crate) fn sweep(folders: impl IntoIterator<Item = PathBuf>, began: SystemTime) {
    for folder in folders {
        for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            let name = entry.file_name().to_string_lossy().into_owned();
            let is_part = name.starts_with('.') && name.contains(".keblin.") && name.ends_with(".part");
            let written = entry.metadata().and_then(|found| found.modified());
            if is_part && written.is_ok_and(|written| written < began) {
                let _ = std::fs::remove_file(entry.path());
            }
        }
    }
}

/// The time of the call.
pub(crate) fn now() -> SystemTime {
    SystemTime::now()
}

#[cfg(unix)]
fn sync_folder(folder: &Path) -> std::io::Result<()> {
    std::fs::File::open(folder)?.sync_all()
}

/// Elsewhere a folder cannot be opened as a file; the rename alone must do.
#[cfg(not(unix))]
fn sync_folder(_folder: &Path) -> std::io::Result<()> {
    Ok(())
}

fn put_aside(
    folder: &Path,
    path: &Path,
    before: &[u8],
    rights: Option<std::fs::Permissions>,
    why: &str,
) -> std::io::Result<PathBuf> {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let (stem, ending) = name.rsplit_once('.').unwrap_or((&name, ""));
    let aside = folder.join("aside");
    let free = (1..).map(|number| aside.join(format!("{stem}.{why}-{number}.{ending}")));
    let free = free.into_iter().find(|path: &PathBuf| std::fs::symlink_metadata(path).is_err());
    let free = free.unwrap_or_default();
    put_beside(&free, before, rights)?.persist_noclobber(&free).map_err(|error| error.error)?;
    sync_folder(&aside)?;
    Ok(free)
}

/// Replaces the bytes of a file in the demo's own folder.
pub(crate) fn overwrite(path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    std::fs::write(path, bytes).map_err(|error| Trouble::Told(format!("{}: {error}", shown(path))))
}
