//! Reads the bodies of sections to a snapshot: along the tapes of the plan if this schema wrote them, else by their
//! keys.

use std::cmp::Ordering;
use std::sync::Arc;

use super::block::Section;
use super::error::{Fault, MAX_CHANGES, ReadError};
use super::file::{self, SaveFile};
use super::layout::{DEVICE, HEADER, STATE, SaveLimits};
use super::missing::Missing;
use super::reading::Reading;
use crate::grammar::plan::Body;
use crate::snapshot::{Carried, Schema, Snapshot, title};

/// A save's values, before relations are checked.
#[derive(Debug)]
pub(crate) struct Decoded {
    pub(crate) snapshot: Snapshot,
    /// The level and checkpoint of the saved visit, if this schema does not declare them.
    pub(crate) missing: Vec<Missing>,
}

/// Checks that a save belongs to this game, and to this version or one that steps can migrate; if not, it must be
/// left untouched.
pub(crate) fn of_this_game(file: &SaveFile<'_>, schema: &Schema) -> Result<(), ReadError> {
    match file.game {
        Some(game) if game != schema.game.as_str() => {
            let fault = Fault::OtherGame { found: game.to_string(), expected: schema.game.clone() };
            return Err(ReadError::new(HEADER, 0, fault));
        }
        // The header is damaged. A matching shape, down to the last field, identifies the game as well as its name.
        None if !has_the_shape(file, schema) => {
            let damaged = || ReadError::new(HEADER, 0, Fault::Digest);
            return Err(file.fault.clone().unwrap_or_else(damaged));
        }
        _ => {}
    }
    let (found, known) = (file.head.schema_version, schema.version);
    let fault = match found.cmp(&known) {
        Ordering::Greater => Fault::NewerVersion { found, known },
        Ordering::Less if of_the_past(file, schema).is_some() => return Ok(()),
        Ordering::Less => Fault::OlderVersion { found, known },
        Ordering::Equal => return Ok(()),
    };
    Err(ReadError::new(STATE, file.head.offset, fault))
}

/// Returns whether a save has exactly the shape of this version or of an earlier one.
fn has_the_shape(file: &SaveFile<'_>, schema: &Schema) -> bool {
    let has =
        |schema: &Schema| schema.version == file.head.schema_version && file.head.fingerprint.is_of(schema);
    has(schema) || schema.past().iter().any(|past| has(&past.schema))
}

/// Checks whether bytes with damaged states may be searched: not if their header is intact and belongs to another
/// game or format.
pub(crate) fn of_this_game_header(bytes: &[u8], schema: &Schema) -> Result<(), ReadError> {
    match file::header(bytes) {
        Ok(header) if header.game != schema.game.as_str() => {
            let fault = Fault::OtherGame { found: header.game.to_string(), expected: schema.game.clone() };
            Err(ReadError::new(HEADER, 0, fault))
        }
        Err(error) if error.is_refusal() => Err(error),
        _ => Ok(()),
    }
}

/// Returns the schema of the earlier version that made a save, if so.
pub(crate) fn of_the_past<'s>(file: &SaveFile<'_>, schema: &'s Schema) -> Option<&'s Arc<Schema>> {
    let version = file.head.schema_version;
    schema.past().iter().map(|past| &past.schema).find(|past| past.version == version)
}

/// Reads the values of a save of the schema's own version.
pub(crate) fn decode(file: &SaveFile<'_>, schema: &Arc<Schema>) -> Result<Decoded, ReadError> {
    let plan = schema.plan();
    let sections = file.of_slot(plan)?;
    let is_of_another = !file.head.fingerprint.is_of(schema);
    let begin = || Reading::new(schema, plan).of_another(is_of_another);
    let mut reading = begin();
    let followed = sections.iter().try_for_each(|(section, body)| reading.follow(section, body));
    if followed.is_none() {
        reading = begin();
        // Groups first: the copies in the run begin with all values of the fields.
        let (whole, groups): (Vec<_>, Vec<_>) = sections.iter().partition(|(_, body)| body.needed);
        let mut in_turn = groups.into_iter().chain(whole);
        let read = in_turn.try_for_each(|(section, body)| reading.by_keys(section, body));
        read.map_err(|error| redeclared(&error, file, schema, &sections).unwrap_or(error))?;
        reading.finish();
    }
    let Reading { state, carried, missing, .. } = reading;
    let carried = Carried { blocks: file.carried_blocks(plan), ..carried };
    let (picture, areas) = (file.picture()?, Arc::new(file.areas()?));
    let carried = Arc::new(carried);
    // What no game can set is left out.
    let title = file.head.summary.title.as_deref().and_then(|text| title(text).ok().flatten());
    let mut snapshot = Snapshot { carried, picture, title, areas, ..Snapshot::of_state(schema, state) };
    snapshot.history = super::history::read(file, &snapshot)?.map(Arc::new);
    Ok(Decoded { snapshot, missing })
}

/// Returns the error for a save that another declaration of the same version has written, with every place that does
/// not fit; `None` if this declaration has written it, or if it is not a save that anything has written.
fn redeclared(
    first: &ReadError,
    file: &SaveFile<'_>,
    schema: &Arc<Schema>,
    sections: &[(&Section<'_>, &Body)],
) -> Option<ReadError> {
    let is_whole = |(section, _): &(&Section<'_>, &Body)| {
        section.item().whole(|cursor| cursor.skip("a value", &SaveLimits::default())).is_ok()
    };
    let is_other = !file.head.fingerprint.is_of(schema);
    if !is_other || !matches!(first.fault, Fault::Unexpected { .. }) || !sections.iter().all(is_whole) {
        return None;
    }
    let mut looking = Reading::collecting(schema, schema.plan());
    // What no declaration can leave out was not left out by one.
    sections.iter().try_for_each(|(section, body)| looking.by_keys(section, body)).ok()?;
    let mut changes = looking.misfits.unwrap_or_default();
    let more = changes.len().saturating_sub(MAX_CHANGES);
    changes.truncate(MAX_CHANGES);
    let fault = Fault::Redeclared { version: schema.version, changes, more };
    Some(ReadError::new(&first.section, first.offset, fault))
}

/// Reads single sections, each on its own; if a section cannot be read, its values are the defaults. Returns the
/// errors by section.
pub(crate) fn decode_apart<'b>(
    sections: impl IntoIterator<Item = &'b Section<'b>>,
    schema: &Arc<Schema>,
) -> (Decoded, Vec<(&'b str, ReadError)>) {
    let plan = schema.plan();
    let mut reading = Reading::new(schema, plan);
    let mut faults = Vec::new();
    for section in sections {
        let Some(body) = plan.section(section.name) else { continue };
        let before = reading.state.clone();
        if let Err(error) = reading.by_keys(section, body) {
            reading.state = before;
            faults.push((section.name, error));
        }
    }
    reading.finish();
    let Reading { state, carried, missing, .. } = reading;
    let snapshot = Snapshot { carried: Arc::new(carried), ..Snapshot::of_state(schema, state) };
    (Decoded { snapshot, missing }, faults)
}

/// Returns whether a section has exactly the keys that a schema writes, in their order, and values of their types.
pub(crate) fn is_written_by(section: &Section<'_>, schema: &Arc<Schema>) -> bool {
    let plan = schema.plan();
    plan.section(section.name).is_some_and(|body| Reading::new(schema, plan).follow(section, body).is_some())
}

/// Reads a device file: a snapshot in which all but the values of device scope are the defaults.
pub(crate) fn decode_device(file: &SaveFile<'_>, schema: &Arc<Schema>) -> Result<Snapshot, ReadError> {
    let plan = schema.plan();
    let is_of_another = !file.head.fingerprint.is_of(schema);
    let mut reading = Reading::new(schema, plan).of_another(is_of_another);
    reading.by_keys(file.section(DEVICE)?, &plan.device)?;
    let Reading { state, carried, .. } = reading;
    Ok(Snapshot { carried: Arc::new(carried), ..Snapshot::of_state(schema, state) })
}
