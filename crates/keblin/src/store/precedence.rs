//! How two intact saves of a slot relate to each other: which of them continues the other, if one does.

use std::path::Path;

use super::slot::Slot;
use crate::broken::Broken;
use crate::save::Lineage;
use crate::save::layout::Digest;
use crate::save::search::WholeFile;
use crate::verify::{Save, Verified};

/// How two intact saves of a slot relate to each other.
pub(super) enum Precedence {
    /// The file continues the backup.
    FileIsLater,
    /// The backup continues the file: somebody has put an older file back.
    CopyIsLater,
    /// The file is from after an erasure, the backup from before.
    FileHasErased,
    /// The other way round.
    CopyHasErased,
    /// Neither knows of the other.
    Apart,
}

/// Orders saves: by the clock first, because two machines have nothing else in common. The rest makes it repeatable.
pub(super) fn order(save: &Verified<Save>) -> (u64, u64, Digest) {
    let head = save.head();
    (head.saved_at_unix_ms, head.number, head.digest)
}

impl Slot {
    /// Returns how the saves in the slot's file and in a copy of it relate.
    pub(super) fn precedence(&self, file: &Lineage, copy: &Lineage, copy_path: &Path) -> Precedence {
        let knows = |one: &Lineage, path: &Path, other: &Lineage| {
            let Some(head) = other.head() else { return false };
            one.has_been(head) || {
                // A file may hold more states than its last one names.
                let bytes = self.dir().read(path).ok().flatten().unwrap_or_default();
                WholeFile::within(&bytes, self.dir().limits().clone()).lineage().contains(head)
            }
        };
        match () {
            () if Broken::ErasuresForgotten.is() && file.created_unix_ms == copy.created_unix_ms => {
                Precedence::FileIsLater
            }
            () if copy.has_erased_since(file) => Precedence::CopyHasErased,
            () if file.has_erased_since(copy) => Precedence::FileHasErased,
            () if knows(file, &self.path(), copy) => match file.has_erased_any_since(copy) {
                true => Precedence::FileHasErased,
                false => Precedence::FileIsLater,
            },
            () if knows(copy, copy_path, file) => match copy.has_erased_any_since(file) {
                true => Precedence::CopyHasErased,
                false => Precedence::CopyIsLater,
            },
            () if Broken::NoMeeting.is() => Precedence::FileIsLater,
            () => Precedence::Apart,
        }
    }
}
