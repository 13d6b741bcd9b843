//! Reads the last intact state of a save.

use super::block::Budget;
use super::error::{Fault, ReadError};
use super::file::{SaveFile, foot_at_the_end, header, state_at, without_reserve};
use super::layout::SaveLimits;
use super::search::WholeFile;

/// Reads the last intact state of a save from bytes.
///
/// # Errors
/// [`ReadError`] if no state that this library can read is intact: the first place that is wrong.
pub fn read(bytes: &[u8]) -> Result<SaveFile<'_>, ReadError> {
    read_within(bytes, &SaveLimits::default())
}

/// Reads as [`read`] does, within other limits.
///
/// # Errors
/// As [`read`].
pub fn read_within<'b>(bytes: &'b [u8], limits: &SaveLimits) -> Result<SaveFile<'b>, ReadError> {
    match at_the_end(bytes, limits) {
        Ok(file) => Ok(file),
        Err(Some(error)) if is_final(&error) => Err(error),
        Err(fault) => WholeFile::within(bytes, limits.clone()).last(fault),
    }
}

/// Returns whether searching the file cannot find anything.
pub(crate) fn is_final(error: &ReadError) -> bool {
    error.is_refusal() || matches!(error.fault, Fault::Empty | Fault::TooLarge { .. })
}

/// Reads the state at the end of a file, without searching the rest; returns what is wrong with it, if there is one.
pub(crate) fn at_the_end<'b>(
    bytes: &'b [u8],
    limits: &SaveLimits,
) -> Result<SaveFile<'b>, Option<ReadError>> {
    if bytes.is_empty() {
        return Err(Some(ReadError::new("file", 0, Fault::Empty)));
    }
    if bytes.len() > limits.max_save_bytes {
        let fault = Fault::TooLarge { bytes: bytes.len(), most: limits.max_save_bytes };
        return Err(Some(ReadError::new("file", 0, fault)));
    }
    let header = match header(bytes) {
        Ok(header) => header,
        Err(error) if error.is_refusal() => return Err(Some(error)),
        Err(_) => return Err(None),
    };
    let bytes = without_reserve(bytes);
    let Some(offset) = foot_at_the_end(bytes, 0) else { return Err(None) };
    let file = state_at(bytes, Some(&header), offset, limits, &mut Budget::of(bytes, limits), &|_| false)?;
    if file.end() == bytes.len() { Ok(file) } else { Err(None) }
}
