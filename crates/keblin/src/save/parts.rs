//! Bytes that stand behind each other without being copied together: what is written for a save, and between it the areas
//! of the world as the game holds them. Those are large.

use std::sync::Arc;

use super::layout::{Digest, digest};

/// Bytes in parts.
#[derive(Debug, Default)]
pub(crate) struct Parts {
    own: Vec<u8>,
    /// Bytes that somebody else holds, each with how many of our own stand before it.
    held: Vec<(usize, Arc<[u8]>)>,
    held_len: usize,
}

/// A place between the bytes.
#[derive(Clone, Copy)]
pub(super) struct Mark {
    own: usize,
    held: usize,
}

impl Mark {
    /// How many of our own bytes stand before it.
    pub(super) fn own(self) -> usize {
        self.own
    }
}

impl Parts {
    /// Nothing yet, with room for bytes of our own.
    pub(super) fn with_room(own: Vec<u8>) -> Parts {
        Parts { own, ..Parts::default() }
    }

    pub(crate) fn len(&self) -> usize {
        self.own.len() + self.held_len
    }

    /// Our own bytes, to write behind them.
    pub(super) fn own(&mut self) -> &mut Vec<u8> {
        &mut self.own
    }

    /// Puts bytes behind the others that stay where they are.
    pub(super) fn hold(&mut self, bytes: &Arc<[u8]>) {
        self.held.push((self.own.len(), Arc::clone(bytes)));
        self.held_len += bytes.len();
    }

    /// The place behind the last byte.
    pub(super) fn mark(&self) -> Mark {
        Mark { own: self.own.len(), held: self.held.len() }
    }

    /// Our own bytes since a place behind which nothing is held.
    pub(super) fn own_since(&self, mark: Mark) -> &[u8] {
        self.own.get(mark.own..).unwrap_or_default()
    }

    /// The digest of everything since a place.
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

    /// All parts, in their order.
    pub(crate) fn all(&self) -> Vec<&[u8]> {
        self.since(Mark { own: 0, held: 0 }).collect()
    }

    fn since(&self, mark: Mark) -> impl Iterator<Item = &[u8]> {
        let held = self.held.get(mark.held..).unwrap_or_default();
        let ends = held.iter().map(|(at, bytes)| (*at, Some(bytes.as_ref())));
        let mut from = mark.own;
        let pairs = ends.chain([(self.own.len(), None)]).flat_map(move |(to, bytes)| {
            let own = self.own.get(from..to).unwrap_or_default();
            from = to;
            [Some(own), bytes]
        });
        pairs.flatten().filter(|part| !part.is_empty())
    }

    /// The last bytes, where that many of our own are the last: a save ends in its state, which is.
    pub(crate) fn last<const N: usize>(&self) -> Option<&[u8; N]> {
        self.own.last_chunk()
    }

    /// All of it in one piece.
    pub(crate) fn into_bytes(self) -> Vec<u8> {
        if self.held.is_empty() { self.own } else { self.all().concat() }
    }

    /// The room that our own bytes took.
    pub(crate) fn into_room(self) -> Vec<u8> {
        self.own
    }
}
