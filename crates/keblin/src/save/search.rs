//! Looking for states in a file that is damaged: block by block from the front, and behind damage from mark to mark. What
//! is found is believed by its digests alone. The search is bounded, whatever the bytes are.

use memchr::memmem;

use super::block::{Block, Budget, Section};
use super::error::{Fault, ReadError};
use super::layout::{BLOCK_MARK, ReadLimits, SECTION, STATE};
use super::reader::{Header, SaveFile, header, state_at, without_room};

/// What stands in a file, in its order.
#[derive(Default)]
pub(super) struct Walk {
    /// Where the blocks begin whose digests hold: those of states.
    pub(super) states: Vec<usize>,
    /// Those of sections.
    pub(super) sections: Vec<usize>,
    /// Blocks of other words that say they must be understood.
    refusals: Vec<ReadError>,
    /// What is not as it must be.
    pub(super) faults: Vec<ReadError>,
}

impl Walk {
    /// Walks a file from an offset to its end.
    pub(super) fn through<'b>(
        bytes: &'b [u8],
        from: usize,
        limits: &ReadLimits,
        budget: &mut Budget<'b>,
    ) -> Walk {
        budget.remember();
        let mut walk = Walk::default();
        let mut offset = from;
        while offset < bytes.len() {
            match Block::at(bytes, offset, limits, budget) {
                Ok(block) => {
                    match block.word {
                        STATE => walk.states.push(offset),
                        SECTION => walk.sections.push(offset),
                        _ => walk.refusals.extend(block.refuses(bytes).err()),
                    }
                    offset = block.range.end;
                }
                Err(error) => {
                    let is_over = matches!(error.fault, Fault::SearchedTooLong { .. });
                    walk.faults.push(error);
                    let rest = bytes.get(offset + 1..).unwrap_or_default();
                    match memmem::find(rest, BLOCK_MARK) {
                        Some(found) if !is_over => offset += 1 + found,
                        _ => break,
                    }
                }
            }
        }
        walk
    }
}

/// The last whole state of a file that does not end in one, with what is wrong behind it. `fault` is what is wrong with
/// the state the file ends in, if it ends in one.
pub(super) fn earlier<'b>(
    bytes: &'b [u8],
    header: &Header<'b>,
    fault: Option<ReadError>,
    limits: &ReadLimits,
    budget: &mut Budget<'b>,
) -> Result<SaveFile<'b>, ReadError> {
    let walk = Walk::through(bytes, header.len_bytes, limits, budget);
    let mut fault = fault;
    for offset in walk.states.iter().rev() {
        match state_at(bytes, header, *offset, limits, budget) {
            Ok(file) => return behind(file, bytes, &walk, fault),
            Err(error) if error.is_refusal() => return Err(error),
            Err(error) if matches!(error.fault, Fault::SearchedTooLong { .. }) => return Err(error),
            Err(error) => fault = fault.or(Some(error)),
        }
    }
    if let Some(refusal) = walk.refusals.into_iter().next_back() {
        return Err(refusal);
    }
    let nothing = || ReadError::new("file", bytes.len(), Fault::Cut { expected: "a state".into() });
    Err(fault.or(walk.faults.into_iter().next()).unwrap_or_else(nothing))
}

/// A state with what is wrong behind it; refused if a later version wrote something there that must be understood.
fn behind<'b>(
    mut file: SaveFile<'b>,
    bytes: &[u8],
    walk: &Walk,
    fault: Option<ReadError>,
) -> Result<SaveFile<'b>, ReadError> {
    let end = file.end();
    if let Some(refusal) = walk.refusals.iter().find(|refusal| refusal.offset >= end) {
        return Err(refusal.clone());
    }
    let damage = walk.faults.iter().find(|fault| fault.offset >= end).cloned();
    let trailing = (end < bytes.len())
        .then(|| ReadError::new("file", end, Fault::Trailing { bytes: bytes.len() - end }));
    file.fault = fault.or(damage).or(trailing);
    Ok(file)
}

/// What is in a file: its states one by one, and what is damaged between them.
pub(crate) struct History<'b> {
    bytes: &'b [u8],
    header: Header<'b>,
    limits: ReadLimits,
    budget: Budget<'b>,
    /// Where the states begin.
    pub(crate) states: Vec<usize>,
    /// What is no block that is whole.
    pub(crate) faults: Vec<ReadError>,
}

impl<'b> History<'b> {
    /// Walks a file; nothing if its header is not whole.
    pub(crate) fn of(bytes: &'b [u8]) -> Option<History<'b>> {
        let limits = ReadLimits::default();
        let header = header(bytes).ok()?;
        let bytes = without_room(bytes);
        let mut budget = Budget::of(bytes, &limits);
        let Walk { states, faults, .. } = Walk::through(bytes, header.len_bytes, &limits, &mut budget);
        Some(History { bytes, header, limits, budget, states, faults })
    }

    /// The state at an offset, if everything that belongs to it is whole.
    pub(crate) fn state(&mut self, offset: usize) -> Result<SaveFile<'b>, ReadError> {
        state_at(self.bytes, &self.header, offset, &self.limits, &mut self.budget)
    }
}

/// The sections that are whole, whatever became of the states they belonged to, in the order of the file.
pub(crate) fn sections(bytes: &[u8]) -> Vec<Section<'_>> {
    let (limits, bytes) = (ReadLimits::default(), without_room(bytes));
    let mut budget = Budget::of(bytes, &limits);
    let walk = Walk::through(bytes, 0, &limits, &mut budget);
    let mut section = |offset: &usize| {
        let block = Block::at(bytes, *offset, &limits, &mut budget).ok()?;
        Section::of(bytes, &block).ok()
    };
    walk.sections.iter().filter_map(&mut section).collect()
}
