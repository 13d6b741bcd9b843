//! What the clones of a slot share: its lock, and what is known of its files.

use keblin_schema::Value;

use super::backend::Lock;
use super::broken::Broken;
use super::error::DiskError;
use super::slot::Slot;
use crate::save::Lineage;
use crate::save::layout::{Digest, FOOT_ITEM_BYTES};
use crate::save::writer::{Tail, Written};

/// Room for more bytes than this is not kept.
const MAX_ROOM: usize = 1 << 20;

/// What the clones of a slot share.
#[derive(Default)]
pub(super) struct Held {
    /// The lock, while it is held.
    lock: Option<Box<dyn Lock>>,
    /// Whether a keeper plays the slot.
    pub(super) is_played: bool,
    /// What was opened or saved last.
    pub(super) known: Option<Lineage>,
    /// The states that could not be saved for certain since the last that was: one of them may be in the file.
    pub(super) tried: Vec<Digest>,
    /// The file as it was left; nothing if another state cannot be written behind it.
    pub(super) left: Option<Left>,
    /// Bytes that were written, whose room the next ones take.
    pub(super) room: Vec<u8>,
    /// Whether it was opened when there was no save.
    pub(super) began_empty: bool,
    /// Whether the copy before may still hold what was erased.
    pub(super) owes_erasing: bool,
    /// The state of another save that what was opened has met already: it is to be set aside.
    pub(super) met: Option<Digest>,
    /// The settings as they were last read or written here.
    pub(super) settings: Option<Vec<Value>>,
}

/// A file as it was left.
#[derive(Clone, Debug)]
pub(super) struct Left {
    /// What the next state goes behind.
    pub(super) tail: Tail,
    /// The length of the file in bytes, with the room behind its last state.
    pub(super) len_bytes: usize,
    /// The last bytes of its last state, which say how long that is, its number and the start of its digest.
    pub(super) foot: Vec<u8>,
    /// When the copy before was last written, in milliseconds since 1970.
    pub(super) copied_unix_ms: u64,
    /// Whether areas of the world have changed since.
    pub(super) has_new_areas: bool,
}

impl Left {
    /// What is left by a save; the copy before it was written at that time.
    pub(super) fn of(written: &mut Written, copied_unix_ms: u64) -> Option<Left> {
        let foot = written.parts.last::<FOOT_ITEM_BYTES>()?.to_vec();
        let (tail, has_new_areas) = (written.tail.take(), written.has_new_areas);
        Some(Left { len_bytes: tail.end, tail, foot, copied_unix_ms, has_new_areas })
    }
}

/// What a save that is in the file is to what was opened or saved last.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Standing {
    /// It is that save, or one that was tried since.
    Latest,
    /// It is an earlier one of ours.
    Earlier,
    /// It is from before something was erased.
    BeforeErasing,
    /// It has been met at opening.
    Met,
    /// Ours knows nothing of it.
    Strange,
}

impl Held {
    /// Takes the lock of a slot, if it is not held; whether it is now.
    pub(super) fn lock(&mut self, slot: &Slot) -> Result<bool, DiskError> {
        if self.lock.is_none() {
            self.lock = slot.dir().files().lock(&slot.lock_path())?;
        }
        Ok(self.lock.is_some())
    }

    /// Gives up the lock.
    pub(super) fn unlock(&mut self) {
        self.lock = None;
    }

    /// What a save in the file is to ours.
    pub(super) fn standing(&self, save: &Lineage) -> Standing {
        let is_tried = save.head().is_some_and(|state| self.tried.contains(state));
        match &self.known {
            _ if is_tried => Standing::Latest,
            _ if self.met.is_some() && save.head() == self.met.as_ref() => Standing::Met,
            None if self.began_empty => Standing::Strange,
            None => Standing::Latest,
            Some(known) if known.head() == save.head() => Standing::Latest,
            Some(known) if known.has_erased_since(save) && !Broken::ErasuresForgotten.is() => {
                Standing::BeforeErasing
            }
            Some(known) if known.knows(save) && Broken::OlderBecomesCopy.is() => Standing::Latest,
            Some(known) if known.knows(save) => Standing::Earlier,
            Some(_) => Standing::Strange,
        }
    }

    /// Whether a file is from before something was erased that the copy before it has erased, and ours does not know of.
    pub(super) fn is_of_before(&self, file: Option<&Lineage>, copy: Option<&Lineage>) -> bool {
        let erased = file.zip(copy).is_some_and(|(file, copy)| copy.has_erased_since(file));
        erased && file.is_some_and(|file| self.standing(file) != Standing::BeforeErasing)
    }

    /// Remembers what is about to be written.
    pub(super) fn try_for(&mut self, save: &Lineage) {
        self.tried.extend(save.head());
    }

    /// What was about to be written is there for certain.
    pub(super) fn has_saved(&mut self, written: Written, left: Option<Left>) {
        self.tried.clear();
        self.met = None;
        (self.left, self.known) = (left, Some(written.lineage));
        let room = written.parts.into_room();
        self.room = if room.len() < MAX_ROOM { room } else { Vec::new() };
    }
}
