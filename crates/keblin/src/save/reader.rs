//! Bytes to the last whole state of a save.

use super::block::Budget;
use super::error::{Fault, ReadError};
use super::file::{SaveFile, foot_at_the_end, header, state_at, without_room};
use super::layout::SaveLimits;
use super::search::History;

/// Reads the last whole state of a save from bytes.
///
/// # Errors
/// [`ReadError`] if no state of a game that this library can read is whole: the first place that is not as it must be.
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
        Err(fault) => History::within(bytes, limits.clone()).last(fault),
    }
}

/// Whether nothing can be found in a file, however it is looked through.
pub(crate) fn is_final(error: &ReadError) -> bool {
    error.is_refusal() || matches!(error.fault, Fault::Empty | Fault::TooLarge { .. })
}

/// The state that a file ends in, without looking through the rest of it; what is wrong with it, if it ends in one.
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
    let bytes = without_room(bytes);
    let Some(offset) = foot_at_the_end(bytes, 0) else { return Err(None) };
    let file = state_at(bytes, Some(&header), offset, limits, &mut Budget::of(bytes, limits))?;
    if file.end() == bytes.len() { Ok(file) } else { Err(None) }
}
