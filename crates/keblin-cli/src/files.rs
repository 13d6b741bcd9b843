//! Files named on the command line: read whole, with the path in the complaint.

#![expect(
    clippy::disallowed_methods,
    reason = "the command line reads the files it is given and stamps what it writes"
)]

use std::io::{ErrorKind, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{SystemTime, UNIX_EPOCH};

use keblin::save::SealKey;
use keblin::save::layout::MAX_SAVE_BYTES;
use keblin::{Files, Parsed, Schema, TextFile, version_of_file};

use crate::Trouble;
use crate::args::Args;
use crate::out::shown;

/// The longest key that is read, in bytes.
const MAX_KEY_BYTES: u64 = 4096;

/// The largest text that is read, in bytes.
const MAX_TEXT_BYTES: u64 = 16 << 20;

fn read(path: &Path, most: u64) -> Result<Vec<u8>, Trouble> {
    let told = |error: std::io::Error| {
        let why = match error.kind() {
            ErrorKind::NotFound => "there is no such file".to_string(),
            ErrorKind::IsADirectory => "this is a folder; name a file".to_string(),
            _ => error.to_string(),
        };
        Trouble::Told(format!("{}: {why}", shown(path)))
    };
    let file = open_regular(path).map_err(told)?;
    let len = file.metadata().map_err(told)?.len();
    if len > most {
        let why = format!("expected at most {most} bytes, but found {len}");
        return Err(Trouble::Told(format!("{}: {why}", shown(path))));
    }
    let mut bytes = Vec::new();
    file.take(most).read_to_end(&mut bytes).map_err(told)?;
    Ok(bytes)
}

/// Opens a file, which may be named by a link, and waits for no pipe.
fn open_regular(path: &Path) -> std::io::Result<std::fs::File> {
    let is_regular = |found: std::fs::Metadata| match found.is_file() || found.is_dir() {
        true => Ok(()),
        false => Err(std::io::Error::new(ErrorKind::InvalidInput, "this is a device or a pipe; name a file")),
    };
    is_regular(std::fs::metadata(path)?)?;
    let file = std::fs::File::open(path)?;
    is_regular(file.metadata()?).map(|()| file)
}

/// A save's bytes.
pub(crate) fn save(path: &Path) -> Result<Vec<u8>, Trouble> {
    read(path, MAX_SAVE_BYTES as u64)
}

/// The saves that are meant; see [`files_in`].
pub(crate) fn saves(named: &[PathBuf], troubles: &mut Vec<Trouble>) -> Vec<PathBuf> {
    files_in(named, "saves", "keblin", troubles)
}

/// The files that are meant: files as they are named, and of a folder every one in it and below with an ending, by name.
/// Links are followed; what cannot be looked into is put by, and so is a folder without any.
fn files_in(named: &[PathBuf], what: &str, ending: &str, troubles: &mut Vec<Trouble>) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for path in named {
        if !path.is_dir() {
            found.push(path.clone());
            continue;
        }
        let (before, trouble_before) = (found.len(), troubles.len());
        for entry in walkdir::WalkDir::new(path).follow_links(true).sort_by_file_name() {
            match entry {
                Ok(entry) => {
                    let is_meant = entry.path().extension().is_some_and(|found| found == ending);
                    if is_meant && entry.file_type().is_file() {
                        found.push(entry.into_path());
                    }
                }
                Err(error) => troubles.push(Trouble::Told(error.to_string())),
            }
        }
        if found.len() == before && troubles.len() == trouble_before {
            let missing =
                format!("expected {what} in this folder, but found no file that ends with .{ending}");
            troubles.push(Trouble::Told(format!("{}: {missing}", shown(path))));
        }
    }
    found
}

/// The saves in a folder that need not have any.
pub(crate) fn saves_in(folder: &Path) -> Result<Vec<PathBuf>, Trouble> {
    let mut troubles = Vec::new();
    let saves = saves(&[folder.to_path_buf()], &mut troubles);
    if saves.is_empty() { Ok(saves) } else { Trouble::of_some(troubles).map(|()| saves) }
}

/// The game's key for seals.
pub(crate) fn key(path: &Path) -> Result<SealKey, Trouble> {
    let bytes = read(path, MAX_KEY_BYTES)?;
    SealKey::new(&bytes).map_err(|error| Trouble::Told(format!("{}: {error}", shown(path))))
}

/// Writes a file that must not be there yet.
pub(crate) fn write_anew(path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    let told = |error: std::io::Error| {
        let why = match error.kind() {
            ErrorKind::AlreadyExists => "there is a file of this name; nothing was overwritten".to_string(),
            _ => error.to_string(),
        };
        Trouble::Told(format!("{}: {why}", shown(path)))
    };
    let mut file = std::fs::File::create_new(path).map_err(told)?;
    file.write_all(bytes).and_then(|()| file.sync_all()).map_err(told)
}

/// Milliseconds since 1970; 0 on a clock that stands before.
pub(crate) fn now_unix_ms() -> u64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    u64::try_from(since.as_millis()).unwrap_or(u64::MAX)
}

/// A text.
pub(crate) fn text(path: &Path) -> Result<String, Trouble> {
    let bytes = read(path, MAX_TEXT_BYTES)?;
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        Trouble::Told(format!("{}: expected a text in UTF-8, but byte {at} is none", shown(path)))
    })
}

/// Where the declaration is: as said, else `progress.toml` beside or above what is named on the command line, else here or
/// in a folder above.
pub(crate) fn schema_path(args: &Args, named: &[&Path]) -> Result<PathBuf, Trouble> {
    if let Some(path) = &args.schema {
        return Ok(path.clone());
    }
    let told = |error: std::io::Error| Trouble::Told(format!("the current folder: {error}"));
    let here = std::env::current_dir().map_err(told)?;
    let mut found: Vec<(PathBuf, &Path)> = Vec::new();
    for path in named {
        let whole = std::path::absolute(path).map_err(told)?;
        let folder = if whole.is_dir() { Some(whole.as_path()) } else { whole.parent() };
        found.extend(folder.and_then(above).map(|declaration| (declaration, *path)));
    }
    // Here, the name alone is what people want to read.
    let short = |path: &Path| path.strip_prefix(&here).map_or(path.to_path_buf(), Path::to_path_buf);
    if let [(first, of_first), rest @ ..] = found.as_slice()
        && let Some((other, of_other)) = rest.iter().find(|(other, _)| other != first)
    {
        let [first, of_first, other, of_other] =
            [&short(first), *of_first, &short(other), *of_other].map(shown);
        return Err(Trouble::Told(format!(
            "{of_first} belongs to {first}, and {of_other} to {other}; name one with --schema FILE"
        )));
    }
    let missing = || {
        let beside = if named.is_empty() { "" } else { " beside or above what is named, nor" };
        Trouble::Told(format!("no progress.toml{beside} here or above; name one with --schema FILE"))
    };
    let path = found.into_iter().next().map(|(path, _)| path).or_else(|| above(&here)).ok_or_else(missing)?;
    Ok(short(&path))
}

/// The declaration in a folder, or in one above it.
fn above(folder: &Path) -> Option<PathBuf> {
    folder.ancestors().map(|folder| folder.join("progress.toml")).find(|path| path.is_file())
}

/// The rehearsals that are meant; see [`files_in`]. If none are named, those of the folder `rehearsals` beside the declaration.
pub(crate) fn rehearsals(
    named: &[PathBuf],
    schema: &Path,
    troubles: &mut Vec<Trouble>,
) -> Result<Vec<PathBuf>, Trouble> {
    let beside = schema.with_file_name("rehearsals");
    if named.is_empty() && !beside.is_dir() {
        let what = "expected a folder `rehearsals` beside it; create one, or name a rehearsal";
        return Err(Trouble::Told(format!("{}: {what}", shown(schema))));
    }
    let named = if named.is_empty() { std::slice::from_ref(&beside) } else { named };
    Ok(files_in(named, "rehearsals", "txt", troubles))
}

/// The rehearsals in a folder `rehearsals` beside a declaration; those that can be read.
pub(crate) fn rehearsals_beside(schema: &Path) -> Vec<String> {
    let folder = schema.with_file_name("rehearsals");
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let texts = entries.filter(|path| path.extension().is_some_and(|ending| ending == "txt"));
    texts.filter_map(|path| text(&path).ok()).collect()
}

/// A declaration with what is frozen and the steps beside it.
pub(crate) fn with_past(path: &Path) -> Result<Files, Trouble> {
    let file =
        |path: &Path| Ok::<_, Trouble>(TextFile { name: path.display().to_string(), text: text(path)? });
    let mut files = Files { declaration: file(path)?, ..Files::default() };
    for (folder, into) in [("frozen", &mut files.frozen), ("migrations", &mut files.steps)] {
        for (version, path) in versions_in(&path.with_file_name(folder)) {
            into.insert(version, file(&path)?);
        }
    }
    Ok(files)
}

/// The files `v1.toml` and so on of a folder; none if there is no such folder.
fn versions_in(folder: &Path) -> Vec<(u32, PathBuf)> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let named = entries.filter_map(|path| Some((version_of_file(path.file_name()?.to_str()?)?, path)));
    named.collect()
}

/// The declaration, for commands that need it whole and may name files that lie beside or below it.
pub(crate) fn schema(args: &Args, named: &[&Path]) -> Result<Arc<Schema>, Trouble> {
    schema_at(&schema_path(args, named)?)
}

/// The declaration of a file.
pub(crate) fn schema_at(path: &Path) -> Result<Arc<Schema>, Trouble> {
    match Schema::parse_with_past(&with_past(path)?) {
        Ok(Parsed { schema, .. }) => Ok(Arc::new(schema)),
        Err(findings) => {
            let count = findings.list().len();
            Err(Trouble::Told(format!("{}: {count} findings; `keblin check` prints them", shown(path))))
        }
    }
}

/// Writes a file so that its name stands for the whole of it at every instant; what stood there is put aside first, in a
/// folder `aside` beside it, under a name that says why. Where it is then.
pub(crate) fn publish(path: &Path, bytes: &[u8], why: &str) -> Result<Option<PathBuf>, Trouble> {
    let told = |error: std::io::Error| Trouble::Told(format!("{}: {error}", shown(path)));
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let there = match std::fs::symlink_metadata(path) {
        Err(error) if error.kind() == ErrorKind::NotFound => None,
        Err(error) => return Err(told(error)),
        Ok(found) if found.is_symlink() => {
            let why = "this is a link, and a new file would take its place; name the file itself";
            return Err(Trouble::Told(format!("{}: {why}", shown(path))));
        }
        Ok(found) => Some((std::fs::read(path).map_err(told)?, found.permissions())),
    };
    let rights = there.as_ref().map(|(_, rights)| rights.clone());
    // Whole beside it first: where that cannot be done, nothing is put aside in vain.
    let beside = put_beside(path, bytes, rights.clone()).map_err(told)?;
    let aside =
        there.map(|(before, _)| put_aside(folder, path, &before, rights, why)).transpose().map_err(told)?;
    beside.persist(path).map_err(|error| told(error.error))?;
    sync_folder(folder).map_err(told)?;
    Ok(aside)
}

/// Writes bytes whole to a file beside a path, from which they are only to be renamed. Its name cannot be known
/// beforehand, and it is made through no link.
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
        // As any other new file: what is left of it is for the player's own settings to say.
        builder.permissions(std::fs::Permissions::from_mode(0o666));
    }
    let mut beside = builder.tempfile_in(folder)?;
    beside.write_all(bytes)?;
    rights.map_or(Ok(()), |rights| beside.as_file().set_permissions(rights))?;
    beside.as_file().sync_all()?;
    Ok(beside)
}

/// Removes what runs before this one have left beside files that they were writing when they were cut off: it was made
/// before this one began. What cannot be removed harms nothing.
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

/// When this is called.
pub(crate) fn now() -> SystemTime {
    SystemTime::now()
}

#[cfg(unix)]
fn sync_folder(folder: &Path) -> std::io::Result<()> {
    std::fs::File::open(folder)?.sync_all()
}

/// Elsewhere a folder cannot be opened as a file; the rename itself is what can be had.
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

/// Whether a file has these very bytes.
pub(crate) fn is_already(path: &Path, bytes: &[u8]) -> bool {
    std::fs::read(path).is_ok_and(|there| there == bytes)
}

/// Puts other bytes into a file of the demo's own folder.
pub(crate) fn overwrite(path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    std::fs::write(path, bytes).map_err(|error| Trouble::Told(format!("{}: {error}", shown(path))))
}
