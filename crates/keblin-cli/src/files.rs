//! Files named on the command line: read whole, with the path in the complaint.

#![expect(
    clippy::disallowed_methods,
    reason = "the command line reads the files it is given and stamps what it writes"
)]

use std::io::{ErrorKind, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{SystemTime, UNIX_EPOCH};

use keblin::Schema;
use keblin::model::Parsed;
use keblin::save::SealKey;
use keblin::save::layout::MAX_SAVE_BYTES;
use keblin::steps::{Files, TextFile, version_of_file};

use crate::Trouble;
use crate::args::Args;

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
        Trouble::Told(format!("{}: {why}", path.display()))
    };
    let file = std::fs::File::open(path).map_err(told)?;
    let mut bytes = Vec::new();
    file.take(most + 1).read_to_end(&mut bytes).map_err(told)?;
    Ok(bytes)
}

/// A save's bytes; of a file too large to be one, enough to see that.
pub(crate) fn save(path: &Path) -> Result<Vec<u8>, Trouble> {
    read(path, MAX_SAVE_BYTES as u64)
}

/// The saves that are meant: files as they are named, and of a folder every save in it and below, by name.
pub(crate) fn saves(named: &[PathBuf]) -> Result<Vec<PathBuf>, Trouble> {
    let mut found = Vec::new();
    for path in named {
        if !path.is_dir() {
            found.push(path.clone());
            continue;
        }
        for entry in walkdir::WalkDir::new(path).sort_by_file_name() {
            let entry = entry.map_err(|error| Trouble::Told(error.to_string()))?;
            let is_save = entry.path().extension().is_some_and(|ending| ending == "keblin");
            if is_save && entry.file_type().is_file() {
                found.push(entry.into_path());
            }
        }
    }
    Ok(found)
}

/// The game's key for seals.
pub(crate) fn key(path: &Path) -> Result<SealKey, Trouble> {
    let bytes = read(path, MAX_KEY_BYTES)?;
    SealKey::new(&bytes).map_err(|error| Trouble::Told(format!("{}: {error}", path.display())))
}

/// Writes a file that must not be there yet.
pub(crate) fn write_anew(path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    let told = |error: std::io::Error| {
        let why = match error.kind() {
            ErrorKind::AlreadyExists => "there is a file of this name; nothing was overwritten".to_string(),
            _ => error.to_string(),
        };
        Trouble::Told(format!("{}: {why}", path.display()))
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
    if bytes.len() as u64 > MAX_TEXT_BYTES {
        return Err(Trouble::Told(format!("{}: a text has at most {MAX_TEXT_BYTES} bytes", path.display())));
    }
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        Trouble::Told(format!("{}: expected a text in UTF-8, but byte {at} is none", path.display()))
    })
}

/// Where the declaration is: as said, else `progress.toml` here or in a folder above.
pub(crate) fn schema_path(args: &Args) -> Result<PathBuf, Trouble> {
    if let Some(path) = &args.schema {
        return Ok(path.clone());
    }
    let here =
        std::env::current_dir().map_err(|error| Trouble::Told(format!("the current folder: {error}")))?;
    let found = here.ancestors().map(|folder| folder.join("progress.toml")).find(|path| path.is_file());
    let missing = || Trouble::Told("no progress.toml here or above; name one with --schema FILE".to_string());
    let path = found.ok_or_else(missing)?;
    // Here, the name alone is what people want to read.
    Ok(path.strip_prefix(&here).map(Path::to_path_buf).unwrap_or(path))
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

/// The declaration, for commands that need it whole.
pub(crate) fn schema(args: &Args) -> Result<Arc<Schema>, Trouble> {
    let path = schema_path(args)?;
    match Schema::parse_with_past(&with_past(&path)?) {
        Ok(Parsed { schema, .. }) => Ok(Arc::new(schema)),
        Err(findings) => {
            let count = findings.list().len();
            Err(Trouble::Told(format!("{}: {count} findings; `keblin check` prints them", path.display())))
        }
    }
}

/// Writes a file so that its name stands for the whole of it at every instant; what stood there is put aside first, in a
/// folder `aside` beside it, under a name that says why. Where it is then.
pub(crate) fn publish(path: &Path, bytes: &[u8], why: &str) -> Result<Option<PathBuf>, Trouble> {
    let told = |error: std::io::Error| Trouble::Told(format!("{}: {error}", path.display()));
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let there = match std::fs::read(path) {
        Err(error) if error.kind() == ErrorKind::NotFound => None,
        Err(error) => return Err(told(error)),
        Ok(before) => Some(before),
    };
    // Whole beside it first: where that cannot be done, nothing is put aside in vain.
    let beside = put_beside(path, bytes).map_err(told)?;
    let aside = there.map(|before| put_aside(folder, path, &before, why)).transpose().map_err(told)?;
    std::fs::rename(&beside, path).map_err(told)?;
    Ok(aside)
}

/// Writes bytes whole to a name beside a path, from which they are only to be renamed. What a run that was cut off left
/// there is written over.
fn put_beside(path: &Path, bytes: &[u8]) -> std::io::Result<PathBuf> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder)?;
    let beside = folder.join(format!(".{}.part", path.file_name().unwrap_or_default().to_string_lossy()));
    let mut file = std::fs::File::create(&beside)?;
    file.write_all(bytes).and_then(|()| file.sync_all())?;
    Ok(beside)
}

fn put_aside(folder: &Path, path: &Path, before: &[u8], why: &str) -> std::io::Result<PathBuf> {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let (stem, ending) = name.rsplit_once('.').unwrap_or((&name, ""));
    let aside = folder.join("aside");
    let free = (1..).map(|number| aside.join(format!("{stem}.{why}-{number}.{ending}")));
    let free = free.into_iter().find(|path: &PathBuf| !path.exists()).unwrap_or_default();
    let beside = put_beside(&free, before)?;
    std::fs::rename(beside, &free)?;
    Ok(free)
}

/// Whether a file has these very bytes.
pub(crate) fn is_already(path: &Path, bytes: &[u8]) -> bool {
    std::fs::read(path).is_ok_and(|there| there == bytes)
}

/// Puts other bytes into a file of the demo's own folder.
pub(crate) fn overwrite(path: &Path, bytes: &[u8]) -> Result<(), Trouble> {
    std::fs::write(path, bytes).map_err(|error| Trouble::Told(format!("{}: {error}", path.display())))
}
