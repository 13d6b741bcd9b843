//! One error type for everything, for games that pass errors up with `?`.

use keblin_model::LookupError;
use keblin_model::name::NameFault;
use keblin_model::time::TimeFault;
#[cfg(feature = "parse")]
use keblin_schema::Findings;
use thiserror::Error as Derive;

use crate::game::InstallError;
use crate::migrate::CodeError;
use crate::progress::Refused;
#[cfg(feature = "seal")]
use crate::save::KeyTooShort;
use crate::save::ReadError;
use crate::snapshot::PictureTooLarge;
use crate::store::{DiskError, OpenError, PinError, SaveError, SlotError, SlotNameError, SwitchError};
use crate::world::WorldError;

/// Any error of this library, as one type. Use it where your function calls several parts of the library. Its text is
/// that of the error inside.
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
#[derive(Derive)]
#[error(transparent)]
#[non_exhaustive]
pub enum Error {
    /// A declaration has errors.
    #[cfg(feature = "parse")]
    Declaration(#[from] Findings),
    /// A name is not declared, or has another type.
    Lookup(#[from] LookupError),
    /// A text is not an id.
    Name(#[from] NameFault),
    /// A text is not a time.
    Time(#[from] TimeFault),
    /// An event was refused.
    Refused(#[from] Refused),
    /// The bytes of a save are damaged, or not for this game or version.
    Read(#[from] ReadError),
    /// A text is not the name of a slot.
    SlotName(#[from] SlotNameError),
    /// A slot could not be opened.
    Open(#[from] OpenError),
    /// A slot could not be saved.
    Save(#[from] SaveError),
    /// A keeper could not switch to another slot.
    Switch(#[from] SwitchError),
    /// A slot could not be listed, copied, moved or removed.
    Slot(#[from] SlotError),
    /// A pin could not be set or opened.
    Pin(#[from] PinError),
    /// The operating system returned an error.
    Disk(#[from] DiskError),
    /// A keeper could not be installed or reached.
    Install(#[from] InstallError),
    /// Code for a step could not be registered.
    Code(#[from] CodeError),
    /// An area of the world could not be put by or recalled.
    World(#[from] WorldError),
    /// A picture is too large.
    Picture(#[from] PictureTooLarge),
    /// A key for seals is too short.
    #[cfg(feature = "seal")]
    Key(#[from] KeyTooShort),
}

keblin_model::debug_as_display!(Error);
