//! The map of a level's facts as one piece, because its keys are always the same.

use std::sync::LazyLock;

use super::listed::{FactOf, Leaf, facts};
use super::tape::{ByPath, Gap, Tape};

const COUNT: usize = FactOf::ALL.len();

/// The head of the map; then for each fact the head of its name, the name, and one byte.
pub(crate) const LEN: usize = {
    let (mut len, mut rest) = (1, FactOf::ALL);
    while let [fact, others @ ..] = rest {
        len += 2 + fact.as_str().len();
        rest = others;
    }
    len
};

/// The map, with gaps for the facts.
pub(crate) struct Piece {
    /// Zero in the gaps.
    pub(crate) bytes: [u8; LEN],
    /// Zero in the gaps, and all ones elsewhere.
    pub(crate) mask: [u8; LEN],
    /// The position of each gap.
    pub(crate) at: [usize; COUNT],
}

pub(crate) static PIECE: LazyLock<Piece> = LazyLock::new(|| {
    let tape = Tape::of(&facts(0), &[], &ByPath::new());
    let (mut bytes, mut mask, mut at) = (Vec::new(), Vec::new(), [0; COUNT]);
    for (before, gap) in tape.gaps() {
        bytes.extend(before);
        mask.extend(before.iter().map(|_| 0xff));
        for (place, fact) in at.iter_mut().zip(FactOf::ALL) {
            if matches!(gap, Gap::Leaf(Leaf::Fact(of, _)) if of == fact) {
                *place = bytes.len();
            }
        }
        bytes.push(0);
        mask.push(0);
    }
    let whole = |bytes: Vec<u8>| bytes.try_into().unwrap_or([0; LEN]);
    Piece { bytes: whole(bytes), mask: whole(mask), at }
});

/// Returns whether a tape has only facts, and nothing unknown to keep.
pub(super) fn are_alone(tape: &Tape) -> bool {
    tape.len() + COUNT == LEN
}
