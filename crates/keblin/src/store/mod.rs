//! Where saves are kept: a folder with one file per slot.
//!
//! ```text
//! FOLDER/
//!   NAME.keblin                   the save of slot NAME
//!   aside/
//!     NAME.previous.keblin        the backup: the save before it
//!     NAME.own-ID-PLACE.keblin    this machine's own last state, which a sync program does not reach
//!     NAME.lock                   locked while the slot is open
//!     NAME.pin-PIN.keblin         a pin: a state that the player asked to keep
//!     NAME.damaged-1.keblin       a file that could not be used, under a name that says why
//!     device.keblin               settings, outside all slots
//! ```
//!
//! A [`Keeper`](crate::store::Keeper) is progress that saves itself to a [`Slot`](crate::store::Slot). A save is
//! either appended to the file, or written to a new file that replaces the old one in one step. So at every moment
//! the file contains an intact save. Opening takes the newest intact save of the file and its backup, never a
//! mixture. A missing file is a first run; nothing is written before the first save. Files that were set aside stay
//! until there are many of them and they are old ([`aside`](crate::store::aside)); nothing else is ever removed.

/// Backends: where the files of saves are kept.
pub mod backend;

/// Errors of the operating system.
mod error;

/// The folder.
mod savedir;

/// Files that were set aside, and for how long.
pub mod aside;

/// What is known about a slot's files.
mod slot_state;

/// One slot: its files and its lock.
mod slot;

/// The result of saving.
mod save_result;

/// Saving a slot.
mod save;

/// What a save adds to the history.
mod history;

/// This machine's own last state.
mod own;

/// Appending a state.
mod append;

/// Replacing the file with a new one.
mod publish;

/// What replacing the file does with those that are there.
mod plan;

/// What is in the places that a save will take.
mod existing;

/// What opening a slot returns.
mod open_result;

/// Opening a slot.
mod open;

/// How two saves of a slot relate.
mod precedence;

/// Areas that stay in the file until they are needed.
mod lazy_areas;

/// What happens to slots, for the game's logger.
mod logged;

/// Saves that another declaration of the same version has written.
mod redeclared;

/// The list of slots, and operations on whole slots.
mod list;

/// Pins: states that the player asked to keep.
mod pins;

/// Progress that saves itself.
mod keeper;

/// What a keeper does for its progress.
mod autosave;

/// Switching a keeper to another slot.
mod switching;

/// Keepers without a disk.
mod bytes;

/// Opening in the background.
mod background;

/// The writer thread.
mod writer;

/// What to do if no intact save is left.
mod ruin;

/// Device settings.
mod device;

/// Settings before a slot is chosen.
mod options;

pub use background::Opening;
pub use bytes::DueSave;
pub use error::DiskError;
pub use keeper::{Keeper, KeeperOf, Saving};
pub use list::{SlotEntry, SlotError};
pub use open_result::{OpenError, Opened, Origin};
pub use options::{OnDevice, Settings, SettingsOf};
pub use pins::{Pin, PinError};
pub use ruin::Ruin;
pub use save_result::{Replaced, SaveError, Saved};
pub use savedir::{SaveDir, SlotNameError};
pub use slot::Slot;
pub use switching::SwitchError;
