//! Recovers single sections from a file without an intact state, only on request: the sections may never have
//! belonged to one moment, and the result says so.

use std::sync::Arc;

use crate::migrate::{Account, migrate};
use crate::save::decode::{decode_apart, is_written_by, of_this_game_header};
use crate::save::layout::{PROFILE, RUN};
use crate::save::{Fault, ReadError, Section, search};
use crate::snapshot::{Schema, Snapshot};

/// What could be recovered from a file.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Salvaged {
    /// The recovered values; all others have their defaults.
    pub snapshot: Snapshot,
    /// The result for each section of a slot.
    pub parts: Vec<Part>,
    /// What became of the values, if the sections are from an earlier version. Only a state names its version, and no
    /// state is intact: each section is read as the latest version that has exactly its keys.
    pub account: Option<Account>,
}

/// The result for a section.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Part {
    /// Its name: `profile`, `run`, or that of a group's values, as `profile.cargo`.
    pub section: String,
    /// Where the block starts that was used, in bytes from the start of the file; `None` if there is none.
    pub offset: Option<usize>,
    /// How many blocks of this name are intact; the last one is used.
    pub whole: usize,
    /// Why the last intact one could not be used.
    pub fault: Option<ReadError>,
}

/// Recovers the last intact block of each section of a slot, whether or not its state is intact.
///
/// # Errors
/// [`ReadError`] if there is no such block, if the header is intact and belongs to another game or a newer format, or
/// if a step from an earlier version fails.
pub fn salvage(bytes: &[u8], schema: &Arc<Schema>) -> Result<Salvaged, ReadError> {
    of_this_game_header(bytes, schema)?;
    let sections = search::sections(bytes);
    let last = |name: &str| sections.iter().rfind(|section| section.name == name);
    let Some(first) = last(PROFILE).or(last(RUN)) else {
        let expected = "an intact section of a slot".to_string();
        return Err(ReadError::new("file", 0, Fault::Cut { expected }));
    };
    let of = written_by(first, schema);
    let slot = &of.plan().slot;
    let (decoded, mut faults) = decode_apart(slot.iter().filter_map(|body| last(&body.name)), of);
    let parts = slot.iter().map(|body| {
        let fault = faults.remove(body.name.as_str());
        Part {
            offset: last(&body.name).filter(|_| fault.is_none()).map(Section::offset),
            whole: sections.iter().filter(|section| section.name == body.name).count(),
            section: body.name.clone(),
            fault,
        }
    });
    let parts: Vec<Part> = parts.collect();
    if of.version == schema.version {
        return Ok(Salvaged { snapshot: decoded.snapshot, parts, account: None });
    }
    let done = migrate(decoded.snapshot, schema);
    let (snapshot, account) =
        done.map_err(|fault| ReadError::new("file", 0, Fault::Step(Box::new(fault))))?;
    Ok(Salvaged { snapshot, parts, account: Some(account) })
}

/// Returns the latest version that writes a section like this; this version if there is none.
fn written_by<'s>(section: &Section<'_>, schema: &'s Arc<Schema>) -> &'s Arc<Schema> {
    let past = schema.past().iter().rev().map(|past| &past.schema);
    let mut versions = std::iter::once(schema).chain(past);
    versions.find(|version| is_written_by(section, version)).unwrap_or(schema)
}
