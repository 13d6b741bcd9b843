//! The map of a level's facts as one piece, because its keys are always the same.

use std::sync::LazyLock;

use super::listed::{FactOf, Leaf, facts};
use super::template::{ByPath, Hole, Template};

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

/// The map, with holes for the facts.
pub(crate) struct Piece {
    /// Zero in the holes.
    pub(crate) bytes: [u8; LEN],
    /// Zero in the holes, and all ones elsewhere.
    pub(crate) mask: [u8; LEN],
    /// The position of each hole.
    pub(crate) at: [usize; COUNT],
}

pub(crate) static PIECE: LazyLock<Piece> = LazyLock::new(|| {
    let template = Template::of(&facts(0), &[], &ByPath::new());
    let (mut bytes, mut mask, mut at) = (Vec::new(), Vec::new(), [0; COUNT]);
    for (before, hole) in template.holes() {
        bytes.extend(before);
        mask.extend(before.iter().map(|_| 0xff));
        for (place, fact) in at.iter_mut().zip(FactOf::ALL) {
            if matches!(hole, Hole::Leaf(Leaf::Fact(of, _)) if of == fact) {
                *place = bytes.len();
            }
        }
        bytes.push(0);
        mask.push(0);
    }
    let whole = |bytes: Vec<u8>| bytes.try_into().unwrap_or([0; LEN]);
    Piece { bytes: whole(bytes), mask: whole(mask), at }
});

/// Returns whether a template has only facts, and nothing unknown to keep.
pub(super) fn are_alone(template: &Template) -> bool {
    template.len() + COUNT == LEN
}
