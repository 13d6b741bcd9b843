//! How a save of an earlier version of the game becomes one of this version.
//!
//! ```text
//! save of version 1 ──► Snapshot of 1 ──► step to 2 ──► Snapshot of 2 ──► step to 3 ──► Snapshot of 3 + Account
//!                       (frozen/v1.toml)  (migrations/v2.toml)                          (progress.toml)
//! ```
//!
//! Nothing here is called by a game: a schema that knows its past ([`Schema::past`](crate::Schema::past)) opens
//! the saves of all its versions, and what became of their values is told in an [`Account`](crate::migrate::Account). A step that
//! cannot be done leaves the save as it is.

/// One step.
mod apply;

/// What became of the facts of a level.
mod fates;

/// What is kept without being a field.
mod facts;

/// The run.
mod run;

/// What comes after what a step declares.
mod after;

/// One value of before as one of now.
mod convert;

/// Positions of before as positions of now.
mod places;

/// What the game itself does in a step.
mod code;

/// A save with something in every field.
mod sample;

pub use crate::account::{Account, AccountEntry, Became};
pub use crate::save::error::StepFault;
pub use code::{CodeError, Rewriting, set_code};
pub use sample::{sample, sample_file, sample_of};

use std::sync::Arc;

use crate::snapshot::{PastVersion, Schema, Snapshot};

/// A snapshot of a version of the past, by every step up to this version. It is of a slot: the settings of the device are as
/// declared, and come from their own file.
pub(crate) fn migrate(before: Snapshot, schema: &Arc<Schema>) -> Result<(Snapshot, Account), StepFault> {
    let mut account = Account { from: before.schema.version, to: schema.version, entries: Vec::new() };
    let entries = &mut account.entries;
    let snapshot = by_steps(before, schema, |past, before, now| apply::slot(past, before, now, entries))?;
    Ok((snapshot, account))
}

/// The same for the settings of the device, and nothing else: what is of a slot is as declared, and no step of it is asked.
pub(crate) fn migrate_settings(before: Snapshot, schema: &Arc<Schema>) -> Result<Snapshot, StepFault> {
    by_steps(before, schema, apply::settings)
}

fn by_steps(
    before: Snapshot,
    schema: &Arc<Schema>,
    mut step: impl FnMut(&PastVersion, Snapshot, &Arc<Schema>) -> Result<Snapshot, StepFault>,
) -> Result<Snapshot, StepFault> {
    let (from, past) = (before.schema.version, schema.past());
    let first = past.iter().position(|version| version.schema.version == from).unwrap_or(past.len());
    let mut snapshot = before;
    for (index, version) in past.iter().enumerate().skip(first) {
        let now = past.get(index + 1).map_or(schema, |next| &next.schema);
        snapshot = step(version, snapshot, now)?;
    }
    Ok(snapshot)
}
