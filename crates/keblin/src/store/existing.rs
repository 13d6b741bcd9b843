//! What is in the places that a save will take: the slot's own name, and the backup.

use std::collections::HashSet;
use std::path::Path;

use super::save_result::SaveError;
use super::slot::Slot;
use crate::progress::AsideReason;
use crate::save::decode::of_this_game;
use crate::save::layout::Digest;
use crate::save::search::WholeFile;
use crate::save::{Lineage, read_within};
use crate::snapshot::Schema;

/// An existing file, as far as it can be read.
pub(super) struct ExistingFile {
    pub(super) bytes: Vec<u8>,
    /// Its last state; `None` if the file is not intact, to its end and block by block.
    pub(super) lineage: Option<Lineage>,
    /// The last intact state, whatever comes after it.
    pub(super) last: Option<Digest>,
    /// Every state that it continues, as far as they are listed.
    pub(super) ancestors: HashSet<Digest>,
}

/// What was found in a place.
pub(super) enum Found {
    Missing,
    /// A file that cannot be read, or does not belong to this game.
    Unusable(AsideReason),
    File(ExistingFile),
}

impl Found {
    pub(super) fn bytes(&self) -> Option<&[u8]> {
        match self {
            Found::File(there) => Some(&there.bytes),
            _ => None,
        }
    }

    /// Returns whether it holds the last state of a save, even if it is damaged. A state names only some of its
    /// predecessors.
    pub(super) fn holds(&self, save: Option<&Lineage>) -> bool {
        match (self, save.and_then(Lineage::head)) {
            (Found::File(there), Some(head)) => there.ancestors.contains(head),
            _ => false,
        }
    }

    pub(super) fn lineage(&self) -> Option<&Lineage> {
        match self {
            Found::File(there) => there.lineage.as_ref(),
            _ => None,
        }
    }
}

impl ExistingFile {
    /// Returns whether it is a later state of an intact save, or has erased something since.
    pub(super) fn continues(&self, copy: &ExistingFile) -> bool {
        let Some(copy) = &copy.lineage else { return false };
        let has_been = copy.head().is_some_and(|head| self.ancestors.contains(head));
        let file = self.lineage.as_ref();
        has_been
            || file.is_none_or(|file| {
                copy.head().is_some_and(|head| file.has_been(head)) || file.has_erased_since(copy)
            })
    }
}

impl Slot {
    /// Returns what is under the slot's name. An error if it is not ours to replace.
    pub(super) fn file_there(&self, schema: &Schema) -> Result<Found, SaveError> {
        let path = self.path();
        let found = self.there(&path, schema);
        if let Found::Unusable(AsideReason::Replaced) = found {
            let bytes = self.dir().read(&path)?.unwrap_or_default();
            let error = read_within(&bytes, self.dir().limits());
            let error = error.and_then(|file| of_this_game(&file, schema)).err();
            return error.map_or(Ok(Found::Missing), |error| Err(SaveError::Refused { path, error }));
        }
        Ok(found)
    }

    /// Returns what is in a place.
    pub(super) fn there(&self, path: &Path, schema: &Schema) -> Found {
        let limits = self.dir().limits();
        let bytes = match self.dir().read(path) {
            Ok(Some(bytes)) => bytes,
            Ok(None) => return Found::Missing,
            Err(_) => return Found::Unusable(AsideReason::Unreadable),
        };
        let lineage = match read_within(&bytes, limits) {
            Ok(file) if of_this_game(&file, schema).is_err_and(|error| error.is_refusal()) => None,
            Ok(file) => {
                let is_whole = file.is_last() && file.game.is_some();
                Some((is_whole.then(|| Lineage::of(&file)), Some(file.head.digest)))
            }
            Err(error) if error.is_refusal() => None,
            Err(_) => Some((None, None)),
        };
        let Some((lineage, last)) = lineage else { return Found::Unusable(AsideReason::Replaced) };
        let mut whole = WholeFile::within(&bytes, limits.clone());
        let lineage = lineage.filter(|_| whole.faults().is_empty());
        let ancestors = whole.lineage();
        Found::File(ExistingFile { bytes, lineage, last, ancestors })
    }
}
