//! Blocks to bytes: the mirror of `reader`, both by the table in `layout`.

use minicbor::data::Tag;

use super::encode;
use super::layout::{
    BLOCK_TAG, CODEC_STORED, FORMAT, HEADER, HEADER_ITEMS, ROW_ITEMS, SECTION, SECTION_ITEMS,
    SELF_DESCRIBED_TAG, STATE, STATE_ITEMS, digest,
};
use super::map::encoded;
use crate::snapshot::Snapshot;

/// What a save says about itself besides the values. Times are given, so that the same snapshot and stamp give the same
/// bytes everywhere.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stamp {
    /// Counts the saves of a slot, from 1.
    pub number: u64,
    /// When the slot was first saved, in milliseconds since 1970.
    pub created_unix_ms: u64,
    /// When this was saved, in milliseconds since 1970.
    pub saved_at_unix_ms: u64,
    /// What made the game save, in a word.
    pub cause: String,
}

/// A row of the state's table: an item of the file.
struct Row {
    name: &'static str,
    offset: usize,
    bytes: Vec<u8>,
}

/// A whole save of a slot: everything but what belongs to the device.
#[must_use]
pub fn write(snapshot: &Snapshot, stamp: &Stamp) -> Vec<u8> {
    write_sections(snapshot, stamp, encode::sections(snapshot))
}

/// A whole device file: the values of device scope, which belong to no slot.
#[must_use]
pub fn write_device(snapshot: &Snapshot, stamp: &Stamp) -> Vec<u8> {
    write_sections(snapshot, stamp, encode::device(snapshot))
}

fn write_sections(snapshot: &Snapshot, stamp: &Stamp, sections: Vec<(&'static str, Vec<u8>)>) -> Vec<u8> {
    let mut rows = vec![Row { name: HEADER, offset: 0, bytes: header(snapshot, stamp) }];
    for (name, body) in sections {
        let offset = rows.last().map_or(0, |row| row.offset + row.bytes.len());
        rows.push(Row { name, offset, bytes: section(name, &body) });
    }
    let state = state(snapshot, stamp, &rows);
    rows.into_iter().flat_map(|row| row.bytes).chain(state).collect()
}

fn header(snapshot: &Snapshot, stamp: &Stamp) -> Vec<u8> {
    let bytes = encoded(|out| {
        out.tag(Tag::new(SELF_DESCRIBED_TAG))?.array(HEADER_ITEMS)?;
        out.str("keblin")?.u32(FORMAT)?.str(snapshot.schema.game.as_str())?.u64(stamp.created_unix_ms)?;
        Ok(())
    });
    with_digest(bytes)
}

fn section(name: &str, body: &[u8]) -> Vec<u8> {
    encoded(|out| {
        out.tag(Tag::new(BLOCK_TAG))?.array(SECTION_ITEMS)?;
        out.str(SECTION)?.bool(true)?.str(name)?.u32(CODEC_STORED)?.u64(body.len() as u64)?;
        out.bytes(&digest(body))?.bytes(body)?;
        Ok(())
    })
}

fn state(snapshot: &Snapshot, stamp: &Stamp, rows: &[Row]) -> Vec<u8> {
    let bytes = encoded(|out| {
        out.tag(Tag::new(BLOCK_TAG))?.array(STATE_ITEMS)?;
        out.str(STATE)?.bool(true)?.u64(stamp.number)?.u32(snapshot.schema.version)?;
        out.u64(stamp.saved_at_unix_ms)?.str(&stamp.cause)?.array(rows.len() as u64)?;
        for row in rows {
            out.array(ROW_ITEMS)?.str(row.name)?.u64(row.offset as u64)?.u64(row.bytes.len() as u64)?;
            out.bytes(&digest(&row.bytes))?;
        }
        Ok(())
    });
    with_digest(bytes)
}

/// An item that ends in the digest of what stands before it.
fn with_digest(mut bytes: Vec<u8>) -> Vec<u8> {
    let digest = digest(&bytes);
    bytes.extend(encoded(|out| out.bytes(&digest).map(drop)));
    bytes
}
