//! The facts of a level as one piece. Each level has such a map per difficulty, and they are most of many saves. Its
//! keys are always the same and its values are nearly always one byte each, so it is written and compared as a whole.

use super::cursor::Cursor;
use crate::grammar::facts::{LEN, PIECE, Piece};
use crate::snapshot::LevelFacts;

/// Writes facts, if one byte is enough for each.
pub(super) fn write_small(out: &mut Vec<u8>, facts: &LevelFacts) -> bool {
    let LevelFacts { finished, stars, collected, attempts, deaths } = *facts;
    let values = [0xf4 | u64::from(finished), stars.into(), collected, attempts, deaths];
    // RFC 8949, section 3.1: a number below 24 is its own head.
    if ![values[1], values[2], values[3], values[4]].iter().all(|count| *count < 24) {
        return false;
    }
    let Piece { bytes, at, .. } = &*PIECE;
    let start = out.len();
    out.extend_from_slice(bytes);
    for (at, value) in at.iter().zip(values) {
        if let (Some(place), Ok(value)) = (out.get_mut(start + at), u8::try_from(value)) {
            *place = value;
        }
    }
    true
}

/// Reads facts, if each is one byte.
pub(super) fn read_small(cursor: &mut Cursor<'_>, facts: &mut LevelFacts) -> bool {
    let Some(found) = cursor.next_bytes::<LEN>() else { return false };
    let Piece { bytes, mask, at } = &*PIECE;
    let pairs = found.iter().zip(bytes).zip(mask);
    // The loop does not exit early, so that it compares many bytes at a time.
    let differs = pairs.fold(0, |differs, ((one, other), mask)| differs | ((one ^ other) & mask));
    let [finished, stars, collected, attempts, deaths] =
        at.map(|at| found.get(at).copied().unwrap_or(u8::MAX));
    let are_small = [stars, collected, attempts, deaths].iter().all(|count| *count < 24);
    let fits = differs == 0 && are_small && finished | 1 == 0xf5;
    if fits {
        *facts = LevelFacts {
            finished: finished == 0xf5,
            stars,
            collected: collected.into(),
            attempts: attempts.into(),
            deaths: deaths.into(),
        };
        cursor.skip_bytes(LEN);
    }
    fits
}
