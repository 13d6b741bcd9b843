//! What happens to slots, for the game's logger. `info` is for the log of a released game, in which support looks up what
//! happened; it never contains a path or a text of the player. `warn` reports what a player may have lost, `error` a
//! save that failed, and `debug` every save.

use super::error::shown;
use super::open_result::{OpenError, Opened, Origin};
use super::save_result::{SaveError, Saved};
use super::slot::Slot;
use crate::save::SaveCode;
use crate::spans::enter;

/// Opens a slot and reports it.
pub(super) fn opening(
    slot: &Slot,
    open: impl FnOnce() -> Result<Opened, OpenError>,
) -> Result<Opened, OpenError> {
    let name = slot.name();
    let _span = enter("open", name);
    let result = open();
    match &result {
        Ok(Opened { origin, findings, .. }) => {
            match origin {
                Origin::FirstRun => log::info!("keblin: slot {name} is new"),
                Origin::File => log::info!("keblin: slot {name} opened"),
                Origin::EarlierState { fault } => {
                    log::warn!("keblin: slot {name} opened from an earlier save: {fault}");
                }
                Origin::Previous { fault, .. } => {
                    log::warn!("keblin: slot {name} opened from its backup: {fault}");
                }
                Origin::Met { other } => {
                    log::warn!(
                        "keblin: slot {name} opened with what two saves have; the other is {}",
                        shown(other)
                    );
                }
                Origin::SetAside { path } => {
                    log::warn!("keblin: slot {name} opened from {}", shown(path));
                }
            }
            for found in findings {
                match found.code {
                    SaveCode::EarlierVersion => log::info!("keblin: slot {name}: {}", found.message),
                    _ => log::debug!("keblin: slot {name}: {found}"),
                }
            }
        }
        Err(error) => log::error!("keblin: slot {name} did not open: {error}"),
    }
    result
}

/// Saves a slot and reports it.
pub(super) fn saving(
    slot: &Slot,
    save: impl FnOnce() -> Result<Saved, SaveError>,
) -> Result<Saved, SaveError> {
    let name = slot.name();
    let _span = enter("save", name);
    let result = save();
    match &result {
        Ok(saved) => {
            let Saved { number, written_bytes, .. } = saved;
            log::debug!("keblin: slot {name}: save {number} is on the disk, {written_bytes} bytes");
        }
        Err(error) => log::error!("keblin: slot {name} was not saved: {error}"),
    }
    result
}
