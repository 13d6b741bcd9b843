//! From slot to slot with one keeper, and giving a slot up.

use std::sync::Arc;

use thiserror::Error;

use super::keeper::{KeeperOf, Saving};
use super::keeping::Destination;
use super::opening::OpenError;
use super::saved::SaveError;
use super::slot::Slot;
use crate::progress::Play;

/// Why a keeper did not go on to another slot.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum SwitchError {
    /// What was played could not be saved. It is still played.
    #[error(transparent)]
    Save(#[from] SaveError),
    /// The other slot could not be opened. What was played is saved, and still played.
    #[error(transparent)]
    Open(#[from] OpenError),
}

impl<G> Play<G, Saving> {
    /// Goes on to another slot, or opens this one anew: saves what is played, opens the slot, and is the keeper of that
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
    /// [`SwitchError::Save`] if what is played cannot be saved, [`SwitchError::Open`] if the slot cannot be opened. Either
    /// way the keeper is as it was, and nothing is lost.
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
            // Its own slot is not given up, and nobody can take it meanwhile.
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
