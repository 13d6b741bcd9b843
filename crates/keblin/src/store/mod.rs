//! Where saves rest: a folder with a file a slot.
//!
//! ```text
//! FOLDER/
//!   NAME.keblin                   the save of slot NAME
//!   aside/
//!     NAME.previous.keblin        the save before it
//!     NAME.lock                   locked while the slot is open
//!     NAME.damaged-1.keblin       what could not be used any more, under a name that says why
//!     device.keblin               settings, which belong to no slot
//! ```
//!
//! A save is written beside the old one, brought to the disk, and put in its place in one step, so that at every
//! instant one of the two is whole. Opening takes the newest whole save of the file and the previous copy, never a
//! mixture. A missing file is a first run; nothing is written until the first save. Nothing is ever deleted.

/// The calls to the operating system, each with its path in the error.
mod disk;

/// The folder.
mod savedir;

/// One slot: its files, its lock, and saving.
mod slot;

/// Opening a slot.
mod opening;

/// The list of slots, and what is done with whole slots.
mod list;

/// What is left when no whole save is.
mod ruin;

/// Settings that belong to the device.
mod device;

pub use disk::DiskError;
pub use list::{SlotEntry, SlotError};
pub use opening::{OpenError, Opened, Origin};
pub use ruin::Ruin;
pub use savedir::{SaveDir, SlotNameError};
pub use slot::{SaveError, Saved, Slot};
