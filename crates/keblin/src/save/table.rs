//! The table of a state: everything of the file that belongs to it.

use std::ops::Range;

use minicbor::Encoder;

use super::block::holds_values;
use super::history::{Described, describe};
use super::layout::{DIGEST_BYTES, Digest, ROW_ITEMS};
use crate::grammar::Failure;

/// A row of the table: an item of the file that belongs to the state.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Row<'b> {
    pub(super) name: &'b str,
    pub(super) offset: usize,
    pub(super) len_bytes: usize,
    pub(super) digest: Digest,
}

/// An area of the world that was not read: where its block is in the file.
#[derive(Clone, Debug)]
pub(crate) struct LeftOut {
    /// The name of its section.
    pub(crate) name: String,
    pub(crate) offset: usize,
    pub(crate) len_bytes: usize,
    pub(crate) digest: Digest,
}

/// The table of a state: a row for each item of the file that belongs to it, in the order of the file.
#[derive(Debug, Default)]
pub(super) struct Table {
    pub(super) rows: Vec<u8>,
    pub(super) count: u64,
    /// How long the items are together, in bytes.
    pub(super) items_bytes: usize,
    /// What a history of the state describes.
    pub(super) described: Described,
}

impl Table {
    /// Returns an empty table with a buffer for this many bytes of rows.
    pub(super) fn with_buffer(bytes: usize) -> Table {
        Table { rows: Vec::with_capacity(bytes), ..Table::default() }
    }

    /// Adds a row after the others; returns its position among them.
    pub(super) fn push(&mut self, row: &Row<'_>) -> Range<usize> {
        let from = self.rows.len();
        if holds_values(row.name) {
            describe(&mut self.described, &row.digest);
        }
        // Writing to a vector never fails.
        let _ = write_row(&mut Encoder::new(&mut self.rows), row);
        self.pushed(from, row.len_bytes)
    }

    /// Adds the row of an area that was written before; its section has some length.
    pub(super) fn push_written(&mut self, row: &[u8], len_bytes: usize) -> Range<usize> {
        let from = self.rows.len();
        // A row ends in the digest.
        describe(&mut self.described, row.last_chunk::<DIGEST_BYTES>().map_or(&[], |digest| digest));
        self.rows.extend_from_slice(row);
        self.pushed(from, len_bytes)
    }

    fn pushed(&mut self, from: usize, len_bytes: usize) -> Range<usize> {
        self.count += 1;
        self.items_bytes += len_bytes;
        from..self.rows.len()
    }

    pub(super) fn write(&self, out: &mut Encoder<&mut Vec<u8>>) -> Result<(), Failure> {
        out.array(self.count)?.writer_mut().extend_from_slice(&self.rows);
        Ok(())
    }
}

/// Writes a row of the table.
fn write_row(out: &mut Encoder<&mut Vec<u8>>, row: &Row<'_>) -> Result<(), Failure> {
    out.array(ROW_ITEMS)?.str(row.name)?.u64(row.offset as u64)?.u64(row.len_bytes as u64)?;
    out.bytes(&row.digest)?;
    Ok(())
}
