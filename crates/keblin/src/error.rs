//! One error for all of them, for a game that hands them on with `?`.

use keblin_schema::name::NameFault;
use keblin_schema::time::TimeFault;
use keblin_schema::{Findings, LookupError};
use thiserror::Error as Derive;

use crate::game::InstallError;
use crate::migrate::CodeError;
use crate::progress::Refused;
#[cfg(feature = "seal")]
use crate::save::KeyTooShort;
use crate::save::ReadError;
use crate::snapshot::PictureTooLarge;
use crate::store::{DiskError, OpenError, PinError, SaveError, SlotError, SlotNameError, SwitchError};

/// Anything that can go wrong in a call of this library, as one type. It says what the error in it says.
///
/// ```
/// # use keblin::{Keeper, SaveDir, Schema};
/// # use std::sync::Arc;
/// fn best(saves: &SaveDir, schema: &Arc<Schema>) -> Result<i64, keblin::Error> {
///     let game = Keeper::view(&saves.slot("otter")?, schema)?;
///     Ok(game.get(schema.field::<i64>("shells")?))
/// }
/// # let text = "game = 'otter'\nversion = 1\n[fields]\nshells = { type = 'int', scope = 'profile' }\n";
/// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
/// # let folder = tempfile::tempdir().expect("a folder");
/// # let saves = SaveDir::at(folder.path());
/// assert_eq!(best(&saves, &schema)?, 0);
/// let error = saves.slot("../otter").map(drop).map_err(keblin::Error::from).unwrap_err();
/// assert!(error.to_string().contains("cannot be the name of a slot"));
/// # Ok::<(), keblin::Error>(())
/// ```
#[derive(Debug, Derive)]
#[error(transparent)]
#[non_exhaustive]
pub enum Error {
    /// A declaration is faulty.
    Declaration(#[from] Findings),
    /// A name is not declared, or as something else.
    Lookup(#[from] LookupError),
    /// A text is not an id.
    Name(#[from] NameFault),
    /// A text is not a time.
    Time(#[from] TimeFault),
    /// An event was refused.
    Refused(#[from] Refused),
    /// The bytes of a save could not be read.
    Read(#[from] ReadError),
    /// A text is not the name of a slot.
    SlotName(#[from] SlotNameError),
    /// A slot was not opened.
    Open(#[from] OpenError),
    /// A slot was not saved.
    Save(#[from] SaveError),
    /// A keeper did not go on to another slot.
    Switch(#[from] SwitchError),
    /// A slot was not listed, copied, moved or removed.
    Slot(#[from] SlotError),
    /// A pin was not kept, or not gone back to.
    Pin(#[from] PinError),
    /// The operating system failed.
    Disk(#[from] DiskError),
    /// A keeper was not installed, or not reached.
    Install(#[from] InstallError),
    /// Code for a step was not put in place.
    Code(#[from] CodeError),
    /// A picture is too large.
    Picture(#[from] PictureTooLarge),
    /// A key for seals is too short.
    #[cfg(feature = "seal")]
    Key(#[from] KeyTooShort),
}
