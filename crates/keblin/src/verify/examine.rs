//! Examines everything in a file: the state that opening takes, and those before it. Damage in those shows that a
//! disk is failing before anything is lost.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use keblin_model::Severity;

use super::check_file;
use super::finding::SaveFinding;
use super::past::settings_in;
use crate::save::decode::{decode_apart, is_written_by, of_the_past, of_this_game};
use crate::save::reader::{at_the_end, is_final};
use crate::save::search::WholeFile;
use crate::save::{Fault, ReadError, SaveCode, SaveFile, SaveLimits, Seal, SealKey, Section};
use crate::snapshot::Schema;

/// The result of examining a file.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Examined {
    /// What opening takes, or why it fails.
    pub kept: Result<Kept, ReadError>,
    /// Every state of the file, in its order.
    pub states: Vec<StateSeen>,
    /// All findings, errors first, in the order of the file.
    pub findings: Vec<SaveFinding>,
}

/// The contents of a file.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Kept {
    /// The progress of a slot.
    Slot {
        /// The number of the save, counted from 1 in each slot.
        number: u64,
        /// The result of checking its seal.
        seal: Seal,
    },
    /// The settings of a device.
    Device {
        /// How often they were saved, from 1.
        number: u64,
    },
}

/// A state of a file.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct StateSeen {
    /// Its number, if its block could be read.
    pub number: Option<u64>,
    /// Where it starts, in bytes from the start of the file.
    pub offset: usize,
    /// Whether everything that belongs to it is intact and can be read.
    pub whole: bool,
}

/// Examines all bytes of a save or a device file.
#[must_use]
pub fn examine(bytes: &[u8], schema: &Arc<Schema>) -> Examined {
    examine_sealed(bytes, schema, None)
}

/// Examines as [`examine`] does, and checks the seal with the game's key.
#[must_use]
pub fn examine_sealed(bytes: &[u8], schema: &Arc<Schema>, key: Option<&SealKey>) -> Examined {
    let limits = SaveLimits::default();
    let quick = at_the_end(bytes, &limits);
    let whole = quick.as_ref().ok().filter(|file| file.is_everything()).map(|file| file.head.clone());
    // There is nothing else in the file, or nothing can be found in it.
    let is_all = whole.is_some() || matches!(&quick, Err(Some(error)) if is_final(error));
    let mut walked = (!is_all).then(|| WholeFile::within(bytes, limits.clone()));
    let file = match (quick, &mut walked) {
        (Ok(file), _) => Ok(file),
        (Err(fault), Some(walked)) => walked.last(fault),
        (Err(fault), None) => Err(fault.unwrap_or_else(|| ReadError::new("file", 0, Fault::Empty))),
    };
    let (kept, mut findings) = match file.and_then(|file| kept(file, schema, key)) {
        Ok((kept, findings)) => (Ok(kept), findings),
        Err(error) => (Err(error.clone()), vec![SaveFinding::of_error(&error)]),
    };
    if let (Some(head), Ok(_)) = (&whole, &kept) {
        let states = vec![StateSeen { number: Some(head.number), offset: head.offset, whole: true }];
        return Examined { kept, states, findings };
    }
    if whole.is_some() {
        walked = Some(WholeFile::within(bytes, limits));
    }
    let (mut states, mut stale_ones) = (Vec::new(), Vec::new());
    if let Some(walked) = &mut walked {
        let mut readable = Readable { schema, looked_at: HashMap::new() };
        for offset in walked.states() {
            let state =
                walked.state(offset).and_then(|file| readable.check(&file).map(|()| file.head.number));
            states.push(StateSeen { number: state.as_ref().ok().copied(), offset, whole: state.is_ok() });
            stale_ones.extend(state.err().map(|error| stale(&error)));
        }
        stale_ones.extend(walked.faults().iter().map(stale));
    }
    // Findings of opening include their consequence; damage that several states share is reported once.
    let mut told: HashSet<String> = findings.iter().map(|finding| finding.place.clone()).collect();
    stale_ones.retain(|finding| told.insert(finding.place.clone()));
    findings.extend(stale_ones);
    Examined { kept, states, findings }
}

/// Returns a finding for damage that costs nothing yet.
fn stale(error: &ReadError) -> SaveFinding {
    let message = format!("{}; it only affects older states that are not loaded", error.fault);
    SaveFinding::warning(SaveCode::StaleDamaged, format!("{}, byte {}", error.section, error.offset), message)
}

fn kept(
    file: SaveFile<'_>,
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
) -> Result<(Kept, Vec<SaveFinding>), ReadError> {
    let (number, seal) = (file.head.number, file.seal(key));
    if !file.is_device() {
        let findings = check_file(file, schema, key)?;
        return Ok((Kept::Slot { number, seal }, findings));
    }
    settings_in(&file, schema)?;
    Ok((Kept::Device { number }, super::about_the_file(&file, seal, false)))
}

/// Whether the values of states can be read, section by section. States share sections, and each is examined once.
struct Readable<'s> {
    schema: &'s Arc<Schema>,
    /// By the start of the section's body, and the version that it is read with.
    looked_at: HashMap<(usize, u32), Result<(), ReadError>>,
}

impl Readable<'_> {
    fn check(&mut self, file: &SaveFile<'_>) -> Result<(), ReadError> {
        // A state of another game or version is intact if its bytes are; its values are for its own schema to check.
        let Ok(()) = of_this_game(file, self.schema) else { return Ok(()) };
        if file.is_device() {
            return settings_in(file, self.schema).map(drop);
        }
        let schema = of_the_past(file, self.schema).unwrap_or(self.schema);
        for (section, _) in file.of_slot(schema.plan())? {
            let at = (section.body_offset, schema.version);
            let read = self.looked_at.entry(at).or_insert_with(|| readable(section, schema));
            // What another declaration wrote is intact if its bytes are.
            if let (Err(error), true) = (read, file.head.fingerprint.is_of(schema)) {
                return Err(error.clone());
            }
        }
        Ok(())
    }
}

fn readable(section: &Section<'_>, schema: &Arc<Schema>) -> Result<(), ReadError> {
    if is_written_by(section, schema) {
        return Ok(());
    }
    let (_, faults) = decode_apart([section], schema);
    faults.into_iter().next().map_or(Ok(()), |(_, error)| Err(error))
}

impl SaveFinding {
    /// Returns the finding for bytes that could not be read.
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
