//! The device file: settings, which belong to no slot and outlive every profile. It lies aside, so that what syncs the
//! folder of slots leaves it on its device. Settings are no progress: where the file is damaged it is set aside, and
//! they are as declared.

use std::path::PathBuf;
use std::sync::Arc;

use keblin_schema::model::Scope;
use keblin_schema::{Schema, Severity, Value};

use super::disk::DiskError;
use super::savedir::SaveDir;
use crate::save::decode::of_this_game;
use crate::save::{Lineage, Stamp, read, write_device};
use crate::snapshot::Snapshot;
use crate::verify::SaveFinding;
use crate::verify::past::device_values;

/// What was found of the device file.
pub(super) struct Settings {
    /// The values of device scope; `None` where there is no file, or none that can be read.
    pub(super) values: Option<Vec<Value>>,
    /// What is wrong with it.
    pub(super) findings: Vec<SaveFinding>,
}

fn has_settings(schema: &Schema) -> bool {
    schema.fields.iter().any(|field| field.scope == Scope::Device && field.durable)
}

impl SaveDir {
    pub(super) fn settings(&self, schema: &Arc<Schema>) -> Result<Settings, DiskError> {
        let path = self.device_path();
        let bytes = if has_settings(schema) { self.read(&path)? } else { None };
        let Some(bytes) = bytes else { return Ok(Settings { values: None, findings: Vec::new() }) };
        match read(&bytes).and_then(|file| device_values(&file, schema)) {
            Ok(values) => Ok(Settings { values: Some(values), findings: Vec::new() }),
            Err(error) => {
                let message = format!("{error}; settings are as declared");
                let finding = SaveFinding {
                    code: "settings_damaged",
                    severity: Severity::Warning,
                    place: path.display().to_string(),
                    message,
                };
                Ok(Settings { values: None, findings: vec![finding] })
            }
        }
    }

    /// Writes the values of device scope, if they have changed.
    ///
    /// # Durability
    /// As [`Slot::save`](super::Slot::save). A damaged file is set aside, and one that a step could not be done on; one of
    /// another game or a newer version is left as it is, and nothing is written.
    ///
    /// # Errors
    /// [`DiskError`] if the disk is full, read-only or gone.
    pub fn save_settings(&self, snapshot: &Snapshot) -> Result<(), DiskError> {
        let (path, schema) = (self.device_path(), snapshot.schema());
        if !has_settings(schema) {
            return Ok(());
        }
        let held = self.read(&path)?;
        let mut before = None;
        if let Some(bytes) = &held {
            match read(bytes).and_then(|file| of_this_game(&file, schema).map(|()| file)) {
                Ok(file) => {
                    before = Some(Lineage::of(&file));
                    match device_values(&file, schema) {
                        Ok(values) if snapshot.device_is(&values) => return Ok(()),
                        Ok(_) => {}
                        // A step could not be done: what was set is as declared now, and whoever mends the step finds it.
                        Err(_) => {
                            self.files().set_aside(&path, &self.free_aside("device", "not_migrated")?)?
                        }
                    }
                }
                Err(error) if error.is_refusal() => return Ok(()),
                Err(_) => self.files().set_aside(&path, &self.free_aside("device", "damaged")?)?,
            }
        }
        let stamp = Stamp::after(before.as_ref(), self.files().now_unix_ms(), "settings");
        self.publish("device", &path, &[&write_device(snapshot, &stamp)])
    }

    pub(super) fn aside_path(&self, name: &str, why: &str) -> PathBuf {
        self.aside().join(format!("{name}.{why}{}", super::savedir::ENDING))
    }

    /// The first name aside that says why and is free.
    pub(super) fn free_aside(&self, name: &str, why: &str) -> Result<PathBuf, DiskError> {
        let mut number = 1_u64;
        loop {
            let path = self.aside_path(name, &format!("{why}-{number}"));
            if !self.exists(&path)? {
                return Ok(path);
            }
            number += 1;
        }
    }
}
