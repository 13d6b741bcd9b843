//! Errors of the operating system, with the operation and the path.

use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};

use thiserror::Error;

/// A call to the operating system that failed.
#[derive(Error)]
#[error("{doing} {}: {source}", shown(path))]
#[non_exhaustive]
pub struct DiskError {
    /// The operation.
    pub doing: &'static str,
    /// The path.
    pub path: PathBuf,
    /// Why it failed.
    pub source: io::Error,
}

keblin_model::debug_as_display!(DiskError);

/// Returns a path for a message, with control characters escaped.
pub(super) fn shown(path: &Path) -> String {
    keblin_model::shown::Shown(&path.to_string_lossy()).to_string()
}

impl DiskError {
    /// Returns whether it failed because the place is read-only.
    pub(super) fn is_read_only(&self) -> bool {
        matches!(self.source.kind(), ErrorKind::PermissionDenied | ErrorKind::ReadOnlyFilesystem)
    }
}

/// Makes the error of a call, for `map_err`.
pub(super) fn failed(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> DiskError {
    let path = path.to_path_buf();
    move |source| DiskError { doing, path, source }
}

/// Turns a missing file into `None`.
pub(super) fn there<T>(result: io::Result<T>) -> io::Result<Option<T>> {
    match result {
        Ok(found) => Ok(Some(found)),
        Err(error) if error.kind() == ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}
