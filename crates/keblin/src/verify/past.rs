//! Reads the values of a save of any version that steps can migrate.

use std::sync::Arc;

use keblin_schema::Value;

use super::finding::SaveFinding;
use super::relations;
use crate::migrate::{Account, StepFault, migrate, migrate_settings};
use crate::save::decode::{Decoded, decode, decode_device, of_the_past, of_this_game};
use crate::save::layout::STATE;
use crate::save::{Fault, ReadError, SaveFile};
use crate::snapshot::{Schema, Snapshot, State};

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

/// Reads the values of a device file, in the order of the schema's cells from
/// [`Model::saved_cells`](keblin_schema::Model::saved_cells) on.
pub(crate) fn device_values(file: &SaveFile<'_>, schema: &Arc<Schema>) -> Result<Vec<Value>, ReadError> {
    of_this_game(file, schema)?;
    let Some(before) = of_the_past(file, schema) else { return decode_device(file, schema) };
    let mut state = State::first(before);
    state.cells.truncate(before.saved_cells);
    state.cells.extend(decode_device(file, before)?);
    let (carried, areas) = (Arc::default(), Arc::default());
    let snapshot = Snapshot { schema: Arc::clone(before), state, carried, picture: None, areas };
    let mut snapshot = migrate_settings(snapshot, schema).map_err(|fault| step_fault(file, fault))?;
    Ok(snapshot.state.cells.split_off(schema.saved_cells))
}

fn step_fault(file: &SaveFile<'_>, fault: StepFault) -> ReadError {
    ReadError::new(STATE, file.head.offset, Fault::Step(Box::new(fault)))
}
