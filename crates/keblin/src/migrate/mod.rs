//! Migrates a save of an earlier version of the game to this version.
//!
//! ```text
//! save of version 1 ──► Snapshot of 1 ──► step to 2 ──► Snapshot of 2 ──► step to 3 ──► Snapshot of 3 + Account
//!                       (frozen/v1.toml)  (migrations/v2.toml)                          (progress.toml)
//! ```
//!
//! A game calls nothing here: a schema with past versions ([`Schema::past`](crate::Schema::past)) opens the saves of
//! all of them, and an [`Account`](crate::migrate::Account) reports what became of their values. If a step fails, the
//! save is left untouched.

/// One step.
mod apply;

/// What became of the facts of a level.
mod fates;

/// Everything that is kept without being a field.
mod facts;

/// The run.
mod run;

/// Who wrote what.
mod history;

/// What comes after the declared part of a step.
mod after;

/// Converting one value.
mod convert;

/// Converts what is in a shape.
mod inside;

/// Converting single values.
mod scalar;

/// Objects of the world.
mod world;

/// Converting positions.
mod places;

/// A game's own code in a step.
mod code;

/// A save with something in every field.
#[cfg(feature = "parse")]
mod sample;

pub use crate::account::{Account, AccountEntry, Became};
pub use crate::save::error::StepFault;
pub use code::{CodeError, Rewriting, set_code};
#[cfg(feature = "testing")]
pub(crate) use sample::{another_of_object, another_value};
#[cfg(feature = "parse")]
pub use sample::{sample, sample_file, sample_of};

use std::sync::Arc;

use crate::snapshot::{PastVersion, Schema, Snapshot};
use crate::spans::enter;

/// Migrates a snapshot of a past version through every step to this version. It belongs to a slot: device settings
/// keep their defaults, and come from their own file.
pub(crate) fn migrate(before: Snapshot, schema: &Arc<Schema>) -> Result<(Snapshot, Account), StepFault> {
    let _span = enter("migrate", &schema.game);
    let mut account = Account { from: before.schema.version, to: schema.version, entries: Vec::new() };
    let entries = &mut account.entries;
    let snapshot = by_steps(before, schema, |past, before, now| apply::slot(past, before, now, entries))?;
    Ok((snapshot, account))
}

/// The same for device settings only: values of a slot keep their defaults, and no step is applied to them.
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
