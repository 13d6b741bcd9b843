//! What the clones of a slot share: its lock, and what is known about its files.

use keblin_model::Value;

use super::backend::Lock;
use super::error::DiskError;
use super::slot::Slot;
use crate::broken::Broken;
use crate::save::Lineage;
use crate::save::layout::{Digest, FOOT_ITEM_BYTES};
use crate::save::written::{Tail, Written};
use crate::snapshot::Snapshot;

/// A larger buffer, in bytes, is not kept.
const MAX_BUFFER: usize = 1 << 20;

/// What the clones of a slot share.
#[derive(Default)]
pub(super) struct SlotState {
    /// The lock, while it is held.
    lock: Option<Box<dyn Lock>>,
    /// Whether a keeper plays the slot.
    pub(super) is_played: bool,
    /// The save that was last opened or saved.
    pub(super) known: Option<Lineage>,
    /// That save, with who wrote what: the next one is compared with it.
    pub(super) last: Option<Snapshot>,
    /// The id under which this machine writes the slot.
    pub(super) writer: Option<u64>,
    /// States that may not have been saved since the last one that was: one of them may be in the file.
    pub(super) tried: Vec<Digest>,
    /// The file as it was left; `None` if no state can be appended to it.
    pub(super) left: Option<Left>,
    /// A buffer for the next write.
    pub(super) buffer: Vec<u8>,
    /// Whether there was no save when it was opened.
    pub(super) began_empty: bool,
    /// Whether the backup may still contain something that was erased.
    pub(super) owes_erasing: bool,
    /// The state of another save that opening has met already: it must be set aside.
    pub(super) met: Option<Digest>,
    /// The settings when they were last read or written here.
    pub(super) settings: Option<Vec<Value>>,
}

/// A file as the last write left it.
#[derive(Clone, Debug)]
pub(super) struct Left {
    /// Where the next state goes.
    pub(super) tail: Tail,
    /// The length of the file in bytes, with the reserve after its last state.
    pub(super) len_bytes: usize,
    /// The last bytes of its last state: its length, its number and the start of its digest.
    pub(super) foot: Vec<u8>,
    /// When the backup was last written, in milliseconds since 1970.
    pub(super) copied_unix_ms: u64,
    /// Whether areas of the world have changed since then.
    pub(super) has_new_areas: bool,
}

impl Left {
    /// Returns what a save left; the backup was written at that time.
    pub(super) fn of(written: &mut Written, copied_unix_ms: u64) -> Option<Left> {
        let foot = written.parts.last::<FOOT_ITEM_BYTES>()?.to_vec();
        let (tail, has_new_areas) = (written.tail.take(), written.has_new_areas);
        Some(Left { len_bytes: tail.end, tail, foot, copied_unix_ms, has_new_areas })
    }
}

/// How a save in the file relates to the one that was last opened or saved.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Relation {
    /// It is that save, or one whose outcome is unknown.
    Latest,
    /// It is an earlier save of ours.
    Earlier,
    /// It is from before an erasure.
    BeforeErasing,
    /// Opening has merged with it.
    Merged,
    /// Ours knows nothing of it.
    Stranger,
}

impl SlotState {
    /// Takes the lock of a slot, if it is not held; returns whether it is now.
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

    /// Returns how a save in the file relates to ours.
    pub(super) fn relation(&self, save: &Lineage) -> Relation {
        let is_tried = save.head().is_some_and(|state| self.tried.contains(state));
        match &self.known {
            _ if is_tried => Relation::Latest,
            _ if self.met.is_some() && save.head() == self.met.as_ref() => Relation::Merged,
            None if self.began_empty => Relation::Stranger,
            None => Relation::Latest,
            Some(known) if known.head() == save.head() => Relation::Latest,
            Some(known) if known.has_erased_since(save) && !Broken::ErasuresForgotten.is() => {
                Relation::BeforeErasing
            }
            Some(known) if known.knows(save) && Broken::OlderBecomesCopy.is() => Relation::Latest,
            Some(known) if known.knows(save) => Relation::Earlier,
            Some(_) => Relation::Stranger,
        }
    }

    /// Returns whether a file is from before an erasure that only the backup knows of.
    pub(super) fn predates_erasure(&self, file: Option<&Lineage>, copy: Option<&Lineage>) -> bool {
        let erased = file.zip(copy).is_some_and(|(file, copy)| copy.has_erased_since(file));
        erased && file.is_some_and(|file| self.relation(file) != Relation::BeforeErasing)
    }

    /// Notes the pending write.
    pub(super) fn note_attempt(&mut self, save: &Lineage) {
        self.tried.extend(save.head());
    }

    /// Records that the pending write is known to be on disk.
    pub(super) fn record_saved(&mut self, written: Written, left: Option<Left>, saved: &Snapshot) {
        self.tried.clear();
        (self.met, self.last) = (None, Some(saved.clone()));
        (self.left, self.known) = (left, Some(written.lineage));
        let buffer = written.parts.into_buffer();
        self.buffer = if buffer.len() < MAX_BUFFER { buffer } else { Vec::new() };
    }
}
