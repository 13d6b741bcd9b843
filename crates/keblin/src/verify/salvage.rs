//! Single sections out of a file of which no state is whole, only when somebody asks: what comes out may never have been
//! together at one instant, and says so.

use std::sync::Arc;

use crate::migrate::{Account, migrate};
use crate::save::decode::{decode_apart, is_written_by, of_this_game_header};
use crate::save::layout::{PROFILE, RUN};
use crate::save::{Fault, ReadError, Section, search};
use crate::snapshot::{Schema, Snapshot};

/// What could be had of a file.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Salvaged {
    /// The values that were found; everything else is as declared.
    pub snapshot: Snapshot,
    /// What became of each section of a slot.
    pub parts: Vec<Part>,
    /// What became of the values on the way to this version, where the sections are as an earlier one writes them. Only a
    /// state says of which version it is, and none is whole: they are taken for the latest whose keys they have, one by one.
    pub account: Option<Account>,
}

/// What became of a section.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Part {
    /// Its name: `profile` or `run`.
    pub section: &'static str,
    /// Where the block begins that was taken, in bytes from the start of the file; `None` if nothing was.
    pub offset: Option<usize>,
    /// How many blocks of this name are whole; the last is taken.
    pub whole: usize,
    /// Why the last whole one could not be used.
    pub fault: Option<ReadError>,
}

/// Takes the last whole block of each section of a slot out of some bytes, whatever became of the states.
///
/// # Errors
/// [`ReadError`] if there is no such block, if the header is whole and of another game or a newer format, or if a step from
/// an earlier version cannot be done.
pub fn salvage(bytes: &[u8], schema: &Arc<Schema>) -> Result<Salvaged, ReadError> {
    of_this_game_header(bytes, schema)?;
    let sections = search::sections(bytes);
    let last = |name: &str| sections.iter().rfind(|section| section.name == name);
    let (profile, run) = (last(PROFILE), last(RUN));
    if profile.is_none() && run.is_none() {
        let expected = "a whole section of a slot".to_string();
        return Err(ReadError::new("file", 0, Fault::Cut { expected }));
    }
    let of = profile.or(run).map_or(schema, |section| written_by(section, schema));
    let (decoded, [profile_fault, run_fault]) = decode_apart(profile, run, of);
    let part = |name, taken: Option<&Section<'_>>, fault: Option<ReadError>| Part {
        section: name,
        offset: taken.filter(|_| fault.is_none()).map(Section::offset),
        whole: sections.iter().filter(|section| section.name == name).count(),
        fault,
    };
    let parts = vec![part(PROFILE, profile, profile_fault), part(RUN, run, run_fault)];
    if of.version == schema.version {
        return Ok(Salvaged { snapshot: decoded.snapshot, parts, account: None });
    }
    let done = migrate(decoded.snapshot, schema);
    let (snapshot, account) =
        done.map_err(|fault| ReadError::new("file", 0, Fault::Step(Box::new(fault))))?;
    Ok(Salvaged { snapshot, parts, account: Some(account) })
}

/// The latest version that writes a section as it is; this one where none does.
fn written_by<'s>(section: &Section<'_>, schema: &'s Arc<Schema>) -> &'s Arc<Schema> {
    let past = schema.past().iter().rev().map(|past| &past.schema);
    let mut versions = std::iter::once(schema).chain(past);
    versions.find(|version| is_written_by(section, version)).unwrap_or(schema)
}
