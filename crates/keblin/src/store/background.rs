//! Opening a slot on its own thread while the game shows its title.

use std::sync::Arc;
use std::thread::JoinHandle;

use keblin_model::AnyGame;

use super::error::failed;
use super::keeper::{Keeper, Saving};
use super::open_result::OpenError;
use super::slot::Slot;
use crate::progress::Play;
use crate::snapshot::Schema;

/// A slot that is being opened.
#[derive(Debug)]
pub struct Opening {
    thread: JoinHandle<Result<Keeper, OpenError>>,
}

impl Opening {
    /// Returns whether it is done, so that [`Opening::wait`] does not wait.
    #[must_use]
    pub fn is_done(&self) -> bool {
        self.thread.is_finished()
    }

    /// Waits until the slot is open, and returns its keeper.
    ///
    /// # Errors
    /// As [`Keeper::open`].
    pub fn wait(self) -> Result<Keeper, OpenError> {
        self.thread.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic))
    }
}

impl Play<AnyGame, Saving> {
    /// Opens a slot on its own thread while the game shows its title.
    ///
    /// # Errors
    /// [`OpenError::Disk`] if the operating system cannot start a thread.
    pub fn open_later(slot: &Slot, schema: &Arc<Schema>) -> Result<Opening, OpenError> {
        let (its_slot, its_schema) = (slot.clone(), Arc::clone(schema));
        let thread = std::thread::Builder::new().name(format!("opening of {}", slot.name()));
        let thread = thread.spawn(move || Keeper::open(&its_slot, &its_schema));
        let thread = thread.map_err(failed("starting to open", &slot.path()))?;
        Ok(Opening { thread })
    }
}
