//! Settings on a title screen, before a slot is chosen.

use std::fmt;
use std::sync::Arc;

use keblin_schema::model::{FieldDef, Scope};
use keblin_schema::typed::FieldType;
use keblin_schema::{AnyGame, Value};

use super::saved::SaveError;
use super::savedir::SaveDir;
use crate::progress::{Amount, Change, Engine, FieldOf, Game, Play, Progress, ProgressOf, Write};
use crate::snapshot::{Schema, State};
use crate::verify::SaveFinding;

/// Settings of a schema that was loaded at run time.
pub type Settings = SettingsOf<AnyGame>;

/// The settings of this machine, for a title screen before a slot is chosen: the values of device scope, which all slots
/// share. A [`Keeper`](crate::Keeper) that is opened later reads what was saved here, and one that is open keeps what it
/// has not changed itself.
///
/// Dropping them saves; [`SettingsOf::save`] also reports an error.
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
pub struct SettingsOf<G> {
    dir: SaveDir,
    game: ProgressOf<G>,
    /// The values as they were last read or written.
    before: Vec<Value>,
    findings: Vec<SaveFinding>,
}

impl SettingsOf<AnyGame> {
    /// Opens the settings in a folder of saves; without a file, or with a damaged one, they have their defaults
    /// ([`SettingsOf::findings`]).
    #[must_use]
    pub fn open(saves: &SaveDir, schema: &Arc<Schema>) -> Settings {
        Settings::open_as(saves, schema)
    }
}

impl<G: Game> SettingsOf<G> {
    /// Opens the settings of this game in a folder of saves; without a file, or with a damaged one, they have their
    /// defaults ([`SettingsOf::findings`]).
    #[must_use]
    pub fn open(saves: &SaveDir) -> SettingsOf<G> {
        SettingsOf::open_as(saves, G::schema())
    }
}

impl<G> SettingsOf<G> {
    fn open_as(saves: &SaveDir, schema: &Arc<Schema>) -> SettingsOf<G> {
        let read = saves.settings(schema);
        let first = || State::first_cells(schema).split_off(schema.saved_cells);
        let before = read.values.unwrap_or_else(first);
        let snapshot = Progress::new(Arc::clone(schema)).snapshot().with_device_values(&before);
        let game = Play::of_engine(Engine::restored(snapshot));
        SettingsOf { dir: saves.clone(), game, before, findings: read.findings }
    }

    /// Returns what is wrong with the file of settings; empty if nothing is.
    #[must_use]
    pub fn findings(&self) -> &[SaveFinding] {
        &self.findings
    }

    /// Returns a setting. A field of another scope has its default here, because it belongs to a slot.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[must_use]
    pub fn get<F: FieldOf<G>>(&self, field: F) -> <F::Of as FieldType>::Read<'_> {
        self.game.get(field)
    }

    /// Sets a setting, as [`Play::set`]. A field of another scope is refused: it belongs to a slot.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn set<F: FieldOf<G>>(&mut self, field: F, value: Write<F, G>) -> Change {
        match self.belongs_to_a_slot(field) {
            Some(refused) => self.game.reported(refused),
            None => self.game.set(field, value),
        }
    }

    /// Adds to a setting, as [`Play::add`]. A field of another scope is refused: it belongs to a slot.
    ///
    /// # Panics
    /// If the field was looked up in another schema.
    #[track_caller]
    pub fn add<F: FieldOf<G, Of: Amount>>(&mut self, field: F, amount: Write<F, G>) -> Change {
        match self.belongs_to_a_slot(field) {
            Some(refused) => self.game.reported(refused),
            None => self.game.add(field, amount),
        }
    }

    /// Saves what has changed.
    ///
    /// # Durability
    /// When this returns, the settings are on the disk.
    ///
    /// # Errors
    /// As [`SaveDir::save_settings`].
    pub fn save(&mut self) -> Result<(), SaveError> {
        let snapshot = self.game.snapshot();
        if !snapshot.device_is(&self.before) {
            self.dir.save_settings_since(&snapshot, Some(&self.before))?;
            self.before = snapshot.device_values().to_vec();
        }
        Ok(())
    }

    fn belongs_to_a_slot<F: FieldOf<G>>(&self, field: F) -> Option<Change> {
        let of_slot = |field: &FieldDef| field.scope != Scope::Device;
        let cell = field.of_any().cell();
        self.game.schema().field_at(cell).is_some_and(of_slot).then(|| self.game.engine().of_a_slot(cell))
    }
}

impl<G> Drop for SettingsOf<G> {
    fn drop(&mut self) {
        if let Err(error) = self.save() {
            log::error!("the settings could not be saved: {error}");
        }
    }
}

impl<G> fmt::Debug for SettingsOf<G> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Settings").field("path", &self.dir.device_path()).finish_non_exhaustive()
    }
}
