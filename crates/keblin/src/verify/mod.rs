//! Whether a save is to be trusted: its bytes, then its values, then how they fit together.
//!
//! ```text
//! bytes ──► read (digests) ──► decode (kinds) ──► relations (bounds, facts) ──► Verified<Save> + findings
//! ```
//!
//! [`verify`](crate::verify::verify) is the only door from bytes to values: a [`Verified`](crate::verify::Verified)
//! cannot be made in another way, and only from one can progress be made that was saved. Bytes that fail are an error;
//! values that are whole but do not fit together are findings, told and kept, because a game that was rebalanced must
//! not cost its players their progress.

/// What is told of a save that is whole.
mod finding;

/// How the values of a save fit together and with the schema.
mod relations;

pub use finding::SaveFinding;

use std::sync::Arc;

use keblin_schema::{Schema, Value};

use crate::progress::Progress;
use crate::save::decode::{Missing, decode};
use crate::save::{ReadError, Stamp, read};
use crate::snapshot::Snapshot;

/// Something whose bytes and kinds were checked. Only [`verify`] makes one.
#[derive(Clone, Debug)]
pub struct Verified<T>(T);

/// A save as it was read.
#[derive(Clone, Debug)]
pub struct Save {
    snapshot: Snapshot,
    stamp: Stamp,
    missing: Vec<Missing>,
    findings: Vec<SaveFinding>,
}

/// Checks bytes as a save of a game.
///
/// # Errors
/// [`ReadError`] with section and byte offset, if the bytes are damaged, are no save, or are one of another game or
/// version.
pub fn verify(bytes: &[u8], schema: &Arc<Schema>) -> Result<Verified<Save>, ReadError> {
    let file = read(bytes)?;
    let decoded = decode(&file, schema)?;
    let stamp = Stamp {
        number: file.number,
        created_unix_ms: file.created_unix_ms,
        saved_at_unix_ms: file.saved_at_unix_ms,
        cause: file.cause.to_string(),
    };
    let findings = relations::findings(&decoded);
    Ok(Verified(Save { snapshot: decoded.snapshot, stamp, missing: decoded.missing, findings }))
}

impl Verified<Save> {
    /// What is told of it.
    #[must_use]
    pub fn findings(&self) -> &[SaveFinding] {
        &self.0.findings
    }

    /// What it says about itself.
    #[must_use]
    pub fn stamp(&self) -> &Stamp {
        &self.0.stamp
    }

    /// Its values.
    #[must_use]
    pub fn snapshot(&self) -> &Snapshot {
        &self.0.snapshot
    }

    /// The save with the settings of the device, which are kept beside it: bounds may follow from them.
    #[must_use]
    pub(crate) fn with_settings(mut self, values: Vec<Value>) -> Verified<Save> {
        let Snapshot { schema, state, .. } = &mut self.0.snapshot;
        for (cell, value) in state.cells.iter_mut().skip(schema.saved_cells).zip(values) {
            *cell = value;
        }
        self
    }

    /// Progress from it, at the title. Where the saved checkpoint is no longer declared, the player stands at the
    /// start of the level, with the values a death would put back there; where the level is not, on the map.
    #[must_use]
    pub fn into_progress(self) -> Progress {
        let Save { snapshot, missing, .. } = self.0;
        let mut progress = Progress::restored(snapshot);
        if missing.iter().any(|missing| matches!(missing, Missing::Checkpoint { .. })) {
            progress.put_back_to_level_start();
        }
        progress
    }
}
