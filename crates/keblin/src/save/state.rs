//! The content of a state block: what a save says about itself, and the table of everything that belongs to it.
//! `StateHead::write` is the reverse.

use minicbor::Encoder;

use super::block::Block;
use super::cursor::Cursor;
use super::error::{Fault, ReadError};
use super::fingerprint::Fingerprint;
use super::layout::{
    Digest, FOOT_BYTES, MAX_PREDECESSORS, ROW_ITEMS, STATE, STATE_CONTENT_ITEMS, STATE_ITEMS, SaveLimits,
    foot,
};
use super::summary::Summary;
use super::table::{Row, Table};
use crate::grammar::Failure;

/// What a save says about itself, known without reading its values.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct StateHead {
    /// The number of the save, counted from 1 in each slot.
    pub number: u64,
    /// The version of the schema it was written with.
    pub schema_version: u32,
    /// The fingerprint of the schema.
    pub fingerprint: Fingerprint,
    /// When it was saved, in milliseconds since 1970.
    pub saved_at_unix_ms: u64,
    /// Why the game saved, in one word.
    pub cause: String,
    /// Whether a tool made it, not the game.
    pub edited: bool,
    /// The summary for lists of slots.
    pub summary: Summary,
    /// The digests of the states before it, the latest first.
    pub predecessors: Vec<Digest>,
    /// Its own digest.
    pub digest: Digest,
    /// Where its block starts, in bytes from the start of the file.
    pub offset: usize,
    /// The length of its block in bytes, foot included.
    pub len_bytes: usize,
}

/// A state block whose digest and foot match; what its table names has not been examined.
pub(super) struct StateBlock<'b> {
    pub(super) head: StateHead,
    pub(super) rows: Vec<Row<'b>>,
    /// The item of the seal, if there is one.
    pub(super) seal: Option<&'b [u8]>,
}

impl<'b> StateBlock<'b> {
    /// Reads a block of bytes that start at some offset of the file.
    pub(super) fn of(
        file: &'b [u8],
        block: &Block<'b>,
        base: usize,
        limits: &SaveLimits,
    ) -> Result<StateBlock<'b>, ReadError> {
        let own_offset = base + block.range.start;
        let mut cursor = block.content_cursor(file, STATE);
        let start = cursor.offset();
        let items = cursor.array("a state's content")?;
        if items != STATE_CONTENT_ITEMS || block.rest_items != STATE_ITEMS - 4 {
            let what = "a state of another shape".to_string();
            return Err(cursor.fault(start, Fault::LaterKeblin { what }));
        }
        let number = cursor.count("the state's number")?;
        let schema_version = cursor.next(|| "the schema version", minicbor::Decoder::u32)?;
        let fingerprint = Fingerprint::read(&mut cursor)?;
        let saved_at_unix_ms = cursor.count("when it was saved")?;
        let cause = cursor.text("the cause")?.to_string();
        let edited = cursor.bool("whether it was edited")?;
        let summary = Summary::read(&mut cursor, limits)?;
        let rows = rows(&mut cursor, own_offset, limits)?;
        let predecessors = predecessors(&mut cursor)?;
        let offset_at = cursor.offset();
        if cursor.count("the state's own offset")? != own_offset as u64 {
            return Err(cursor.unexpected(offset_at, format!("{own_offset} as its own offset")));
        }
        let seal = seal_and_foot(file, block, number, limits)?;
        let head = StateHead {
            number,
            schema_version,
            fingerprint,
            saved_at_unix_ms,
            cause,
            edited,
            summary,
            predecessors,
            digest: block.digest,
            offset: own_offset,
            len_bytes: block.range.len(),
        };
        Ok(StateBlock { head, rows, seal })
    }
}

/// Returns the seal's item, if it is not null, after checking the foot after it.
fn seal_and_foot<'b>(
    file: &'b [u8],
    block: &Block<'b>,
    number: u64,
    limits: &SaveLimits,
) -> Result<Option<&'b [u8]>, ReadError> {
    let mut cursor = Cursor::in_file(STATE, file, block.rest.start);
    let seal_at = cursor.offset();
    let is_sealed = !cursor.null();
    if is_sealed {
        cursor.skip("a seal", limits)?;
    }
    let seal = cursor.since(seal_at);
    let digest_and_seal = file.get(block.content.end..cursor.offset()).unwrap_or_default();
    let foot_at = cursor.offset();
    let found = cursor.next(|| "a foot", minicbor::Decoder::bytes)?;
    let expected: [u8; FOOT_BYTES] = foot(block.range.len(), number, digest_and_seal);
    if found != expected {
        return Err(cursor.fault(foot_at, Fault::Foot));
    }
    Ok(is_sealed.then_some(seal))
}

/// Reads the table: from the start of the file on, each item after the previous one, and all before the state.
fn rows<'b>(
    cursor: &mut Cursor<'b>,
    state_offset: usize,
    limits: &SaveLimits,
) -> Result<Vec<Row<'b>>, ReadError> {
    let start = cursor.offset();
    let count = cursor.array("the table")?;
    if count == 0 || count > limits.max_rows {
        return Err(cursor.unexpected(start, format!("a table of 1 to {} rows", limits.max_rows)));
    }
    let (mut rows, mut free_from) = (Vec::new(), 0);
    for _ in 0..count {
        let row_at = cursor.offset();
        cursor.array_of(ROW_ITEMS, "a row of the table")?;
        let name = cursor.text("an item's name")?;
        let offset = cursor.next(|| "an item's offset", minicbor::Decoder::u64)?;
        let length = cursor.next(|| "an item's length", minicbor::Decoder::u64)?;
        let digest = cursor.digest("an item's digest")?;
        let place = usize::try_from(offset).ok().zip(usize::try_from(length).ok());
        let end = place.and_then(|(offset, length)| offset.checked_add(length));
        match (place, end) {
            (Some((offset, len_bytes)), Some(end)) if offset >= free_from && end <= state_offset => {
                free_from = end;
                rows.push(Row { name, offset, len_bytes, digest });
            }
            _ => {
                let expected = format!("an item between bytes {free_from} and {state_offset}");
                let found = format!("{length} bytes at {offset}");
                return Err(cursor.fault(row_at, Fault::Unexpected { expected, found }));
            }
        }
    }
    Ok(rows)
}

fn predecessors(cursor: &mut Cursor<'_>) -> Result<Vec<Digest>, ReadError> {
    let start = cursor.offset();
    let count = cursor.array("the digests of the states before")?;
    if count > MAX_PREDECESSORS as u64 {
        return Err(cursor.unexpected(start, format!("at most {MAX_PREDECESSORS} digests")));
    }
    (0..count).map(|_| cursor.digest("the digest of a state before")).collect()
}

/// Writes the content of a state block.
pub(super) fn write_content(
    out: &mut Encoder<&mut Vec<u8>>,
    head: &StateHead,
    table: &Table,
) -> Result<(), Failure> {
    out.array(STATE_CONTENT_ITEMS)?.u64(head.number)?.u32(head.schema_version)?;
    head.fingerprint.write(out)?;
    out.u64(head.saved_at_unix_ms)?.str(&head.cause)?.bool(head.edited)?;
    head.summary.write(out)?;
    table.write(out)?;
    out.array(head.predecessors.len() as u64)?;
    for digest in &head.predecessors {
        out.bytes(digest)?;
    }
    out.u64(head.offset as u64)?;
    Ok(())
}
