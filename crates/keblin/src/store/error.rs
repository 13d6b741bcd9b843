//! What an operating system says when it fails, with what was being done and to what.

use std::fmt;
use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};

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
        // A path may hold any character: what would move a terminal's cursor is shown escaped.
        let path = self.path.to_string_lossy();
        let path = keblin_schema::shown::Shown(&path);
        write!(f, "{} {path}: {}", self.doing, self.source)
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

/// Makes the error of a call, for `map_err`.
pub(super) fn failed(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> DiskError {
    let path = path.to_path_buf();
    move |source| DiskError { doing, path, source }
}

/// What is not there is no failure.
pub(super) fn there<T>(result: io::Result<T>) -> io::Result<Option<T>> {
    match result {
        Ok(found) => Ok(Some(found)),
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}
