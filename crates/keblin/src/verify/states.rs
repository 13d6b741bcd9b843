//! The states of a file one by one: a file holds its last saves, and each of them is a save of its own.

use std::sync::Arc;

use super::{Save, Verified, verify_within};
use crate::save::layout::Digest;
use crate::save::search::WholeFile;
use crate::save::{ReadError, SaveLimits, SealKey};
use crate::snapshot::Schema;

/// Returns the save of some number in a file, as it would be if nothing had been saved since; `None` if the file does
/// not have one. [`examine`](super::examine) lists the numbers.
///
/// # Errors
/// As [`verify`](super::verify), if the save of that number cannot be read.
pub fn verify_state(
    bytes: &[u8],
    number: u64,
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
) -> Result<Option<Verified<Save>>, ReadError> {
    let mut found = None;
    each(bytes, &SaveLimits::default(), |save, (its_number, _)| {
        if its_number == number {
            found = Some(save);
        }
    });
    found.map(|save| verify_within(save, schema, key, &SaveLimits::default())).transpose()
}

/// Visits every intact state of a file: the file up to it, its number and its digest.
fn each<'b>(bytes: &'b [u8], limits: &SaveLimits, mut visit: impl FnMut(&'b [u8], (u64, Digest))) {
    let mut whole = WholeFile::within(bytes, limits.clone());
    for offset in whole.states() {
        if let Ok(file) = whole.state(offset)
            && let Some(save) = bytes.get(..file.end())
        {
            visit(save, (file.head.number, file.head.digest));
        }
    }
}
