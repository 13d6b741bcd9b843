//! Everything that is in a file: the state that opening takes, and those before it, of which damage says that a disk is
//! failing before anything is lost.

use std::collections::HashSet;
use std::sync::Arc;

use keblin_schema::{Schema, Severity};

use super::finding::SaveFinding;
use super::{Save, Verified, verify_file};
use crate::save::decode::{decode, decode_device, of_this_game};
use crate::save::search::History;
use crate::save::{ReadError, SaveFile, SealKey};

/// What was found in a file.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Examined {
    /// The state that opening takes, or why there is none.
    pub kept: Result<Kept, ReadError>,
    /// Every state of the file, in its order.
    pub states: Vec<StateSeen>,
    /// Everything told of it, errors first in the order of the file.
    pub findings: Vec<SaveFinding>,
}

/// What a file keeps.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Kept {
    /// The progress of a slot.
    Slot(Box<Verified<Save>>),
    /// The settings of a device.
    Device {
        /// Counts how often they were saved, from 1.
        number: u64,
    },
}

/// A state of a file.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct StateSeen {
    /// Its number, if its block could be read.
    pub number: Option<u64>,
    /// Where it begins, in bytes from the start of the file.
    pub offset: usize,
    /// Whether everything that belongs to it is whole and can be read.
    pub whole: bool,
}

/// Looks at everything in the bytes of a save or a device file.
#[must_use]
pub fn examine(bytes: &[u8], schema: &Arc<Schema>) -> Examined {
    examine_sealed(bytes, schema, None)
}

/// Looks as [`examine`] does, and checks the seal by the game's key.
#[must_use]
pub fn examine_sealed(bytes: &[u8], schema: &Arc<Schema>, key: Option<&SealKey>) -> Examined {
    let kept = crate::save::read(bytes).and_then(|file| kept(file, schema, key));
    let mut findings = match &kept {
        Ok((Kept::Slot(save), _)) => save.findings().to_vec(),
        Ok((Kept::Device { .. }, findings)) => findings.clone(),
        Err(error) => vec![SaveFinding::of_error(error)],
    };
    let (mut states, mut stale_ones) = (Vec::new(), Vec::new());
    if let Some(mut history) = History::of(bytes) {
        for offset in std::mem::take(&mut history.states) {
            let state = history.state(offset).and_then(|file| {
                let number = file.head.number;
                // A state of another version is whole if its bytes are; what they mean is for its own schema to say.
                match of_this_game(&file, schema).and_then(|()| readable(&file, schema)) {
                    Err(error) if !error.is_refusal() => Err(error),
                    _ => Ok(number),
                }
            });
            states.push(StateSeen { number: state.as_ref().ok().copied(), offset, whole: state.is_ok() });
            stale_ones.extend(state.err().map(|error| stale(&error)));
        }
        stale_ones.extend(history.faults.iter().map(stale));
    }
    // What opening tells, it tells with its consequence; damage that several states share is told once.
    let mut told: HashSet<String> = findings.iter().map(|finding| finding.place.clone()).collect();
    stale_ones.retain(|finding| told.insert(finding.place.clone()));
    findings.extend(stale_ones);
    Examined { kept: kept.map(|(kept, _)| kept), states, findings }
}

/// Damage that costs nothing yet.
fn stale(error: &ReadError) -> SaveFinding {
    let message = format!("{}; it belongs to no state that opening takes", error.fault);
    SaveFinding::warning("stale_damaged", format!("{}, byte {}", error.section, error.offset), message)
}

fn kept(
    file: SaveFile<'_>,
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
) -> Result<(Kept, Vec<SaveFinding>), ReadError> {
    if !file.is_device() {
        let save = verify_file(file, schema, key)?;
        return Ok((Kept::Slot(Box::new(save)), Vec::new()));
    }
    decode_device(&file, schema)?;
    let findings = super::about_the_file(&file, file.seal(key), false);
    Ok((Kept::Device { number: file.head.number }, findings))
}

fn readable(file: &SaveFile<'_>, schema: &Arc<Schema>) -> Result<(), ReadError> {
    if file.is_device() { decode_device(file, schema).map(drop) } else { decode(file, schema).map(drop) }
}

impl SaveFinding {
    /// What is told of bytes that could not be read.
    #[must_use]
    pub fn of_error(error: &ReadError) -> SaveFinding {
        SaveFinding {
            code: error.fault.code(),
            severity: Severity::Error,
            place: format!("{}, byte {}", error.section, error.offset),
            message: error.fault.to_string(),
        }
    }
}
