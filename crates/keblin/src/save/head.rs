//! What a save says about itself, from the two ends of its file alone: so that a list of slots costs no more where saves
//! are large.

use super::block::{Block, Budget};
use super::error::{Fault, ReadError};
use super::file::{foot_at_the_end, header};
use super::layout::{STATE, SaveLimits};
use super::state::{StateBlock, StateHead};

/// What a save says about itself. Its values have not been looked at.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SlotHead {
    /// The game it is of.
    pub game: String,
    /// When the slot was first saved, in milliseconds since 1970.
    pub created_unix_ms: u64,
    /// What its last state says.
    pub state: StateHead,
}

/// How many bytes of the end of a file the state takes that it ends in.
///
/// # Errors
/// [`ReadError`] if the last bytes are not the foot of a state.
pub(crate) fn state_bytes(len_bytes: usize, last: &[u8]) -> Result<usize, ReadError> {
    // The foot tells the length; where the bytes are fewer than that, it cannot be subtracted from them.
    let padded = len_bytes.saturating_sub(last.len());
    foot_at_the_end(last, padded).map(|start| len_bytes - start).ok_or_else(|| {
        let fault = Fault::Cut { expected: "the foot of a state at the end".into() };
        ReadError::new("file", len_bytes, fault)
    })
}

/// Reads the head of a save of some length from its first and its last bytes.
///
/// # Errors
/// [`ReadError`] if the header is not whole or the file does not end in a whole state; then opening tells more.
pub(crate) fn head_of(len_bytes: usize, first: &[u8], last: &[u8]) -> Result<SlotHead, ReadError> {
    let header = header(first)?;
    let base = len_bytes.saturating_sub(last.len());
    let start = len_bytes - state_bytes(len_bytes, last)?;
    let limits = SaveLimits::default();
    let in_file = |error: ReadError| ReadError { offset: error.offset + base, ..error };
    let cut = || ReadError::new(STATE, start, Fault::Cut { expected: "the whole state".into() });
    let offset = start.checked_sub(base).ok_or_else(cut)?;
    let block = Block::at(last, offset, &limits, &mut Budget::of(last, &limits)).map_err(in_file)?;
    if block.word != STATE {
        let (expected, found) = ("a state".to_string(), format!("{:?}", block.word));
        return Err(ReadError::new("file", start, Fault::Unexpected { expected, found }));
    }
    let StateBlock { head, .. } = StateBlock::of(last, &block, base, &limits).map_err(in_file)?;
    Ok(SlotHead { game: header.game.to_string(), created_unix_ms: header.created_unix_ms, state: head })
}
