//! The states of a file one by one: a file holds its last saves, and each of them is a save of its own.

use std::collections::HashSet;
use std::sync::Arc;

use super::{Save, Verified, verify_within};
use crate::save::layout::Digest;
use crate::save::search::History;
use crate::save::{ReadError, SaveLimits, SealKey};
use crate::snapshot::{Schema, Snapshot};

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

/// Returns the latest save that two files both continue, if one of the two still holds it, or one of some other files,
/// such as their backups.
#[must_use]
pub fn common_state(
    ours: &[u8],
    theirs: &[u8],
    others: &[&[u8]],
    schema: &Arc<Schema>,
) -> Option<Verified<Save>> {
    let limits = SaveLimits::default();
    let lineage = |bytes| History::within(bytes, limits.clone()).lineage();
    let (of_ours, of_theirs) = (lineage(ours), lineage(theirs));
    let is_common = |digest: &Digest| of_ours.contains(digest) && of_theirs.contains(digest);
    let files: Vec<&[u8]> = [ours, theirs].into_iter().chain(others.iter().copied()).collect();
    latest(&files, is_common, schema, None, &limits)
}

/// Returns the latest state that two saves both continue, if one of some files still holds it.
pub(crate) fn common(
    ours: &[Digest],
    theirs: &HashSet<Digest>,
    files: &[&[u8]],
    schema: &Arc<Schema>,
    (key, limits): (Option<&SealKey>, &SaveLimits),
) -> Option<Snapshot> {
    let is_common = |digest: &Digest| ours.contains(digest) && theirs.contains(digest);
    latest(files, is_common, schema, key, limits).map(|save| save.snapshot().clone())
}

fn latest(
    files: &[&[u8]],
    is_common: impl Fn(&Digest) -> bool,
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
    limits: &SaveLimits,
) -> Option<Verified<Save>> {
    let mut latest: Option<(u64, &[u8])> = None;
    for bytes in files {
        each(bytes, limits, |save, (number, digest)| {
            if latest.is_none_or(|(latest, _)| latest < number) && is_common(&digest) {
                latest = Some((number, save));
            }
        });
    }
    verify_within(latest?.1, schema, key, limits).ok()
}

/// Visits every intact state of a file: the file up to it, its number and its digest.
fn each<'b>(bytes: &'b [u8], limits: &SaveLimits, mut visit: impl FnMut(&'b [u8], (u64, Digest))) {
    let mut history = History::within(bytes, limits.clone());
    for offset in history.states() {
        if let Ok(file) = history.state(offset)
            && let Some(save) = bytes.get(..file.end())
        {
            visit(save, (file.head.number, file.head.digest));
        }
    }
}
