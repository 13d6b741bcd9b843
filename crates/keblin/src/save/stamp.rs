//! What a save says about itself besides its values, and what the next one follows.

use super::file::SaveFile;
use super::layout::{Digest, MAX_PREDECESSORS};

/// How many states of another save are known when it is taken among those before.
const JOINED_STATES: usize = 8;

/// What a save says about itself besides the values. Times are given, so that the same snapshot and stamp give the same
/// bytes everywhere.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Stamp {
    /// Counts the saves of a slot, from 1.
    pub number: u64,
    /// When the slot was first saved, in milliseconds since 1970.
    pub created_unix_ms: u64,
    /// How many times something was erased from the slot.
    pub erasures: u64,
    /// When this was saved, in milliseconds since 1970.
    pub saved_at_unix_ms: u64,
    /// What made the game save, in a word.
    pub cause: String,
    /// Whether a tool made it rather than a game.
    pub edited: bool,
    /// The digests of the states before it, the latest first; [`MAX_PREDECESSORS`] of them are written.
    pub predecessors: Vec<Digest>,
}

/// What the next save of a slot follows.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Lineage {
    /// The number of the last save.
    pub number: u64,
    /// When the slot was first saved, in milliseconds since 1970.
    pub created_unix_ms: u64,
    /// How many times something was erased from the slot.
    pub erasures: u64,
    /// The digests of the states up to it, the latest first.
    pub states: Vec<Digest>,
}

impl Lineage {
    /// Whether a save is the last one or came before it.
    pub(crate) fn knows(&self, other: &Lineage) -> bool {
        other.states.first().is_some_and(|state| self.states.contains(state))
    }

    /// Whether a save is of the same slot, from before something was erased: it must not bring that back.
    pub(crate) fn has_erased_since(&self, other: &Lineage) -> bool {
        self.created_unix_ms == other.created_unix_ms && self.erasures > other.erasures
    }

    /// Whether it has been in a state, as far as it says so.
    pub(crate) fn has_been(&self, state: &Digest) -> bool {
        self.states.contains(state)
    }

    /// Takes another save among those before it: what follows has a higher number than both, and knows both.
    pub(crate) fn join(&mut self, other: &Lineage) {
        self.number = self.number.max(other.number);
        if self.created_unix_ms == other.created_unix_ms {
            self.erasures = self.erasures.max(other.erasures);
        }
        let unknown = other.states.iter().take_while(|state| !self.has_been(state)).take(JOINED_STATES);
        let unknown: Vec<Digest> = unknown.copied().collect();
        // Behind the last of ours, so that it is the oldest that are forgotten.
        let behind = self.states.len().min(1);
        self.states.splice(behind..behind, unknown);
        self.states.truncate(MAX_PREDECESSORS);
    }

    /// The digest of the last state.
    pub(crate) fn head(&self) -> Option<&Digest> {
        self.states.first()
    }

    /// What follows the state that was read of a file.
    #[must_use]
    pub fn of(file: &SaveFile<'_>) -> Lineage {
        let states = std::iter::once(file.head.digest).chain(file.head.predecessors.iter().copied());
        Lineage {
            number: file.head.number,
            created_unix_ms: file.created_unix_ms,
            erasures: file.erasures,
            states: states.take(MAX_PREDECESSORS).collect(),
        }
    }
}

impl Stamp {
    /// The stamp of the first save of a slot.
    #[must_use]
    pub fn first(now_unix_ms: u64, cause: &str) -> Stamp {
        let (created_unix_ms, saved_at_unix_ms) = (now_unix_ms, now_unix_ms);
        Stamp { number: 1, created_unix_ms, saved_at_unix_ms, cause: cause.to_string(), ..Stamp::default() }
    }

    /// The stamp of a save that follows others; of the first one where there are none.
    #[must_use]
    pub fn after(lineage: Option<&Lineage>, now_unix_ms: u64, cause: &str) -> Stamp {
        let first = Stamp::first(now_unix_ms, cause);
        match lineage {
            None => first,
            Some(lineage) => Stamp {
                number: lineage.number.saturating_add(1),
                created_unix_ms: lineage.created_unix_ms,
                erasures: lineage.erasures,
                predecessors: lineage.states.clone(),
                ..first
            },
        }
    }

    /// The stamp that a save has.
    #[must_use]
    pub fn of(file: &SaveFile<'_>) -> Stamp {
        Stamp {
            number: file.head.number,
            created_unix_ms: file.created_unix_ms,
            erasures: file.erasures,
            saved_at_unix_ms: file.head.saved_at_unix_ms,
            cause: file.head.cause.clone(),
            edited: file.head.edited,
            predecessors: file.head.predecessors.clone(),
        }
    }
}
