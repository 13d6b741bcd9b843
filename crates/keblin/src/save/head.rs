//! The head of a save, read only from the two ends of its file, so that a list of slots is fast even if saves are
//! large.

use super::block::{Block, Budget};
use super::error::{Fault, ReadError};
use super::file::{foot_at_the_end, header};
use super::layout::{STATE, SaveLimits};
use super::state::{StateBlock, StateHead};

/// The head of a save. Its values are not checked.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SlotHead {
    /// The game.
    pub game: String,
    /// When the slot was first saved, in milliseconds since 1970.
    pub created_unix_ms: u64,
    /// What its last state says about itself.
    pub state: StateHead,
}

/// Returns how many bytes at the end of a file belong to its last state.
///
/// # Errors
/// [`ReadError`] if the last bytes are not the foot of a state.
pub(crate) fn state_bytes(len_bytes: usize, last: &[u8]) -> Result<usize, ReadError> {
    // The foot gives the length; if there are fewer bytes, it cannot be subtracted.
    let padded = len_bytes.saturating_sub(last.len());
    foot_at_the_end(last, padded).map(|start| len_bytes - start).ok_or_else(|| {
        let fault = Fault::Cut { expected: "the foot of a state at the end".into() };
        ReadError::new("file", len_bytes, fault)
    })
}

/// Reads the head of a save of some length from its first and its last bytes.
///
/// # Errors
/// [`ReadError`] if the header is damaged or the file does not end in an intact state; opening it reports more.
pub(crate) fn head_of(len_bytes: usize, first: &[u8], last: &[u8]) -> Result<SlotHead, ReadError> {
    let header = header(first)?;
    let base = len_bytes.saturating_sub(last.len());
    let start = len_bytes - state_bytes(len_bytes, last)?;
    let limits = SaveLimits::default();
    let in_file = |error: ReadError| ReadError { offset: error.offset + base, ..error };
    let cut = || ReadError::new(STATE, start, Fault::Cut { expected: "a complete state".into() });
    let offset = start.checked_sub(base).ok_or_else(cut)?;
    let block = Block::at(last, offset, &limits, &mut Budget::of(last, &limits)).map_err(in_file)?;
    if block.word != STATE {
        let (expected, found) = ("a state".to_string(), format!("{:?}", block.word));
        return Err(ReadError::new("file", start, Fault::Unexpected { expected, found }));
    }
    let StateBlock { head, .. } = StateBlock::of(last, &block, base, &limits).map_err(in_file)?;
    Ok(SlotHead { game: header.game.to_string(), created_unix_ms: header.created_unix_ms, state: head })
}
