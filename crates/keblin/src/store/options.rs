//! Settings on a title screen, before a slot is chosen.

use std::fmt;
use std::sync::Arc;

use keblin_model::{AnyGame, Value};

use super::save_result::SaveError;
use super::savedir::SaveDir;
use crate::progress::sealed::HasEngine;
use crate::progress::{Engine, Game, Holder, Play};
use crate::snapshot::{Schema, State};
use crate::verify::SaveFinding;

/// Settings of a schema that was loaded at run time.
pub type Settings = SettingsOf<AnyGame>;

/// The settings of this machine, for a title screen before a slot is chosen: the values of device scope, which all slots
/// share. They are read and written as those of a [`Keeper`](crate::Keeper); whatever belongs to a slot is refused.
///
/// A keeper that is opened later reads what was saved here, and one that is open keeps what it has not changed itself.
/// Dropping them saves; [`save`](SettingsOf::save) also reports an error.
///
/// ```
/// # use keblin::store::Settings;
/// # use keblin::{Field, Keeper, SaveDir, Schema};
/// # use std::sync::Arc;
/// # let text = "game = 'otter'\nversion = 1\n[fields]\nvolume = { type = 'int', scope = 'device', default = 80 }\n";
/// # let schema = Arc::new(Schema::parse("progress.toml", text)?.schema);
/// # let folder = tempfile::tempdir()?;
/// # let volume: Field<i64> = schema.field("volume")?;
/// let saves = SaveDir::at(folder.path());
/// let mut settings = Settings::open(&saves, &schema); // with compiled names `otter::Settings::open(&saves)`
/// settings.set(volume, 40);
/// settings.save()?;
/// let game = Keeper::open(&saves.slot("anke")?, &schema)?;
/// assert_eq!(game.get(volume), 40);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub type SettingsOf<G> = Play<G, OnDevice>;

/// The holder of [`Settings`].
pub struct OnDevice {
    engine: Engine,
    dir: SaveDir,
    /// The values as they were last read or written.
    before: Vec<Value>,
    findings: Vec<SaveFinding>,
}

impl Holder for OnDevice {}

impl HasEngine for OnDevice {
    fn engine(&self) -> &Engine {
        &self.engine
    }

    fn engine_mut(&mut self) -> &mut Engine {
        &mut self.engine
    }
}

impl Play<AnyGame, OnDevice> {
    /// Opens the settings in a folder of saves. Without a file they have their defaults, and with a damaged one too
    /// ([`findings`](SettingsOf::findings)).
    #[must_use]
    pub fn open(saves: &SaveDir, schema: &Arc<Schema>) -> Settings {
        Play::of(OnDevice::open(saves, schema))
    }
}

impl<G: Game> Play<G, OnDevice> {
    /// Opens the settings of this game in a folder of saves. Without a file they have their defaults, and with a damaged
    /// one too ([`findings`](SettingsOf::findings)).
    #[must_use]
    pub fn open(saves: &SaveDir) -> SettingsOf<G> {
        Play::of(OnDevice::open(saves, G::schema()))
    }
}

impl<G> Play<G, OnDevice> {
    /// Returns what is wrong with the file of settings; empty if nothing is.
    #[must_use]
    pub fn findings(&self) -> &[SaveFinding] {
        &self.holder.findings
    }

    /// Saves what has changed.
    ///
    /// # Durability
    /// When this returns, the settings are on the disk.
    ///
    /// # Errors
    /// As [`SaveDir::save_settings`].
    pub fn save(&mut self) -> Result<(), SaveError> {
        self.holder.save()
    }
}

impl OnDevice {
    fn open(saves: &SaveDir, schema: &Arc<Schema>) -> OnDevice {
        let read = saves.settings(schema);
        let first = || State::first_cells(schema).split_off(schema.saved_cells);
        let before = read.values.unwrap_or_else(first);
        let engine = Engine::of_settings(schema, &before);
        OnDevice { engine, dir: saves.clone(), before, findings: read.findings }
    }

    fn save(&mut self) -> Result<(), SaveError> {
        let snapshot = self.engine.snapshot();
        if !snapshot.device_is(&self.before) {
            self.dir.save_settings_since(&snapshot, Some(&self.before))?;
            self.before = snapshot.device_values().to_vec();
        }
        Ok(())
    }
}

impl Drop for OnDevice {
    fn drop(&mut self) {
        if let Err(error) = self.save() {
            log::error!("keblin: the settings were not saved: {error}");
        }
    }
}

impl fmt::Debug for OnDevice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Settings").field("path", &self.dir.device_path()).finish_non_exhaustive()
    }
}
