//! Reads a save without the areas of the world: they stay in the file until they are first needed. The state, its table
//! and everything else are read and compared as always.

use std::ops::Range;

use super::block::{Block, Budget, Section};
use super::error::{Fault, ReadError};
use super::file::{SaveFile, foot_at_the_end, header, state_at};
use super::layout::SaveLimits;
use super::search::whole;
use super::state::StateBlock;
use super::table::LeftOut;
use crate::snapshot::{Schema, area_of};

/// Returns whether a section is an area that a schema declares, or a copy of one.
pub(super) fn is_left_out(name: &str, schema: &Schema) -> bool {
    area_of(name).is_some_and(|(_, id)| schema.areas.position(id).is_some())
}

/// Returns which bytes of a file are needed, from its last ones, which have the whole last state; `end` is where that
/// state ends. `None` if the file must be read as a whole: it does not end in an intact state, or that is of another
/// version.
pub(crate) fn needed(
    end: usize,
    last: &[u8],
    schema: &Schema,
    limits: &SaveLimits,
) -> Option<Vec<Range<usize>>> {
    let base = end.checked_sub(last.len())?;
    let start = foot_at_the_end(last, base)?.checked_sub(base)?;
    let block = Block::at(last, start, limits, &mut Budget::of(last, limits)).ok()?;
    let StateBlock { head, rows, .. } = StateBlock::of(last, &block, base, limits).ok()?;
    if head.schema_version != schema.version {
        return None;
    }
    let mut ranges: Vec<Range<usize>> = Vec::new();
    for row in rows.iter().filter(|row| !is_left_out(row.name, schema)) {
        match ranges.last_mut() {
            Some(range) if range.end == row.offset => range.end += row.len_bytes,
            _ => ranges.push(row.offset..row.offset + row.len_bytes),
        }
    }
    Some(ranges)
}

/// Returns the state at the end of a file whose areas are not there: any bytes may be in their places.
pub(crate) fn without_areas<'b>(
    bytes: &'b [u8],
    schema: &Schema,
    limits: &SaveLimits,
) -> Option<SaveFile<'b>> {
    let header = header(bytes).ok()?;
    let offset = foot_at_the_end(bytes, 0)?;
    let leaves_out = |name: &str| is_left_out(name, schema);
    let budget = &mut Budget::of(bytes, limits);
    let file = state_at(bytes, Some(&header), offset, limits, budget, &leaves_out).ok()?;
    (file.end() == bytes.len()).then_some(file)
}

impl LeftOut {
    /// Returns the bytes of the area from those of its block.
    ///
    /// # Errors
    /// [`ReadError`] if they are not the ones that the state was saved with.
    pub(crate) fn bytes_of(&self, block: &[u8]) -> Result<Vec<u8>, ReadError> {
        let in_file = |error: ReadError| ReadError { offset: error.offset + self.offset, ..error };
        let limits = SaveLimits::default();
        let found = Block::at(block, 0, &limits, &mut Budget::of(block, &limits)).map_err(in_file)?;
        let section = Section::of(block, &found).map_err(in_file)?;
        if found.digest != self.digest || section.name != self.name {
            return Err(ReadError::new(&self.name, self.offset, Fault::Digest));
        }
        section.area().map_err(in_file)
    }

    /// Returns the same bytes from another file, if an intact block of it has them.
    pub(crate) fn bytes_in(&self, file: &[u8]) -> Option<Vec<u8>> {
        let sections = whole(file).sections.into_iter().filter(|section| section.name == self.name);
        sections.rev().find_map(|section| self.bytes_of(section.block).ok())
    }
}
