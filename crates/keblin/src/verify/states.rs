//! The states of a file one by one: a file holds its last saves, and each of them is a save of its own.

use std::sync::Arc;

use super::{Save, Verified, verify_within};
use crate::save::layout::Digest;
use crate::save::search::WholeFile;
use crate::save::{Lineage, ReadError, SaveLimits, SealKey, read_within};
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

/// Returns the save in which two files parted, if one of the two still holds it, or one of some other files, such as their
/// backups. An earlier common save is not taken for it: what was earned in between would count twice.
#[must_use]
pub fn common_state(
    ours: &[u8],
    theirs: &[u8],
    others: &[&[u8]],
    schema: &Arc<Schema>,
) -> Option<Verified<Save>> {
    let limits = SaveLimits::default();
    let states = |bytes| Some(Lineage::of(&read_within(bytes, &limits).ok()?).states);
    let (of_ours, of_theirs) = (states(ours)?, states(theirs)?);
    let parted = parted(&of_ours, &of_theirs)?;
    let files: Vec<&[u8]> = [ours, theirs].into_iter().chain(others.iter().copied()).collect();
    held(&files, parted, schema, None, &limits)
}

/// Returns the state in which two saves parted, of the states of each from the latest on. Saves that have merged before can
/// have parted in several: then none is returned.
fn parted<'s>(ours: &'s [Digest], theirs: &[Digest]) -> Option<&'s Digest> {
    let parted = ours.iter().find(|state| theirs.contains(state))?;
    (theirs.iter().find(|state| ours.contains(state)) == Some(parted)).then_some(parted)
}

/// Returns a state that one of some files holds.
fn held(
    files: &[&[u8]],
    state: &Digest,
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
    limits: &SaveLimits,
) -> Option<Verified<Save>> {
    let mut found = None;
    for bytes in files {
        each(bytes, limits, |save, (_, digest)| {
            if digest == *state {
                found = Some(save);
            }
        });
    }
    verify_within(found?, schema, key, limits).ok()
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
