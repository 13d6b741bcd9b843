//! What an operating system says when it fails, with what was being done and to what.

use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};

use thiserror::Error;

/// A call to the operating system that failed.
#[derive(Debug, Error)]
#[error("{doing} {}: {source}", shown(path))]
#[non_exhaustive]
pub struct DiskError {
    /// What was being done.
    pub doing: &'static str,
    /// To what.
    pub path: PathBuf,
    /// Why it failed.
    pub source: io::Error,
}

/// A path in a message: what would act on a terminal is escaped.
pub(super) fn shown(path: &Path) -> String {
    keblin_schema::shown::Shown(&path.to_string_lossy()).to_string()
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
