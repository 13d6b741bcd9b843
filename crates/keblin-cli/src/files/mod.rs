//! Files named on the command line: reads them whole, with the path in each error.

#![expect(
    clippy::disallowed_methods,
    reason = "the command line reads the files it is given and stamps what it writes"
)]

/// Writing files.
mod write;

use std::io::{ErrorKind, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{SystemTime, UNIX_EPOCH};

use keblin::save::SealKey;
use keblin::save::layout::MAX_SAVE_BYTES;
use keblin::verify::{Save, Verified, examine, verify, verify_state};
use keblin::{Files, Parsed, Schema, TextFile, version_of_file};

use crate::Trouble;
use crate::args::Args;
use crate::out::{counted, shown};

#[cfg(feature = "report")]
pub(crate) use write::renew;
pub(crate) use write::{is_free, make_folder_of, now, overwrite, publish, sweep, write_anew};

/// The longest key that is read, in bytes.
const MAX_KEY_BYTES: u64 = 4096;

/// The largest text that is read, in bytes.
const MAX_TEXT_BYTES: u64 = 16 << 20;

fn read(path: &Path, most: u64) -> Result<Vec<u8>, Trouble> {
    let told = |error: std::io::Error| {
        let why = match error.kind() {
            ErrorKind::NotFound => "file not found".to_string(),
            ErrorKind::IsADirectory => "this is a folder; expected a file".to_string(),
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

/// Opens a file, which may be a link. Does not wait for a pipe.
fn open_regular(path: &Path) -> std::io::Result<std::fs::File> {
    let is_regular = |found: std::fs::Metadata| match found.is_file() || found.is_dir() {
        true => Ok(()),
        false => {
            Err(std::io::Error::new(ErrorKind::InvalidInput, "this is a device or a pipe; expected a file"))
        }
    };
    is_regular(std::fs::metadata(path)?)?;
    let file = std::fs::File::open(path)?;
    is_regular(file.metadata()?).map(|()| file)
}

/// Reads the bytes of a save.
pub(crate) fn save(path: &Path) -> Result<Vec<u8>, Trouble> {
    read(path, MAX_SAVE_BYTES as u64)
}

/// Opens a save, or an earlier one in the same file by its number.
pub(crate) fn opened(
    path: &Path,
    state: Option<u64>,
    schema: &Arc<Schema>,
) -> Result<Verified<Save>, Trouble> {
    let bytes = save(path)?;
    let told = |why: String| Trouble::Told(format!("{}: {why}", shown(path)));
    let Some(number) = state else { return verify(&bytes, schema).map_err(|error| told(error.to_string())) };
    let found = verify_state(&bytes, number, schema, None).map_err(|error| told(error.to_string()))?;
    found.ok_or_else(|| {
        let numbers = examine(&bytes, schema).states.into_iter().filter_map(|state| state.number);
        let numbers: Vec<String> = numbers.map(|number| number.to_string()).collect();
        told(format!("save {number} is not in this file; it has {}", numbers.join(", ")))
    })
}

/// Finds the saves that are named; see [`files_in`].
pub(crate) fn saves(named: &[PathBuf], troubles: &mut Vec<Trouble>) -> Vec<PathBuf> {
    files_in(named, "saves", "keblin", troubles)
}

/// Finds the saves of players that are named: without what the store keeps for itself in a folder `aside`, such as the backup
/// of a slot, unless that is named.
pub(crate) fn saves_of_players(named: &[PathBuf], troubles: &mut Vec<Trouble>) -> Vec<PathBuf> {
    let mut found = saves(named, troubles);
    found.retain(|path| !is_aside(path, named));
    found
}

/// Returns whether the store keeps a file for itself: it is in a folder `aside`, and neither it nor that folder is named.
pub(crate) fn is_aside(path: &Path, named: &[PathBuf]) -> bool {
    let Some(folder) = path.parent().filter(|folder| folder.ends_with("aside")) else { return false };
    !named.iter().any(|named| named == path || named == folder)
}

/// Finds the files that are named: files themselves, and in each folder every file in it and below with an ending, by
/// name. Links are followed. A folder that cannot be read, or has none of these files, is noted as trouble.
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
            let missing = format!("expected {what} in this folder, but found none that ends with .{ending}");
            troubles.push(Trouble::Told(format!("{}: {missing}", shown(path))));
        }
    }
    found
}

/// Finds the saves in a folder that may have none.
pub(crate) fn saves_in(folder: &Path) -> Result<Vec<PathBuf>, Trouble> {
    let mut troubles = Vec::new();
    let saves = saves(&[folder.to_path_buf()], &mut troubles);
    if saves.is_empty() { Ok(saves) } else { Trouble::of_some(troubles).map(|()| saves) }
}

/// Reads the game's key for seals.
pub(crate) fn key(path: &Path) -> Result<SealKey, Trouble> {
    let bytes = read(path, MAX_KEY_BYTES)?;
    SealKey::new(&bytes).map_err(|error| Trouble::Told(format!("{}: {error}", shown(path))))
}

/// When a file was last written, and its length; `None` if there is none.
pub(crate) fn changed_at(path: &Path) -> Option<(Option<SystemTime>, u64)> {
    let found = std::fs::metadata(path).ok()?;
    Some((found.modified().ok(), found.len()))
}

/// Milliseconds since 1970; 0 if the clock is before.
pub(crate) fn now_unix_ms() -> u64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    u64::try_from(since.as_millis()).unwrap_or(u64::MAX)
}

/// Reads a text.
pub(crate) fn text(path: &Path) -> Result<String, Trouble> {
    let bytes = read(path, MAX_TEXT_BYTES)?;
    String::from_utf8(bytes).map_err(|error| {
        let at = error.utf8_error().valid_up_to();
        Trouble::Told(format!("{}: expected a text in UTF-8, but byte {at} is not valid", shown(path)))
    })
}

/// Finds the declaration: the given file, else `progress.toml` next to or above the files on the command line, else
/// here or in a folder above.
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
    // In the current folder, people want to read only the name.
    let short = |path: &Path| path.strip_prefix(&here).map_or(path.to_path_buf(), Path::to_path_buf);
    if let [(first, of_first), rest @ ..] = found.as_slice()
        && let Some((other, of_other)) = rest.iter().find(|(other, _)| other != first)
    {
        let [first, of_first, other, of_other] =
            [&short(first), *of_first, &short(other), *of_other].map(shown);
        return Err(Trouble::Told(format!(
            "{of_first} belongs to {first}, but {of_other} to {other}; choose one with --schema FILE"
        )));
    }
    let missing = || {
        let near = if named.is_empty() { "" } else { " next to or above the files you named, nor" };
        Trouble::Told(format!("no progress.toml{near} here or above; name one with --schema FILE"))
    };
    let path = found.into_iter().next().map(|(path, _)| path).or_else(|| above(&here)).ok_or_else(missing)?;
    Ok(short(&path))
}

/// Finds the declaration in a folder, or in one above it.
fn above(folder: &Path) -> Option<PathBuf> {
    folder.ancestors().map(|folder| folder.join("progress.toml")).find(|path| path.is_file())
}

/// Finds the rehearsals that are named; see [`files_in`]. Without names, those in the folder `rehearsals` next to the
/// declaration.
pub(crate) fn rehearsals(
    named: &[PathBuf],
    schema: &Path,
    troubles: &mut Vec<Trouble>,
) -> Result<Vec<PathBuf>, Trouble> {
    let beside = schema.with_file_name("rehearsals");
    if named.is_empty() && !beside.is_dir() {
        let what = "expected a folder `rehearsals` next to it; create one, or name a rehearsal";
        return Err(Trouble::Told(format!("{}: {what}", shown(schema))));
    }
    let named = if named.is_empty() { std::slice::from_ref(&beside) } else { named };
    Ok(files_in(named, "rehearsals", "txt", troubles))
}

/// Finds the rehearsals in a folder `rehearsals` next to a declaration, as far as they can be read.
pub(crate) fn rehearsals_beside(schema: &Path) -> Vec<String> {
    let folder = schema.with_file_name("rehearsals");
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let texts = entries.filter(|path| path.extension().is_some_and(|ending| ending == "txt"));
    texts.filter_map(|path| text(&path).ok()).collect()
}

/// Reads a declaration with the frozen versions and steps next to it.
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

/// Finds the files `v1.toml` and so on in a folder; none if the folder does not exist.
fn versions_in(folder: &Path) -> Vec<(u32, PathBuf)> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let named = entries.filter_map(|path| Some((version_of_file(path.file_name()?.to_str()?)?, path)));
    named.collect()
}

/// Reads the declaration for commands that need it without errors and may name files next to it or below it.
pub(crate) fn schema(args: &Args, named: &[&Path]) -> Result<Arc<Schema>, Trouble> {
    schema_at(&schema_path(args, named)?)
}

/// Reads the declaration in a file.
pub(crate) fn schema_at(path: &Path) -> Result<Arc<Schema>, Trouble> {
    match Schema::parse_with_past(&with_past(path)?) {
        Ok(Parsed { schema, .. }) => Ok(Arc::new(schema)),
        Err(findings) => {
            let count = findings.list().len();
            Err(Trouble::Told(format!("{}: {}; see `keblin check`", shown(path), counted(count, "finding"))))
        }
    }
}

/// Whether a file has exactly these bytes.
pub(crate) fn is_already(path: &Path, bytes: &[u8]) -> bool {
    std::fs::read(path).is_ok_and(|there| there == bytes)
}
