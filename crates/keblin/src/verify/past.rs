//! Reads the values of a save of any version that steps can migrate.

use std::sync::Arc;

use super::finding::SaveFinding;
use super::relations;
use crate::migrate::{Account, StepFault, migrate, migrate_settings};
use crate::save::decode::{Decoded, decode, decode_device, of_the_past, of_this_game};
use crate::save::layout::STATE;
use crate::save::{Fault, ReadError, SaveFile, read};
use crate::snapshot::{Schema, Snapshot};

/// The values of a save, and the findings about them.
pub(super) struct OfAnyVersion {
    pub(super) decoded: Decoded,
    /// What became of the values, if an earlier version saved them.
    pub(super) account: Option<Account>,
    /// The relations of the values: checked against the version that saved them, then against this one.
    pub(super) findings: Vec<SaveFinding>,
}

/// Reads the values of a save, through every step from its version to this one.
pub(super) fn decode_any(file: &SaveFile<'_>, schema: &Arc<Schema>) -> Result<OfAnyVersion, ReadError> {
    of_this_game(file, schema)?;
    let Some(before) = of_the_past(file, schema) else {
        let decoded = decode(file, schema)?;
        let findings = relations::findings(&decoded);
        return Ok(OfAnyVersion { decoded, account: None, findings });
    };
    let Decoded { snapshot, missing } = decode(file, before)?;
    let mut findings = relations::of_values(&snapshot);
    let (snapshot, account) = migrate(snapshot, schema).map_err(|fault| step_fault(file, fault))?;
    let decoded = Decoded { snapshot, missing };
    for finding in relations::findings(&decoded) {
        let is_told = |told: &SaveFinding| told.code == finding.code && told.place == finding.place;
        if !findings.iter().any(is_told) {
            findings.push(finding);
        }
    }
    Ok(OfAnyVersion { decoded, account: Some(account), findings })
}

/// Reads the settings of a device from the bytes of their file, of any version that steps can migrate. Values of slots
/// have their defaults.
///
/// # Errors
/// As [`verify`](super::verify); [`Fault::Unexpected`] for the save of a slot.
pub fn verify_settings(bytes: &[u8], schema: &Arc<Schema>) -> Result<Snapshot, ReadError> {
    let file = read(bytes)?;
    if !file.is_device() {
        let (expected, found) = ("the settings of a device".to_string(), "the save of a slot".to_string());
        return Err(ReadError::new(STATE, file.head.offset, Fault::Unexpected { expected, found }));
    }
    settings_in(&file, schema)
}

/// Reads a device file of any version: a snapshot in which all but the values of device scope are the defaults.
pub(crate) fn settings_in(file: &SaveFile<'_>, schema: &Arc<Schema>) -> Result<Snapshot, ReadError> {
    of_this_game(file, schema)?;
    let Some(before) = of_the_past(file, schema) else { return decode_device(file, schema) };
    migrate_settings(decode_device(file, before)?, schema).map_err(|fault| step_fault(file, fault))
}

fn step_fault(file: &SaveFile<'_>, fault: StepFault) -> ReadError {
    ReadError::new(STATE, file.head.offset, Fault::Step(Box::new(fault)))
}
