//! What a save of a slot adds to the history: this machine writes under an id of its own.

use super::open::Found;
use super::slot::Slot;
use super::slot_state::SlotState;
use crate::progress::history::{Erasures, recorded};
use crate::snapshot::Snapshot;

impl Slot {
    /// Returns a snapshot with its history, as the next save. One that has a history is a save already.
    pub(super) fn with_history(
        &self,
        held: &mut SlotState,
        snapshot: &Snapshot,
        erased: &Erasures,
    ) -> Snapshot {
        if snapshot.history.is_some() {
            return snapshot.clone();
        }
        let files = self.dir().files();
        let writer = *held.writer.get_or_insert_with(|| files.unguessable());
        recorded(held.last.as_ref(), snapshot, writer, files.now_unix_ms(), erased)
    }

    /// If the slot was not opened, the save in its file is the last one.
    pub(super) fn know_the_last(&self, held: &mut SlotState, snapshot: &Snapshot) {
        if held.last.is_some() || held.began_empty || snapshot.history.is_some() {
            return;
        }
        if let Found::Whole(save) = self.found(&self.path(), snapshot.schema()) {
            held.last = Some(save.snapshot().clone());
            held.writer = held.writer.or(self.own_writer());
        }
    }
}
