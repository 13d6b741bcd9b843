//! Where saves rest: a folder with a file a slot.
//!
//! ```text
//! FOLDER/
//!   NAME.keblin                   the save of slot NAME
//!   aside/
//!     NAME.previous.keblin        the save before it
//!     NAME.damaged-1.keblin       what could not be used any more, under a name that says why
//! ```
//!
//! A save is written beside the old one, brought to the disk, and put in its place in one step, so that at every
//! instant one of the two is whole. Opening takes the newest whole save of the file and the previous copy, never a
//! mixture. A missing file is a first run; nothing is written until the first save. Nothing is ever deleted.

/// The calls to the operating system, each with its path in the error.
mod disk;

/// The folder.
mod savedir;

/// One slot: opening and saving.
mod slot;

/// What is left when no whole save is.
mod ruin;

/// Settings that belong to the device.
mod device;

pub use disk::DiskError;
pub use ruin::Ruin;
pub use savedir::{SaveDir, SlotNameError};
pub use slot::{OpenError, Opened, Origin, SaveError, Saved, Slot};
