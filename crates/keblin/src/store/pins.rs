//! Pins: named states that the player asked to keep, and can return to. Each is a whole save of its own next to the
//! slot.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin_model::Name;
use keblin_model::name::NameFault;
use thiserror::Error;

use super::error::{DiskError, shown};
use super::keeper::Saving;
use super::save_result::SaveError;
use super::savedir::ENDING;
use super::slot::Slot;
use super::slot_state::SlotState;
use crate::progress::erase::Erase;
use crate::progress::{AsideReason, Engine, Play, Refused};
use crate::save::head::SlotHead;
use crate::save::writer::write_whole;
use crate::save::{Lineage, ReadError, Stamp};
use crate::snapshot::{Schema, Snapshot, TitleFault};
use crate::verify::{Save, Verified, verify_within};

/// A pin in a list: a state that the player asked to keep.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Pin {
    /// Its name.
    pub name: Name,
    /// The head of its save, for a list; or what is wrong with it.
    pub head: Result<SlotHead, ReadError>,
}

/// Why a pin could not be set or opened. Nothing was changed.
#[derive(Error)]
#[non_exhaustive]
pub enum PinError {
    /// A text that is not the name of a pin.
    #[error("{name:?} cannot be the name of a pin: {fault}")]
    Name {
        /// The text.
        name: String,
        /// What is wrong with it.
        fault: NameFault,
    },
    /// A text that cannot be its title.
    #[error(transparent)]
    Title(#[from] TitleFault),
    /// There is no pin of this name.
    #[error("pin {} not found", shown(path))]
    Missing {
        /// The missing file.
        path: PathBuf,
    },
    /// It is damaged, or not for this game or version.
    #[error("{}: {error}", shown(path))]
    Unusable {
        /// Its file.
        path: PathBuf,
        /// Why.
        #[source]
        error: ReadError,
    },
    /// The player has not confirmed.
    #[error(transparent)]
    Refused(Refused),
    /// It could not be saved.
    #[error(transparent)]
    Save(#[from] SaveError),
}

keblin_model::debug_as_display!(PinError);

impl From<DiskError> for PinError {
    fn from(error: DiskError) -> PinError {
        PinError::Save(error.into())
    }
}

impl<G> Play<G, Saving> {
    /// Pins the current state under a name, replacing a pin of that name, and waits until it is on the disk.
    ///
    /// # Errors
    /// As [`Slot::pin`], and [`SaveError::OnlyLooking`] without a slot.
    pub fn pin(&mut self, name: &str) -> Result<(), PinError> {
        self.pin_titled(name, "")
    }

    /// Pins the current state under a name, with a title as people write it: `"Before the boss"`. Otherwise as
    /// [`Keeper::pin`](crate::Keeper::pin).
    ///
    /// # Errors
    /// The same, and [`PinError::Title`] for a title that is too long, or more than one line.
    pub fn pin_titled(&mut self, name: &str, title: &str) -> Result<(), PinError> {
        // Earlier saves reach the disk first.
        self.holder.finish_writing();
        let snapshot = self.holder.keeping.snapshot_with_picture(&self.holder.engine).with_title(title)?;
        let slot = self.holder.keeping.slot()?;
        let held = slot.to_keep()?;
        slot.pin_held(&held, name, &snapshot)
    }

    /// Returns the pins of the slot, by name.
    ///
    /// # Errors
    /// As [`Slot::pins`], and [`SaveError::OnlyLooking`] without a slot.
    pub fn pins(&self) -> Result<Vec<Pin>, PinError> {
        Ok(self.holder.keeping.slot()?.pins()?)
    }

    /// Removes a pin: it is set aside, not deleted.
    ///
    /// # Errors
    /// As [`Slot::unpin`], and [`SaveError::OnlyLooking`] without a slot.
    pub fn unpin(&mut self, name: &str) -> Result<(), PinError> {
        let slot = self.holder.keeping.slot()?;
        let held = slot.to_keep()?;
        slot.unpin_held(&held, name).map(drop)
    }

    /// Returns to a pin, after the player has confirmed, as [`Progress::load`](crate::Progress::load) does: the run
    /// is exactly as it was then, records meet their current values, and settings stay. Then a save is due.
    ///
    /// # Errors
    /// As [`Slot::pinned`]; [`PinError::Refused`] if `yes` is false.
    pub fn back_to(&mut self, name: &str, yes: bool) -> Result<(), PinError> {
        // Pending erasures are applied to the pins before one is read.
        self.holder.finish_writing();
        let snapshot = self.holder.keeping.slot()?.pinned(name, self.schema())?;
        self.load(&snapshot, yes).map_err(PinError::Refused)?;
        self.holder.keeping.due = Some("load".to_string());
        Ok(())
    }
}

impl Slot {
    /// Pins a snapshot under a name, replacing a pin of that name.
    ///
    /// # Durability
    /// When this returns, it is on the disk. If cut off before, the name refers to the old pin or to this one.
    ///
    /// # Errors
    /// [`PinError`] if the name is not valid, the slot is open elsewhere, or the disk is full, read-only or missing.
    pub fn pin(&self, name: &str, snapshot: &Snapshot) -> Result<(), PinError> {
        let held = self.to_save()?;
        self.pin_held(&held, name, snapshot)
    }

    fn pin_held(&self, held: &SlotState, name: &str, snapshot: &Snapshot) -> Result<(), PinError> {
        let path = self.pin_path(&pin_name(name)?);
        Ok(self.write_pin(&path, held.known.as_ref(), snapshot, "pin")?)
    }

    /// Returns the pins of the slot, by name.
    ///
    /// # Errors
    /// [`DiskError`] if they exist but cannot be read.
    pub fn pins(&self) -> Result<Vec<Pin>, DiskError> {
        let mut pins = Vec::new();
        for name in self.pin_names()? {
            let entry = self.dir().entry(&name, &self.pin_path(&name));
            pins.extend(entry.map(|entry| Pin { name, head: entry.head }));
        }
        Ok(pins)
    }

    /// Returns the snapshot of a pin.
    ///
    /// # Errors
    /// [`PinError::Missing`] if there is no pin of that name, [`PinError::Unusable`] if it is damaged or belongs to
    /// another game or version.
    pub fn pinned(&self, name: &str, schema: &Arc<Schema>) -> Result<Snapshot, PinError> {
        let path = self.pin_path(&pin_name(name)?);
        let bytes = self.dir().read(&path)?.ok_or_else(|| PinError::Missing { path: path.clone() })?;
        let save = self.verified(&bytes, schema).map_err(|error| PinError::Unusable { path, error })?;
        // As in a game: removed places are left, and values are clamped to their bounds.
        Ok(save.into_progress().snapshot())
    }

    /// Removes a pin: it is set aside, not deleted. Returns its new path.
    ///
    /// # Errors
    /// [`PinError::Missing`] if there is no pin of that name, [`PinError::Save`] if the slot is open elsewhere or the
    /// disk fails.
    pub fn unpin(&self, name: &str) -> Result<PathBuf, PinError> {
        let held = self.to_save()?;
        self.unpin_held(&held, name)
    }

    /// The caller has the lock.
    fn unpin_held(&self, _held: &SlotState, name: &str) -> Result<PathBuf, PinError> {
        let path = self.pin_path(&pin_name(name)?);
        match self.dir().exists(&path)? {
            true => Ok(self.set_aside(&path, "removed")?),
            false => Err(PinError::Missing { path }),
        }
    }

    fn verified(&self, bytes: &[u8], schema: &Arc<Schema>) -> Result<Verified<Save>, ReadError> {
        verify_within(bytes, schema, self.dir().key(), self.dir().limits())
    }

    /// Erases in every pin what was erased in the slot, so that returning to a pin cannot bring it back. If that is
    /// the whole profile, or if a pin cannot be read, the pin is set aside as `erased`. A pin without the erased data
    /// is unchanged.
    pub(super) fn erase_in_pins(
        &self,
        held: &SlotState,
        schema: &Arc<Schema>,
        erased: &[Erase],
    ) -> Result<(), SaveError> {
        let mut going = Vec::new();
        for path in self.pin_paths()? {
            if erased.contains(&Erase::Profile) {
                going.push(path);
                continue;
            }
            let bytes = self.dir().read(&path).ok().flatten().unwrap_or_default();
            let Ok(save) = self.verified(&bytes, schema) else {
                going.push(path);
                continue;
            };
            let mut progress = Engine::view(save.snapshot());
            // It is refused only without confirmation.
            let had_some = erased
                .iter()
                .filter(|what| progress.erase(what, true).is_ok_and(|went| !went.is_empty()))
                .count();
            if had_some > 0 {
                self.write_pin(&path, held.known.as_ref(), &progress.snapshot(), "erase")?;
            }
        }
        if !going.is_empty() {
            self.dir().set_all_aside(self.name().as_str(), going, AsideReason::Erased.as_str())?;
        }
        Ok(())
    }

    fn write_pin(
        &self,
        path: &Path,
        known: Option<&Lineage>,
        snapshot: &Snapshot,
        cause: &str,
    ) -> Result<(), SaveError> {
        let now = self.dir().files().now_unix_ms();
        // A pin is not a save in the slot's line: it continues the last one, and nothing continues it.
        let stamp =
            Stamp { number: known.map_or(0, |known| known.number), ..Stamp::after(known, now, cause) };
        let written = write_whole(snapshot, &stamp, self.dir().wrapping());
        let limits = self.dir().limits();
        if !written.fits(limits) {
            return Err(SaveError::TooLarge(written.fullness(limits)));
        }
        self.put(path, &written.parts.all())?;
        Ok(())
    }

    fn pin_names(&self) -> Result<Vec<Name>, DiskError> {
        let start = format!("{}.pin-", self.name());
        let files = self.dir().files().list(&self.dir().aside())?;
        let name = |file: &String| Name::of_file(file.strip_prefix(&start)?.strip_suffix(ENDING)?).ok();
        Ok(files.iter().filter_map(name).collect())
    }

    pub(super) fn pin_paths(&self) -> Result<Vec<PathBuf>, DiskError> {
        Ok(self.pin_names()?.iter().map(|name| self.pin_path(name)).collect())
    }

    /// Returns the path of each pin, with the one that it would have in another slot.
    pub(super) fn pin_paths_in(&self, other: &Slot) -> Result<Vec<(PathBuf, PathBuf)>, DiskError> {
        Ok(self.pin_names()?.iter().map(|name| (self.pin_path(name), other.pin_path(name))).collect())
    }

    fn pin_path(&self, name: &Name) -> PathBuf {
        self.aside_path(&format!("pin-{name}"))
    }
}

fn pin_name(name: &str) -> Result<Name, PinError> {
    Name::of_file(name).map_err(|fault| PinError::Name { name: name.to_string(), fault })
}
