//! Values of a save of any version that steps lead on from.

use std::sync::Arc;

use keblin_schema::{Schema, Value};

use crate::migrate::{Account, migrate};
use crate::save::decode::{Decoded, decode, decode_device, of_the_past, of_this_game};
use crate::save::layout::STATE;
use crate::save::{Fault, ReadError, SaveFile};
use crate::snapshot::{Snapshot, State};

/// The values of a save, by every step that leads from its version to this one, and what became of them on the way.
pub(super) fn decode_any(
    file: &SaveFile<'_>,
    schema: &Arc<Schema>,
) -> Result<(Decoded, Option<Account>), ReadError> {
    of_this_game(file, schema)?;
    let Some(before) = of_the_past(file, schema) else { return Ok((decode(file, schema)?, None)) };
    let Decoded { snapshot, missing } = decode(file, before)?;
    let (snapshot, account) = migrated(file, snapshot, schema)?;
    Ok((Decoded { snapshot, missing }, Some(account)))
}

/// The values of a device file, in the order of the schema's cells from [`Schema::saved_cells`] on.
pub(crate) fn device_values(file: &SaveFile<'_>, schema: &Arc<Schema>) -> Result<Vec<Value>, ReadError> {
    of_this_game(file, schema)?;
    let Some(before) = of_the_past(file, schema) else { return decode_device(file, schema) };
    let mut state = State::first(before);
    state.cells.truncate(before.saved_cells);
    state.cells.extend(decode_device(file, before)?);
    let (carried, areas) = (Arc::default(), Arc::default());
    let snapshot = Snapshot { schema: Arc::clone(before), state, carried, picture: None, areas };
    let (mut snapshot, _) = migrated(file, snapshot, schema)?;
    Ok(snapshot.state.cells.split_off(schema.saved_cells))
}

fn migrated(
    file: &SaveFile<'_>,
    snapshot: Snapshot,
    schema: &Arc<Schema>,
) -> Result<(Snapshot, Account), ReadError> {
    let done = migrate(snapshot, schema);
    done.map_err(|fault| ReadError::new(STATE, file.head.offset, Fault::Step(Box::new(fault))))
}
