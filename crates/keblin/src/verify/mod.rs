//! Whether a save can be trusted: its bytes, then its values, then their relations.
//!
//! ```text
//! bytes ──► read (digests) ──► decode (kinds) ──► relations (bounds, facts) ──► Verified<Save> + findings
//! ```
//!
//! [`verify`](crate::verify::verify) is the only way from bytes to values: a [`Verified`](crate::verify::Verified)
//! cannot be made otherwise, and only it becomes saved progress. Bytes that fail are an error. Valid values that do
//! not fit together are findings: they are reported and kept, because rebalancing a game must not cost its players
//! their progress. [`examine`](crate::verify::examine) looks at everything in a file, not only at the state that
//! opening takes.

/// Findings about an intact save.
mod finding;

/// Whether the values of a save fit together and match the schema.
mod relations;

/// Examining everything in a file.
mod examine;

/// Saves of earlier versions.
pub(crate) mod past;

/// Finished levels that an update has shut.
mod shut;

/// The objects of the world.
mod world;

/// The states of a file one by one.
pub(crate) mod states;

/// Single sections of a file without an intact state.
mod salvage;

pub use examine::{Examined, Kept, StateSeen, examine, examine_sealed};
pub use finding::SaveFinding;
pub use past::verify_settings;
pub use salvage::{Part, Salvaged, salvage};
pub use shut::shut_levels;
pub use states::verify_state;

use std::sync::Arc;

use keblin_model::{Severity, Value};

use crate::migrate::Account;
use crate::progress::reconcile::{Side, merged};
use crate::progress::{Notice, Progress};
use crate::save::decode::{of_the_past, of_this_game};
use crate::save::glance::glance;
use crate::save::history::{is_of_another_state, is_of_machines};
use crate::save::left_out::without_areas;
use crate::save::missing::Missing;
use crate::save::{
    LeftOut, Lineage, ReadError, SaveCode, SaveFile, SaveLimits, Seal, SealKey, Stamp, StateHead, read,
    read_within,
};
use crate::snapshot::{AreaBytes, SavedAs, Schema, Snapshot};

/// A value whose bytes and types were checked. Only [`verify`] makes one.
#[derive(Clone, Debug)]
pub struct Verified<T>(T);

/// A save as read from bytes.
#[derive(Clone, Debug)]
pub struct Save {
    snapshot: Snapshot,
    stamp: Stamp,
    lineage: Lineage,
    head: StateHead,
    seal: Seal,
    fault: Option<ReadError>,
    missing: Vec<Missing>,
    account: Option<Arc<Account>>,
    findings: Vec<SaveFinding>,
}

/// Checks bytes as a save of a game, and returns its last intact state.
///
/// # Errors
/// [`ReadError`] with section and byte offset, if no state is intact, the bytes are not a save, or they belong to
/// another game or version.
pub fn verify(bytes: &[u8], schema: &Arc<Schema>) -> Result<Verified<Save>, ReadError> {
    verify_sealed(bytes, schema, None)
}

/// Checks as [`verify`] does, and also the seal with the game's key.
///
/// # Errors
/// As [`verify`]. A seal that does not match is a finding.
pub fn verify_sealed(
    bytes: &[u8],
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
) -> Result<Verified<Save>, ReadError> {
    verify_within(bytes, schema, key, &SaveLimits::default())
}

/// Checks as [`verify_sealed`] does, within other limits.
///
/// # Errors
/// As [`verify`].
pub fn verify_within(
    bytes: &[u8],
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
    limits: &SaveLimits,
) -> Result<Verified<Save>, ReadError> {
    verify_file(read_within(bytes, limits)?, schema, key)
}

/// Returns the findings about the last intact state of a save, without making progress from it: for folders of many
/// saves.
///
/// # Errors
/// As [`verify`].
pub fn check(
    bytes: &[u8],
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
) -> Result<Vec<SaveFinding>, ReadError> {
    check_file(read(bytes)?, schema, key)
}

fn check_file(
    file: SaveFile<'_>,
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
) -> Result<Vec<SaveFinding>, ReadError> {
    of_this_game(&file, schema)?;
    // A save of an earlier version has other names.
    let glance = if of_the_past(&file, schema).is_none() { glance(&file, schema) } else { None };
    // Those of several machines add up to the values.
    let glance = glance.filter(|_| !is_of_machines(&file));
    if glance.is_some_and(|(glance, state)| relations::is_plain(schema, &glance, &state)) {
        return Ok(about_the_file(&file, file.seal(key), key.is_some()));
    }
    verify_file(file, schema, key).map(|save| save.0.findings)
}

fn verify_file(
    file: SaveFile<'_>,
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
) -> Result<Verified<Save>, ReadError> {
    let past::OfAnyVersion { decoded, account, findings: of_values } = past::decode_any(&file, schema)?;
    let seal = file.seal(key);
    let mut findings = about_the_file(&file, seal, key.is_some());
    findings.extend(account.as_ref().map(of_an_earlier_version));
    findings.extend(of_values);
    let (stamp, lineage) = (Stamp::of(&file), Lineage::of(&file));
    let SaveFile { head, fault, .. } = file;
    let (mut snapshot, missing, account) = (decoded.snapshot, decoded.missing, account.map(Arc::new));
    let StateHead { saved_at_unix_ms, number, digest, .. } = head;
    snapshot.saved = Some(SavedAs { at_unix_ms: saved_at_unix_ms, number, digest });
    Ok(Verified(Save { snapshot, stamp, lineage, head, seal, fault, missing, account, findings }))
}

/// Checks a save of the schema's own version whose areas are left in the file, and returns it with them; `None` if it
/// must be read as a whole.
pub(crate) fn verify_without_areas(
    bytes: &[u8],
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
    limits: &SaveLimits,
) -> Option<(Verified<Save>, Vec<LeftOut>)> {
    let mut file = without_areas(bytes, schema, limits)?;
    let left_out = std::mem::take(&mut file.left_out);
    Some((verify_file(file, schema, key).ok()?, left_out))
}

/// Returns the finding that steps were needed to read it.
fn of_an_earlier_version(account: &Account) -> SaveFinding {
    let Account { from, to, .. } = account;
    let message = format!("saved by version {from} of the game; opening migrates it to version {to}");
    SaveFinding {
        severity: Severity::Hint,
        ..SaveFinding::warning(SaveCode::EarlierVersion, "state", message)
    }
}

/// Returns the findings about a file that do not depend on its values.
fn about_the_file(file: &SaveFile<'_>, seal: Seal, has_key: bool) -> Vec<SaveFinding> {
    let mut found = Vec::new();
    if let Some(fault) = &file.fault {
        let message = format!("{}; save {}, the last intact one, is used", fault.fault, file.head.number);
        let place = format!("{}, byte {}", fault.section, fault.offset);
        found.push(SaveFinding::warning(SaveCode::LaterDamaged, place, message));
    }
    let hint = |code, message| SaveFinding {
        severity: Severity::Hint,
        ..SaveFinding::warning(code, "state", message)
    };
    match seal {
        Seal::Broken => {
            let message = "the seal was not made with the game's key for these bytes";
            found.push(SaveFinding::warning(SaveCode::SealBroken, "state", message));
        }
        Seal::NotChecked => found.push(hint(SaveCode::SealNotChecked, "sealed; not checked without the key")),
        Seal::None if has_key => {
            found.push(SaveFinding::warning(
                SaveCode::SealMissing,
                "state",
                "not sealed, but the game has a key",
            ));
        }
        _ => {}
    }
    if is_of_another_state(file) {
        let message = "an earlier build of the game has saved it since the build that notes which machine added what; what it \
                       changed counts as written by the machine that wrote last";
        found.push(hint(SaveCode::HistoryOfAnotherState, message));
    }
    if file.head.edited {
        found.push(hint(SaveCode::Edited, "made by a tool, not by the game"));
    }
    found
}

impl Verified<Save> {
    /// Returns the findings.
    #[must_use]
    pub fn findings(&self) -> &[SaveFinding] {
        &self.0.findings
    }

    /// Returns what it says about itself, for writing it again.
    #[must_use]
    pub fn stamp(&self) -> &Stamp {
        &self.0.stamp
    }

    /// Returns what the next save of its slot continues.
    #[must_use]
    pub fn lineage(&self) -> &Lineage {
        &self.0.lineage
    }

    /// Returns the head of its state.
    #[must_use]
    pub fn head(&self) -> &StateHead {
        &self.0.head
    }

    /// Returns the result of checking its seal.
    #[must_use]
    pub fn seal(&self) -> Seal {
        self.0.seal
    }

    /// Returns what is wrong after the state that was used; `None` if it was the last of its file.
    #[must_use]
    pub fn fault(&self) -> Option<&ReadError> {
        self.0.fault.as_ref()
    }

    /// Returns what became of its values, if an earlier version of the game saved them.
    #[must_use]
    pub fn account(&self) -> Option<&Arc<Account>> {
        self.0.account.as_ref()
    }

    /// Returns its values.
    #[must_use]
    pub fn snapshot(&self) -> &Snapshot {
        &self.0.snapshot
    }

    /// Adds the settings of the device, which are stored next to it: bounds may follow them.
    #[must_use]
    pub(crate) fn with_settings(mut self, values: &[Value]) -> Verified<Save> {
        self.0.snapshot = self.0.snapshot.with_device_values(values);
        self
    }

    /// Adds areas that are still in the file.
    #[must_use]
    pub(crate) fn with_areas(
        mut self,
        areas: impl IntoIterator<Item = (Arc<str>, AreaBytes)>,
    ) -> Verified<Save> {
        Arc::make_mut(&mut self.0.snapshot.areas).extend(areas);
        self
    }

    /// Returns it merged with an earlier save.
    #[must_use]
    pub(crate) fn merged_with(mut self, earlier: &Verified<Save>) -> Verified<Save> {
        let both = merged(&self.0.snapshot, &earlier.0.snapshot);
        let run = both.run;
        self.0.snapshot = both.snapshot;
        if run == Side::Theirs {
            self.0.missing.clone_from(&earlier.0.missing);
        }
        self
    }

    /// Returns progress from it, at the title. If the saved checkpoint is no longer declared, the player is at the
    /// start of the level, with the values that a death would restore there; if the level is not, on the map.
    #[must_use]
    pub fn into_progress(self) -> Progress {
        let Save { snapshot, missing, account, .. } = self.0;
        let mut progress = Progress::restored(snapshot);
        if let Some(account) = account {
            progress.engine_mut().tell(Notice::Migrated(account));
        }
        if missing.iter().any(|missing| matches!(missing, Missing::Checkpoint { .. })) {
            progress.engine_mut().put_back_to_level_start();
        }
        progress
    }
}
