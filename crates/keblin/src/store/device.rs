//! The device file: settings, which are not in a slot and outlive every profile. It is in `aside`, so that a program
//! that syncs the folder of slots leaves it on its device. Settings are not progress: a damaged file is set aside,
//! and they get their defaults. Slots share the file, so it has its own lock, and settings that one slot has not
//! changed are left to the others.

use std::io::ErrorKind;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use keblin_model::model::Scope;
use keblin_model::{Severity, Value};

use super::backend::Lock;
use super::error::{DiskError, failed};
use super::save_result::SaveError;
use super::savedir::{ENDING, SaveDir};
use super::slot_state::SlotState;
use crate::progress::meeting::with_settings_of_both;
use crate::save::decode::of_this_game;
use crate::save::{Fault, Lineage, SaveCode, Stamp, read_within, write_device};
use crate::snapshot::{Schema, Snapshot, State};
use crate::verify::SaveFinding;
use crate::verify::past::settings_in;

/// The settings, as read from the device file.
pub(super) struct ReadSettings {
    /// The values of device scope; `None` if the file is missing or cannot be read.
    pub(super) values: Option<Vec<Value>>,
    /// What is wrong with it.
    pub(super) findings: Vec<SaveFinding>,
}

/// How often to try the lock of the settings, with the pauses of the backend about a second in all.
const LOCK_TRIES: u32 = 40;
const LOCK_PAUSE: Duration = Duration::from_millis(5);

fn has_settings(schema: &Schema) -> bool {
    schema.fields.iter().any(|field| field.scope == Scope::Device && field.durable)
}

impl SaveDir {
    /// Reads the settings, as far as possible. Damaged settings do not keep a save from being opened.
    pub(super) fn settings(&self, schema: &Arc<Schema>) -> ReadSettings {
        let path = self.device_path();
        let none = || ReadSettings { values: None, findings: Vec::new() };
        if !has_settings(schema) {
            return none();
        }
        let (code, error) = match self.read(&path) {
            Ok(None) => return none(),
            Ok(Some(bytes)) => {
                match read_within(&bytes, self.limits()).and_then(|file| settings_in(&file, schema)) {
                    Ok(settings) => {
                        let values = settings.device_values().to_vec();
                        return ReadSettings { values: Some(values), findings: carried_along(&settings) };
                    }
                    Err(error) if error.is_refusal() && !matches!(error.fault, Fault::Step(_)) => {
                        let left = "left as they are; changes here are not saved";
                        (SaveCode::SettingsRefused, format!("{error}; {left}"))
                    }
                    Err(error) => (SaveCode::SettingsDamaged, error.to_string()),
                }
            }
            Err(error) => (SaveCode::SettingsUnreadable, error.to_string()),
        };
        let message = format!("{error}; settings have their defaults");
        let finding =
            SaveFinding { code, severity: Severity::Warning, place: path.display().to_string(), message };
        ReadSettings { values: None, findings: vec![finding] }
    }

    /// Saves the values of device scope, if they have changed.
    ///
    /// # Durability
    /// As [`Slot::save`](super::Slot::save). A damaged file is set aside, and so is one that could not be migrated.
    ///
    /// # Errors
    /// [`SaveError::Refused`] if the file belongs to another game or a newer version: it is left untouched.
    /// [`SaveError::Disk`] if the disk is full, read-only or missing, or if another program holds the lock of the
    /// settings.
    pub fn save_settings(&self, snapshot: &Snapshot) -> Result<(), SaveError> {
        self.save_settings_since(snapshot, None)
    }

    /// As [`SaveDir::save_settings`], for a slot that knows the settings when it last read or wrote them: only what
    /// it has changed since replaces what other slots have written.
    pub(super) fn save_settings_held(
        &self,
        snapshot: &Snapshot,
        held: &mut SlotState,
    ) -> Result<(), SaveError> {
        let is_as_before = |before: &Vec<Value>| snapshot.device_is(before);
        if !held.settings.as_ref().is_some_and(is_as_before) {
            // Without a file to read, the slot started with the defaults.
            let first = State::first_cells(snapshot.schema()).split_off(snapshot.schema().saved_cells);
            let before = held.settings.as_deref().unwrap_or(&first);
            let has_changed = !snapshot.device_is(before);
            let saved = self.save_settings_since(snapshot, Some(before));
            let is_refused = matches!(saved, Err(SaveError::Refused { .. }));
            if saved.is_ok() || is_refused {
                // A file that is refused will be refused again: one error for each change is enough.
                held.settings = Some(snapshot.device_values().to_vec());
            }
            if has_changed || !is_refused {
                saved?;
            }
        }
        Ok(())
    }

    pub(super) fn save_settings_since(
        &self,
        snapshot: &Snapshot,
        before: Option<&[Value]>,
    ) -> Result<(), SaveError> {
        let (path, schema) = (self.device_path(), snapshot.schema());
        if !has_settings(schema) {
            return Ok(());
        }
        let _lock = self.lock_settings()?;
        let there = match self.read(&path) {
            Ok(there) => there,
            Err(_) => {
                self.files().set_aside(&[(path.clone(), self.free_aside("device", "unreadable")?)])?;
                None
            }
        };
        let (mut lineage, mut theirs) = (None, None);
        if let Some(bytes) = &there {
            let file = read_within(bytes, self.limits());
            match file.and_then(|file| of_this_game(&file, schema).map(|()| file)) {
                Ok(file) => {
                    lineage = Some(Lineage::of(&file));
                    theirs = settings_in(&file, schema).ok();
                    if theirs.is_none() {
                        // A step failed: the settings now have their defaults, and whoever corrects the step can find
                        // the file.
                        let aside = self.free_aside("device", "not_migrated")?;
                        self.files().set_aside(&[(path.clone(), aside)])?;
                    }
                }
                Err(error) if error.is_refusal() => return Err(SaveError::Refused { path, error }),
                Err(_) => {
                    self.files().set_aside(&[(path.clone(), self.free_aside("device", "damaged")?)])?;
                }
            }
        }
        let together = theirs.as_ref().map(|theirs| met(snapshot, theirs, before));
        let written = together.as_ref().unwrap_or(snapshot);
        if theirs.is_some_and(|theirs| written.device_is(theirs.device_values())) {
            return Ok(());
        }
        let stamp = Stamp::after(lineage.as_ref(), self.files().now_unix_ms(), "settings");
        self.publish("device", &path, &[&write_device(written, &stamp)])?;
        self.tidy("device");
        Ok(())
    }

    fn lock_settings(&self) -> Result<Box<dyn Lock>, DiskError> {
        let path = self.device_lock_path();
        for _ in 0..LOCK_TRIES {
            if let Some(lock) = self.files().lock(&path)? {
                return Ok(lock);
            }
            // The other holder is writing a small file.
            std::thread::sleep(LOCK_PAUSE);
        }
        Err(failed("locking", &path)(ErrorKind::WouldBlock.into()))
    }

    /// Returns the path of the lock for the settings.
    #[must_use]
    pub fn device_lock_path(&self) -> PathBuf {
        self.device_path().with_extension("lock")
    }

    /// Returns the path of the device settings, next to the slots.
    #[must_use]
    pub fn device_path(&self) -> PathBuf {
        self.aside().join(format!("device{ENDING}"))
    }
}

/// Returns a snapshot with settings of both: what was not changed here since `before` is as others have written it, and
/// what only they know is kept.
fn met(snapshot: &Snapshot, theirs: &Snapshot, before: Option<&[Value]>) -> Snapshot {
    let both = with_settings_of_both(snapshot, theirs.device_values(), before);
    Snapshot { carried: Arc::clone(&theirs.carried), ..both }
}

/// Returns the findings about settings that this schema does not know.
fn carried_along(settings: &Snapshot) -> Vec<SaveFinding> {
    let finding = |place| SaveFinding {
        code: SaveCode::CarriedAlong,
        severity: Severity::Hint,
        place,
        message: "unknown to this schema; preserved when settings are saved".to_string(),
    };
    settings.carried.names().map(finding).collect()
}
