//! Searches a damaged file for states: block by block from the front, and after damage from mark to mark. Only
//! digests decide what is trusted. The search is bounded, whatever the bytes are.

use memchr::memmem;

use std::collections::HashSet;

use super::block::{Block, Budget, Section, Walked};
use super::error::{Fault, ReadError};
use super::file::{Header, SaveFile, header, state_at, without_reserve};
use super::layout::{BLOCK_MARK, Digest, SECTION, STATE, SaveLimits};
use super::state::StateBlock;

/// What is in a file, in its order.
#[derive(Default)]
pub(super) struct Walk {
    /// Where the intact state blocks start.
    pub(super) states: Vec<usize>,
    /// Where the intact section blocks start.
    pub(super) sections: Vec<usize>,
    /// Unknown blocks that are mandatory.
    refusals: Vec<ReadError>,
    /// What is wrong.
    pub(super) faults: Vec<ReadError>,
}

impl Walk {
    /// Walks a file from an offset to its end. Every byte is examined, and every digest compared, once; the budget
    /// keeps the results.
    pub(super) fn through<'b>(
        bytes: &'b [u8],
        from: usize,
        limits: &SaveLimits,
        budget: &mut Budget<'b>,
    ) -> Walk {
        let (mut walk, mut walked) = (Walk::default(), Walked::default());
        let mut offset = from;
        while offset < bytes.len() {
            match Block::at(bytes, offset, limits, budget) {
                Ok(block) => {
                    walked.whole.push((offset, block.content.end));
                    match block.word {
                        STATE => walk.states.push(offset),
                        SECTION => walk.sections.push(offset),
                        _ => walk.refusals.extend(block.refuses(bytes).err()),
                    }
                    offset = block.range.end;
                }
                Err(error) => {
                    let is_over = matches!(error.fault, Fault::SearchedTooLong { .. })
                        || walk.faults.len() >= limits.max_damaged;
                    walked.faults.insert(offset, error.clone());
                    walk.faults.push(error);
                    let rest = bytes.get(offset + 1..).unwrap_or_default();
                    match memmem::find(rest, BLOCK_MARK) {
                        Some(found) if !is_over => offset += 1 + found,
                        _ => break,
                    }
                }
            }
        }
        budget.walked = Some(walked);
        walk
    }
}

/// Returns where the first block starts; if the header is damaged, the first mark.
fn start(bytes: &[u8], header: &Result<Header<'_>, ReadError>) -> usize {
    let marked = |_: &ReadError| memmem::find(bytes, BLOCK_MARK).unwrap_or(bytes.len());
    header.as_ref().map_or_else(marked, |header| header.len_bytes)
}

/// Returns a state with what is wrong after it; refused if a later version wrote something mandatory there.
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

/// The contents of a file: its states one by one, and the damage between them.
pub(crate) struct WholeFile<'b> {
    bytes: &'b [u8],
    header: Result<Header<'b>, ReadError>,
    limits: SaveLimits,
    budget: Budget<'b>,
    walk: Walk,
}

impl<'b> WholeFile<'b> {
    /// Walks a file, within limits.
    pub(crate) fn within(bytes: &'b [u8], limits: SaveLimits) -> WholeFile<'b> {
        let header = header(bytes);
        let bytes = without_reserve(bytes);
        let mut budget = Budget::of(bytes, &limits);
        let walk = Walk::through(bytes, start(bytes, &header), &limits, &mut budget);
        WholeFile { bytes, header, limits, budget, walk }
    }

    /// Returns where the states start.
    pub(crate) fn states(&self) -> Vec<usize> {
        self.walk.states.clone()
    }

    /// Returns what is not an intact block.
    pub(crate) fn faults(&self) -> &[ReadError] {
        &self.walk.faults
    }

    /// Returns the last intact state, with what is wrong after it. `fault` is what is wrong with the state at the end
    /// of the file, if there is one.
    pub(crate) fn last(&mut self, fault: Option<ReadError>) -> Result<SaveFile<'b>, ReadError> {
        let mut fault = fault.or_else(|| self.header.as_ref().err().cloned());
        for offset in self.states().into_iter().rev() {
            match self.state(offset) {
                Ok(file) => return behind(file, self.bytes, &self.walk, fault),
                Err(error) if error.is_refusal() => return Err(error),
                Err(error) => fault = fault.or(Some(error)),
            }
        }
        if let Some(refusal) = self.walk.refusals.last() {
            return Err(refusal.clone());
        }
        let nothing = || {
            let expected = "a state".to_string();
            ReadError::new("file", self.bytes.len(), Fault::Cut { expected })
        };
        Err(fault.or(self.walk.faults.first().cloned()).unwrap_or_else(nothing))
    }

    /// Returns the state at an offset, if everything that belongs to it is intact.
    pub(crate) fn state(&mut self, offset: usize) -> Result<SaveFile<'b>, ReadError> {
        state_at(self.bytes, self.header.as_ref().ok(), offset, &self.limits, &mut self.budget, &|_| false)
    }

    /// Returns the digests of every state in the file and of those before them, as far as the states list them.
    pub(crate) fn lineage(&mut self) -> HashSet<Digest> {
        let mut digests = HashSet::new();
        for offset in &self.walk.states {
            let block = Block::at(self.bytes, *offset, &self.limits, &mut self.budget);
            let state = block.and_then(|block| StateBlock::of(self.bytes, &block, 0, &self.limits));
            if let Ok(StateBlock { head, .. }) = state {
                digests.insert(head.digest);
                digests.extend(head.predecessors);
            }
        }
        digests
    }
}

/// Returns whether every block of a file is intact, up to the reserve after its last state.
pub(crate) fn is_whole_throughout(bytes: &[u8], limits: &SaveLimits) -> bool {
    let whole = WholeFile::within(bytes, limits.clone());
    whole.header.is_ok() && whole.walk.faults.is_empty() && !whole.walk.states.is_empty()
}

/// What is intact in a file whose states are not.
pub(crate) struct Whole<'b> {
    /// The sections in the order of the file.
    pub(crate) sections: Vec<Section<'b>>,
    /// What the last state says that is intact by itself.
    pub(crate) state: Option<Said<'b>>,
}

/// What a state says, although not all that belongs to it is intact.
pub(crate) struct Said<'b> {
    /// The names of what belongs to it.
    pub(crate) names: Vec<&'b str>,
    /// The title of the slot.
    pub(crate) title: Option<String>,
}

/// Returns what is intact in a file, whether or not it belongs to an intact state.
pub(crate) fn whole(bytes: &[u8]) -> Whole<'_> {
    let (limits, bytes) = (SaveLimits::default(), without_reserve(bytes));
    let mut budget = Budget::of(bytes, &limits);
    let walk = Walk::through(bytes, 0, &limits, &mut budget);
    let mut block = |offset: &usize| Block::at(bytes, *offset, &limits, &mut budget).ok();
    let sections =
        walk.sections.iter().filter_map(|offset| Section::of(bytes, &block(offset)?).ok()).collect();
    let mut states = walk.states.iter().rev();
    let last = states.find_map(|offset| StateBlock::of(bytes, &block(offset)?, 0, &limits).ok());
    let state = last.map(|StateBlock { head, rows, .. }| Said {
        names: rows.iter().map(|row| row.name).collect(),
        title: head.summary.title,
    });
    Whole { sections, state }
}
