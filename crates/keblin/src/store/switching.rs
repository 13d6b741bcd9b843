//! Switching a keeper to another slot, and giving up a slot.

use std::sync::Arc;

use thiserror::Error;

use super::autosave::Destination;
use super::keeper::{KeeperOf, Saving};
use super::open_result::OpenError;
use super::save_result::SaveError;
use super::slot::Slot;
use crate::progress::Play;

/// Why a keeper could not switch to another slot.
#[derive(Error)]
#[non_exhaustive]
pub enum SwitchError {
    /// The current progress could not be saved. It is still being played.
    #[error(transparent)]
    Save(#[from] SaveError),
    /// The other slot could not be opened. The current progress is saved, and still being played.
    #[error(transparent)]
    Open(#[from] OpenError),
}

keblin_model::debug_as_display!(SwitchError);

impl<G> Play<G, Saving> {
    /// Switches to another slot, or reloads this one: saves the current progress, opens the slot, and is its keeper
    /// from then on.
    ///
    /// ```
    /// # use keblin::{Keeper, SaveDir, Schema};
    /// # use std::sync::Arc;
    /// # let text = "game = 'otter'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n";
    /// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
    /// # let folder = tempfile::tempdir()?;
    /// let saves = SaveDir::at(folder.path());
    /// let mut game = Keeper::open(&saves.slot("otter")?, &schema)?;
    /// // The player chooses another slot in the menu:
    /// game.switch_to(&saves.slot("heron")?)?;
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// [`SwitchError::Save`] if the current progress cannot be saved, [`SwitchError::Open`] if the slot cannot be
    /// opened. In both cases the keeper is unchanged, and nothing is lost.
    pub fn switch_to(&mut self, slot: &Slot) -> Result<(), SwitchError> {
        let schema = Arc::clone(self.schema());
        let own = match &self.holder.keeping.place {
            Destination::Slot { slot: own, .. } => Some(own.clone()),
            _ => None,
        };
        if own.is_some() {
            self.save_for("quit").map_err(SwitchError::Save)?;
        }
        match own.filter(|own| own.path() == slot.path()) {
            // Its own slot is not given up, so nobody can take it meanwhile.
            Some(own) => {
                let opened = own.open_again(&schema).map_err(SwitchError::Open)?;
                let place = std::mem::replace(&mut self.holder.keeping.place, Destination::View);
                *self = KeeperOf::saved_at(opened, place);
            }
            None => {
                let keeper = KeeperOf::open_as(slot, &schema).map_err(SwitchError::Open)?;
                self.holder.keeping.let_go();
                *self = keeper;
            }
        }
        Ok(())
    }
}
