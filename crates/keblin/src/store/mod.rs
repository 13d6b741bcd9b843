//! Where saves rest: a folder with a file a slot.
//!
//! ```text
//! FOLDER/
//!   NAME.keblin                   the save of slot NAME
//!   aside/
//!     NAME.previous.keblin        the save before it
//!     NAME.lock                   locked while the slot is open
//!     NAME.pin-PIN.keblin         an instant that the player keeps
//!     NAME.damaged-1.keblin       what could not be used any more, under a name that says why
//!     device.keblin               settings, which belong to no slot
//! ```
//!
//! A [`Keeper`](crate::store::Keeper) is progress that saves itself to a [`Slot`](crate::store::Slot). A save is either
//! written behind the one before it, or beside the old file and put in its place in one step, so that at every instant
//! the file ends in, or begins with, something whole. Opening takes the newest whole save of the file and the previous copy,
//! never a mixture. A missing file is a first run; nothing is written until the first save. What is set aside stays until
//! there is much of it and it is old ([`aside`](crate::store::aside)); nothing else is ever removed.

/// Where the files of saves rest.
pub mod backend;

/// Builds that are broken on purpose.
mod broken;

/// What an operating system says when it fails.
mod error;

/// The folder.
mod savedir;

/// What lies aside, and how long.
pub mod aside;

/// What is known of a slot's files.
mod held;

/// One slot: its files and its lock.
mod slot;

/// What saving gives back.
mod saved;

/// Saving a slot.
mod saving;

/// Another state behind the last one.
mod append;

/// A whole file in place of the one that is there.
mod publish;

/// What is in the places that a save is to take.
mod there;

/// Opening a slot.
mod opening;

/// The list of slots, and what is done with whole slots.
mod list;

/// Instants that the player keeps.
mod pins;

/// Progress that saves itself.
mod keeper;

/// What a keeper does for its progress.
mod keeping;

/// From slot to slot with one keeper.
mod switching;

/// The same without a disk.
mod bytes;

/// Opening while the game goes on.
mod later;

/// The thread that writes for it.
mod writer;

/// What is left when no whole save is.
mod ruin;

/// Settings that belong to the device.
mod device;

pub use bytes::DueSave;
pub use error::DiskError;
pub use keeper::{Keeper, KeeperOf, Saving};
pub use later::Opening;
pub use list::{SlotEntry, SlotError};
pub use opening::{OpenError, Opened, Origin};
pub use pins::{Pin, PinError};
pub use ruin::Ruin;
pub use saved::{Replaced, SaveError, Saved};
pub use savedir::{SaveDir, SlotNameError};
pub use slot::Slot;
pub use switching::SwitchError;
