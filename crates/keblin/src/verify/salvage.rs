//! Recovers single sections from a file without an intact state, only on request: the sections may never have
//! belonged to one moment, and the result says so.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::migrate::{Account, migrate};
use crate::save::decode::{decode_apart, is_written_by, of_this_game_header};
use crate::save::history::salvaged;
use crate::save::layout::{AREA, HISTORY, PROFILE, RUN};
use crate::save::search::{self, Whole};
use crate::save::{Fault, ReadError, Section, is_area};
use crate::snapshot::{AreaBytes, Areas, Schema, Snapshot, area_of, title};
use crate::world::{AreaBody, ObjectId};

/// What could be recovered from a file.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Salvaged {
    /// The recovered values; all others have their defaults.
    pub snapshot: Snapshot,
    /// The result for each section of a slot.
    pub parts: Vec<Part>,
    /// The result for each area of the world that the last state names; if no state names any, for each with an intact block.
    pub areas: Vec<Part>,
    /// What became of the values, if the sections are from an earlier version. Only a state names its version, and no
    /// state is intact: the sections are read as the latest version that has exactly their keys, and those of the areas.
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
    let Whole { sections, state } = search::whole(bytes);
    let last = |name: &str| sections.iter().rfind(|section| section.name == name);
    let Some(first) = last(PROFILE).or(last(RUN)) else {
        let expected = "an intact section of a slot".to_string();
        return Err(ReadError::new("file", 0, Fault::Cut { expected }));
    };
    let of = written_by(first, &sections, schema);
    let slot = &of.plan().slot;
    let (decoded, faults) = decode_apart(slot.iter().filter_map(|body| last(&body.name)), of);
    let mut snapshot = decoded.snapshot;
    let said = state.as_ref().and_then(|state| state.title.as_deref());
    snapshot.title = said.and_then(|text| title(text).ok().flatten());
    let parts = slot.iter().map(|body| {
        let fault = faults.iter().find(|(section, _)| *section == body.name).map(|(_, error)| error.clone());
        Part {
            offset: last(&body.name).filter(|_| fault.is_none()).map(Section::offset),
            whole: sections.iter().filter(|section| section.name == body.name).count(),
            section: body.name.clone(),
            fault,
        }
    });
    let parts: Vec<Part> = parts.collect();
    let has_run = parts.iter().any(|part| part.section == RUN && part.offset.is_some());
    let areas = areas(&sections, state.as_ref().map(|state| &*state.names), has_run, &mut snapshot);
    let history = last(HISTORY).and_then(|section| salvaged(section, &snapshot));
    snapshot.history = history.map(Arc::new);
    if of.version == schema.version {
        return Ok(Salvaged { snapshot, parts, areas, account: None });
    }
    let done = migrate(snapshot, schema);
    let (snapshot, account) =
        done.map_err(|fault| ReadError::new("file", 0, Fault::Step(Box::new(fault))))?;
    Ok(Salvaged { snapshot, parts, areas, account: Some(account) })
}

/// Puts the last intact block of each area into a snapshot: of the areas that the last state names, or if none is there, of
/// all; copies of areas only with the run that they belong to.
fn areas(
    sections: &[Section<'_>],
    named: Option<&[&str]>,
    has_run: bool,
    snapshot: &mut Snapshot,
) -> Vec<Part> {
    let belongs = |name: &str| is_area(name) && (has_run || name.starts_with(AREA));
    let names = named.unwrap_or_default().iter().filter(|name| belongs(name));
    let mut by_name: BTreeMap<&str, (usize, Option<&Section<'_>>)> = BTreeMap::new();
    by_name.extend(names.map(|name| (*name, (0, None))));
    for section in sections.iter().filter(|section| belongs(section.name)) {
        // An area that the last state does not name was not there any more.
        if named.is_none() || by_name.contains_key(section.name) {
            let (whole, last) = by_name.entry(section.name).or_default();
            (*whole, *last) = (*whole + 1, Some(section));
        }
    }
    let mut areas = Areas::default();
    let parts = by_name.into_iter().map(|(name, (whole, section))| {
        let bytes = section.map(Section::area).transpose();
        let offset = section.filter(|_| bytes.is_ok()).map(Section::offset);
        let fault = bytes.map(|bytes| areas.extend(bytes.map(|bytes| (name.into(), bytes.into())))).err();
        Part { section: name.to_string(), offset, whole, fault }
    });
    let parts = parts.collect();
    // Without the section that counts them, an id would be given a second time.
    let made = areas.values().filter_map(|bytes| most_made(&snapshot.schema, bytes)).max();
    snapshot.state.made = snapshot.state.made.max(made.unwrap_or(0));
    snapshot.areas = Arc::new(areas);
    parts
}

/// Returns the number of the object in an area that was made last.
fn most_made(schema: &Schema, bytes: &AreaBytes) -> Option<u64> {
    let bytes = bytes.get().ok()?;
    let body = AreaBody::read(schema, bytes).ok()?;
    let ids = body.kinds.iter().flat_map(|rows| &rows.ids);
    ids.filter_map(|id| ObjectId::of_number(*id).made_as()).max()
}

/// Returns the version that wrote the sections: of those that write a slot like this, the one with the kinds and fields of
/// the most areas, and of several the latest; this version if there is none.
fn written_by<'s>(slot: &Section<'_>, sections: &[Section<'_>], schema: &'s Arc<Schema>) -> &'s Arc<Schema> {
    let versions = schema.past().iter().map(|past| &past.schema).chain([schema]);
    let mut versions: Vec<_> =
        versions.filter(|version| is_written_by(slot, version)).map(|version| (0, version)).collect();
    // Mostly the keys of the slot are enough, and the areas need not be read.
    if versions.len() > 1 {
        // A hostile file may have a million sections, so the last of each name is looked up.
        let mut last: BTreeMap<&str, &Section<'_>> = BTreeMap::new();
        last.extend(sections.iter().map(|section| (section.name, section)));
        let areas = last.into_iter().filter_map(|(name, section)| Some((area_of(name)?.1, section)));
        for (id, section) in areas {
            let Ok(bytes) = section.area() else { continue };
            for (fitting, version) in &mut versions {
                let is_declared = version.areas.position(id).is_some();
                *fitting += usize::from(is_declared && AreaBody::is_written_by(version, &bytes));
            }
        }
    }
    versions.into_iter().max_by_key(|(fitting, _)| *fitting).map_or(schema, |(_, version)| version)
}
