//! What a save says about itself apart from its values, and which save it continues.

use super::file::SaveFile;
use super::layout::{Digest, MAX_PREDECESSORS};

/// How many states of another save are kept when it becomes a predecessor.
const JOINED_STATES: usize = 8;

/// What a save says about itself apart from its values. Times are passed in, so that the same snapshot and stamp give
/// the same bytes everywhere.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Stamp {
    /// The number of the save, counted from 1 in each slot.
    pub number: u64,
    /// When the slot was first saved, in milliseconds since 1970.
    pub created_unix_ms: u64,
    /// How many times something was erased from the slot.
    pub erasures: u64,
    /// When this was saved, in milliseconds since 1970.
    pub saved_at_unix_ms: u64,
    /// Why the game saved, in one word.
    pub cause: String,
    /// Whether a tool made it, not the game.
    pub edited: bool,
    /// The digests of the states before it, the latest first; at most [`MAX_PREDECESSORS`] are written.
    pub predecessors: Vec<Digest>,
}

/// The saves that the next save of a slot continues.
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
    /// How many times the whole profile was erased; `None` if the save does not say.
    pub(crate) profile_erasures: Option<u64>,
}

impl Lineage {
    /// Returns whether a save is the last one or one before it.
    pub(crate) fn knows(&self, other: &Lineage) -> bool {
        other.states.first().is_some_and(|state| self.states.contains(state))
    }

    /// Returns whether another save of the same slot is from before the profile was erased: it must not bring anything
    /// back. Of saves that do not say what was erased, whether it is from before any erasure.
    #[must_use]
    pub fn has_erased_since(&self, other: &Lineage) -> bool {
        match (self.profile_erasures, other.profile_erasures) {
            (Some(ours), Some(theirs)) => ours > theirs,
            _ => self.has_erased_any_since(other),
        }
    }

    /// Returns whether another save of the same slot is from before any erasure.
    pub(crate) fn has_erased_any_since(&self, other: &Lineage) -> bool {
        self.created_unix_ms == other.created_unix_ms && self.erasures > other.erasures
    }

    /// Returns whether a state is among its states, as far as they are listed.
    pub(crate) fn has_been(&self, state: &Digest) -> bool {
        self.states.contains(state)
    }

    /// Adds another save as a predecessor: the next save has a higher number than both, and continues both.
    pub fn join(&mut self, other: &Lineage) {
        self.number = self.number.max(other.number);
        if self.created_unix_ms == other.created_unix_ms {
            self.erasures = self.erasures.max(other.erasures);
        }
        self.profile_erasures = self.profile_erasures.max(other.profile_erasures);
        let unknown = other.states.iter().take_while(|state| !self.has_been(state)).take(JOINED_STATES);
        let unknown: Vec<Digest> = unknown.copied().collect();
        // After the last of ours, so that the oldest are dropped.
        let behind = self.states.len().min(1);
        self.states.splice(behind..behind, unknown);
        self.states.truncate(MAX_PREDECESSORS);
    }

    /// Returns the digest of the last state.
    pub(crate) fn head(&self) -> Option<&Digest> {
        self.states.first()
    }

    /// Returns what continues the state that was read from a file.
    #[must_use]
    pub fn of(file: &SaveFile<'_>) -> Lineage {
        let states = std::iter::once(file.head.digest).chain(file.head.predecessors.iter().copied());
        Lineage {
            number: file.head.number,
            created_unix_ms: file.created_unix_ms,
            erasures: file.erasures,
            states: states.take(MAX_PREDECESSORS).collect(),
            profile_erasures: super::history::erased(file),
        }
    }
}

impl Stamp {
    /// Returns the stamp of the first save of a slot.
    #[must_use]
    pub fn first(now_unix_ms: u64, cause: &str) -> Stamp {
        let (created_unix_ms, saved_at_unix_ms) = (now_unix_ms, now_unix_ms);
        Stamp { number: 1, created_unix_ms, saved_at_unix_ms, cause: cause.to_string(), ..Stamp::default() }
    }

    /// Returns the stamp of a save that continues others, or of the first one.
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

    /// Returns the stamp of a save.
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
