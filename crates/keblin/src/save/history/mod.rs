//! The section of who wrote what. It names the state that it describes. If an older build has saved in between, the section
//! is about another state; what has changed since counts as written then, by the one that wrote last.

/// Writing it.
mod write;

/// Reading it back.
mod read;

use keblin_model::Value;

use super::file::SaveFile;
use super::layout::{Digest, HISTORY, SaveLimits, digest};
use super::values;
use crate::grammar::encoded;
use crate::snapshot::Snapshot;
use crate::snapshot::history::Piece;

#[cfg(feature = "json")]
pub(super) use read::imported;
pub(super) use read::read;
pub(crate) use read::salvaged;
pub(super) use write::write;

/// The start of the digests of all sections that hold values, combined: it does not depend on their order.
pub(crate) type Described = [u8; 8];

/// How many items the section has.
const ITEMS: u64 = 8;

/// The major type of arrays (RFC 8949, section 3.1).
const ARRAY: u8 = 4;

/// Kinds of contents in the file.
const VALUE: u64 = 0;
const PLAIN: u64 = 1;
const AMOUNT: u64 = 2;
const TABLE: u64 = 3;

/// Adds the digest of a section to those that are described.
pub(super) fn describe(all: &mut Described, digest: &[u8]) {
    all.iter_mut().zip(digest).for_each(|(all, byte)| *all ^= byte);
}

/// Returns how often the profile was erased, if a file says.
pub(super) fn erased(file: &SaveFile<'_>) -> Option<u64> {
    let mut cursor = file.section(HISTORY).ok()?.item().cursor();
    cursor.array_of(ITEMS, "a history").ok()?;
    // What it describes, the latest write, the writers, and the first write.
    (0..4).try_for_each(|_| cursor.skip("an item", &SaveLimits::default())).ok()?;
    cursor.count("how often it was erased").ok()
}

/// Returns whether a file has a history of another state than the one it was read from: an older build has saved it.
pub(crate) fn is_of_another_state(file: &SaveFile<'_>) -> bool {
    let Ok(section) = file.section(HISTORY) else { return false };
    let mut cursor = section.item().cursor();
    let described = cursor
        .array_of(ITEMS, "a history")
        .and_then(|()| cursor.next(|| "what it describes", minicbor::Decoder::bytes));
    described.is_ok_and(|described| described != file.described)
}

/// Returns whether a file says of more than one machine that it wrote it.
pub(crate) fn is_of_machines(file: &SaveFile<'_>) -> bool {
    let Ok(section) = file.section(HISTORY) else { return false };
    let mut cursor = section.item().cursor();
    let mut before = || {
        cursor.array_of(ITEMS, "a history")?;
        (0..2).try_for_each(|_| cursor.skip("an item", &SaveLimits::default()))?;
        cursor.array("the writers")
    };
    before().is_ok_and(|writers| writers > 1)
}

/// Returns the values of the table of a piece.
fn table_of<'s>(snapshot: &'s Snapshot, piece: &Piece) -> &'s [Value] {
    let places = match piece {
        Piece::Leaf(leaf) => leaf.cells(),
        _ => 0..0,
    };
    snapshot.state.cells.get(places).unwrap_or_default()
}

/// Returns a number that tells the values of a table apart.
fn check(value: &Value) -> u32 {
    let digest: Digest = digest(&encoded(|out| values::write(out, value)));
    digest.first_chunk().map_or(0, |start| u32::from_be_bytes(*start))
}
