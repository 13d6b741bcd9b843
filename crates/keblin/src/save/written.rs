//! What writing a save takes, and what it leaves: where the next state goes, and how full the save is.

use super::area_table::AreaTable;
use super::file::SaveFile;
#[cfg(feature = "json")]
use super::history::Described;
use super::layout::{Digest, SaveLimits};
use super::parts::Parts;
use super::seal::SealKey;
use super::stamp::Lineage;
use crate::fullness::{Fullness, Measure};

/// How a save is written.
#[derive(Clone, Copy, Default)]
pub(crate) struct Wrapping<'k> {
    /// The game's key for seals.
    pub(crate) key: Option<&'k SealKey>,
    /// Whether areas are packed.
    pub(crate) packs: bool,
}

/// What must be known about a file to append another state.
#[derive(Clone, Debug)]
pub(crate) struct Tail {
    pub(super) header_len: usize,
    pub(super) header_digest: Digest,
    /// Where the last state ends, in bytes from the start of the file.
    pub(crate) end: usize,
    /// The areas of its last state, for the next one to share.
    pub(super) area_table: AreaTable,
}

impl Tail {
    pub(crate) fn of(file: &SaveFile<'_>) -> Tail {
        Tail {
            header_len: file.header_len,
            header_digest: file.header_digest,
            end: file.end(),
            area_table: AreaTable::default(),
        }
    }

    /// Takes the areas out instead of copying them: there are many.
    pub(crate) fn take(&mut self) -> Tail {
        let area_table = std::mem::take(&mut self.area_table);
        Tail { area_table, ..*self }
    }
}

/// A state that was written.
pub(crate) struct Written {
    /// The bytes of a file, or of the end of one.
    pub(crate) parts: Parts,
    /// The saves that the next save continues.
    pub(crate) lineage: Lineage,
    /// Where the next state goes.
    pub(crate) tail: Tail,
    /// How many bytes of the file belong to this state.
    pub(crate) live: usize,
    /// The number of rows in its table.
    pub(super) rows: u64,
    /// What a history of it describes.
    #[cfg(feature = "json")]
    pub(super) described: Described,
    /// Whether it shares areas with an earlier state, and others have changed.
    pub(crate) has_new_areas: bool,
}

impl Written {
    /// Returns how full the save is.
    pub(crate) fn fullness(&self, limits: &SaveLimits) -> Fullness {
        let (bytes, sections) = (self.live as u64, self.rows.saturating_sub(1));
        let (most_bytes, most_sections) =
            (limits.max_save_bytes.min(limits.max_block_bytes) as u64, limits.max_rows.saturating_sub(1));
        // Whichever is nearer to its limit, compared in parts of a thousand.
        let of = |used: u64, most: u64| used.saturating_mul(1000) / most.max(1);
        match of(sections, most_sections) > of(bytes, most_bytes) {
            true => Fullness { of: Measure::Sections, used: sections, most: most_sections },
            false => Fullness { of: Measure::Bytes, used: bytes, most: most_bytes },
        }
    }

    /// Returns whether the file can be read again.
    pub(crate) fn fits(&self, limits: &SaveLimits) -> bool {
        self.tail.end <= limits.max_save_bytes && self.fullness(limits).fits()
    }
}
