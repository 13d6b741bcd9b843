//! Bytes in several parts that are not copied together: those written for a save, and between them the areas of the
//! world, which are large.

use super::layout::{Digest, digest};
use crate::snapshot::AreaBytes;

/// Bytes in parts.
#[derive(Debug, Default)]
pub(crate) struct Parts {
    own: Vec<u8>,
    /// Foreign bytes, each with the number of our own bytes before it.
    held: Vec<(usize, AreaBytes)>,
    held_len: usize,
}

/// A position between the bytes.
#[derive(Clone, Copy)]
pub(super) struct Mark {
    own: usize,
    held: usize,
}

impl Mark {
    /// Returns how many of our own bytes are before it.
    pub(super) fn own(self) -> usize {
        self.own
    }
}

impl Parts {
    /// Returns no parts, with a buffer for our own bytes.
    pub(super) fn with_buffer(own: Vec<u8>) -> Parts {
        Parts { own, ..Parts::default() }
    }

    pub(crate) fn len(&self) -> usize {
        self.own.len() + self.held_len
    }

    /// Returns our own bytes, to append to them.
    pub(super) fn own(&mut self) -> &mut Vec<u8> {
        &mut self.own
    }

    /// Adds the bytes of an area after the others, without copying them. Those that cannot be read are left out.
    pub(super) fn hold(&mut self, bytes: AreaBytes) {
        self.held_len += bytes.get().map_or(0, <[u8]>::len);
        self.held.push((self.own.len(), bytes));
    }

    /// Returns the position after the last byte.
    pub(super) fn mark(&self) -> Mark {
        Mark { own: self.own.len(), held: self.held.len() }
    }

    /// Returns our own bytes since a position without foreign bytes after it.
    pub(super) fn own_since(&self, mark: Mark) -> &[u8] {
        self.own.get(mark.own..).unwrap_or_default()
    }

    /// Returns the digest of everything since a position.
    pub(super) fn digest_since(&self, mark: Mark) -> Digest {
        if self.held.len() == mark.held {
            return digest(self.own_since(mark));
        }
        let mut hasher = blake3::Hasher::new();
        for part in self.since(mark) {
            hasher.update(part);
        }
        *hasher.finalize().as_bytes()
    }

    /// Returns all parts, in order.
    pub(crate) fn all(&self) -> Vec<&[u8]> {
        self.since(Mark { own: 0, held: 0 }).collect()
    }

    fn since(&self, mark: Mark) -> impl Iterator<Item = &[u8]> {
        let held = self.held.get(mark.held..).unwrap_or_default();
        let ends = held.iter().map(|(at, bytes)| (*at, bytes.get().ok()));
        let mut from = mark.own;
        let pairs = ends.chain([(self.own.len(), None)]).flat_map(move |(to, bytes)| {
            let own = self.own.get(from..to).unwrap_or_default();
            from = to;
            [Some(own), bytes]
        });
        pairs.flatten().filter(|part| !part.is_empty())
    }

    /// Returns the last bytes, if that many of our own are last: a save ends in its state, which is ours.
    pub(crate) fn last<const N: usize>(&self) -> Option<&[u8; N]> {
        self.own.last_chunk()
    }

    /// Returns everything in one piece.
    pub(crate) fn into_bytes(self) -> Vec<u8> {
        if self.held.is_empty() { self.own } else { self.all().concat() }
    }

    /// Returns the buffer of our own bytes.
    pub(crate) fn into_buffer(self) -> Vec<u8> {
        self.own
    }
}
