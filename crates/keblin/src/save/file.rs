//! The header of a file and its states, each with everything that belongs to it. It reads what `writer` writes, both
//! by the table in `layout`. Every stored digest and length is compared, and no memory is reserved from an unchecked
//! count.

use std::collections::HashSet;

use super::block::{Block, Budget, Named, Section, holds_values};
use super::cursor::Cursor;
use super::error::{Fault, ReadError};
use super::history::{Described, describe};
use super::layout::{
    DEVICE, DIGEST_BYTES, Digest, ERASURES, ERASURES_CONTENT_ITEMS, FILE_START, FOOT_DIGEST_BYTES,
    FOOT_ITEM_BYTES, FOOT_MARK, FORMAT, HEADER, HEADER_ITEMS, NAME, SECTION, STATE, SaveLimits, digest,
};
use super::seal::{Seal, SealKey};
use super::state::{StateBlock, StateHead};
use super::table::{LeftOut, Row};

/// A save whose bytes are intact: the last state of a file whose digests all match. Its values are not checked yet.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SaveFile<'b> {
    /// The game; `None` if the header is damaged, because only the header names it.
    pub game: Option<&'b str>,
    /// When the slot was first saved, in milliseconds since 1970; 0 if the header is damaged.
    pub created_unix_ms: u64,
    /// How many times something was erased from the slot.
    pub erasures: u64,
    /// What the state says about itself.
    pub head: StateHead,
    /// The sections that belong to the state, in the order of the file.
    pub sections: Vec<Section<'b>>,
    /// Damage outside this state: after it, where later states were lost, or in the header.
    pub fault: Option<ReadError>,
    /// Unknown blocks that are not mandatory, with their names.
    pub(super) unknown: Vec<(&'b str, &'b [u8])>,
    /// Areas that were not read.
    pub(crate) left_out: Vec<LeftOut>,
    /// What a history of this state describes.
    pub(super) described: Described,
    seal: Option<&'b [u8]>,
    pub(super) header_len: usize,
    pub(super) header_digest: Digest,
    /// Whether the rows of the table are adjacent up to the state.
    is_contiguous: bool,
}

/// The contents of the header.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Header<'b> {
    /// The game.
    pub(crate) game: &'b str,
    /// When the slot was first saved, in milliseconds since 1970.
    pub(crate) created_unix_ms: u64,
    /// Its own digest.
    pub(crate) digest: Digest,
    /// Its length in bytes.
    pub(crate) len_bytes: usize,
}

/// Returns a file, or its last bytes, without its reserve: zero bytes that later states are written into. If no state
/// ends before the reserve, some of it is left, because a damaged or unknown block may end in zero bytes.
pub(crate) fn without_reserve(bytes: &[u8]) -> &[u8] {
    // In large steps first, because the reserve can be large.
    let is_zero = |chunk: &[u8]| chunk.iter().all(|byte| *byte == 0);
    let chunks = bytes.rchunks(256).take_while(|chunk| is_zero(chunk)).map(<[u8]>::len).sum::<usize>();
    let used = bytes.get(..bytes.len() - chunks).unwrap_or_default();
    let used = used.iter().rposition(|byte| *byte != 0).map_or(0, |last| last + 1);
    // A foot ends in part of a digest, which may itself end in zero bytes.
    let ends = (used..=bytes.len().min(used + FOOT_DIGEST_BYTES)).filter_map(|end| bytes.get(..end));
    let mut with_foot = ends.filter(|bytes| length_in_foot(bytes).is_some());
    with_foot.next().or_else(|| bytes.get(..used + DIGEST_BYTES)).unwrap_or(bytes)
}

/// Returns the length of the state whose foot ends some bytes, if they end in a foot.
fn length_in_foot(last: &[u8]) -> Option<usize> {
    let start = last.len().checked_sub(FOOT_ITEM_BYTES)?;
    let foot = last.get(start..)?.strip_prefix(b"\x58\x20")?.strip_prefix(FOOT_MARK)?;
    usize::try_from(u64::from_be_bytes(foot.get(..8)?.try_into().ok()?)).ok()
}

/// Returns where the state starts whose foot ends the last bytes of a file, if they end in a foot, in bytes from the
/// start of the file; `before` is the number of bytes before them.
pub(super) fn foot_at_the_end(last: &[u8], before: usize) -> Option<usize> {
    before.checked_add(last.len())?.checked_sub(length_in_foot(last)?)
}

/// Reads the header. It starts and ends alike in every format, so damage is never mistaken for a newer format.
pub(crate) fn header(bytes: &[u8]) -> Result<Header<'_>, ReadError> {
    let mut cursor = Cursor::in_file(HEADER, bytes, 0);
    if !cursor.passes(FILE_START) {
        let fault = match FILE_START.starts_with(bytes) {
            true => Fault::Cut { expected: "the header".into() },
            false => Fault::NotASave,
        };
        return Err(cursor.fault(0, fault));
    }
    let items = cursor.array("the header's items")?;
    let name_at = cursor.offset();
    if cursor.text("the name of the format")? != NAME {
        return Err(cursor.fault(name_at, Fault::NotASave));
    }
    let format_at = cursor.offset();
    let format = cursor.count("the format")?;
    let format = u32::try_from(format).unwrap_or(u32::MAX);
    if format != FORMAT || items != HEADER_ITEMS {
        // Name and format are read; the digest is last.
        let between = items.checked_sub(3).ok_or_else(|| cursor.unexpected(FILE_START.len(), "5 items"))?;
        for _ in 0..between {
            cursor.skip("an item of the header", &SaveLimits::default())?;
        }
        own_digest(&mut cursor)?;
        let fault = Fault::NewerFormat { found: format, known: FORMAT };
        return Err(cursor.fault(format_at, fault));
    }
    let game = cursor.text("the game")?;
    let created_unix_ms = cursor.count("when it was created")?;
    let digest = own_digest(&mut cursor)?;
    Ok(Header { game, created_unix_ms, digest, len_bytes: cursor.offset() })
}

/// Reads the digest, which must match all bytes of the header before it.
fn own_digest(cursor: &mut Cursor<'_>) -> Result<Digest, ReadError> {
    let covered = digest(cursor.since(0));
    let at = cursor.offset();
    if cursor.digest("its own digest")? == covered {
        return Ok(covered);
    }
    Err(cursor.fault(at, Fault::Digest))
}

/// Returns the state whose block starts at an offset, if everything in its table is intact. If the header is damaged,
/// the table has its length and digest, but nothing names the game. Sections that are left out are not looked at.
pub(super) fn state_at<'b>(
    bytes: &'b [u8],
    header: Option<&Header<'b>>,
    offset: usize,
    limits: &SaveLimits,
    budget: &mut Budget<'b>,
    leaves_out: &dyn Fn(&str) -> bool,
) -> Result<SaveFile<'b>, ReadError> {
    let block = Block::at(bytes, offset, limits, budget)?;
    if block.word != STATE {
        let (expected, found) = ("a state".to_string(), format!("{:?}", block.word));
        return Err(ReadError::new("file", offset, Fault::Unexpected { expected, found }));
    }
    let StateBlock { head, rows, seal } = StateBlock::of(bytes, &block, 0, limits)?;
    let mut free_from = 0;
    let is_contiguous = rows.iter().all(|row| {
        let follows = row.offset == free_from;
        free_from = row.offset + row.len_bytes;
        follows
    }) && free_from == offset;
    let mut rows = rows.iter();
    let (header_len, header_digest) = header_row(rows.next(), header, offset)?;
    let mut file = SaveFile {
        game: header.map(|header| header.game),
        created_unix_ms: header.map_or(0, |header| header.created_unix_ms),
        erasures: 0,
        head,
        sections: Vec::new(),
        fault: None,
        unknown: Vec::new(),
        left_out: Vec::new(),
        described: Described::default(),
        seal,
        header_len,
        header_digest,
        is_contiguous,
    };
    let mut names = Names { many: (rows.len() > FEW).then(HashSet::new) };
    for row in rows {
        if holds_values(row.name) {
            describe(&mut file.described, &row.digest);
        }
        if leaves_out(row.name) {
            let Row { name, offset, len_bytes, digest } = row.clone();
            file.left_out.push(LeftOut { name: name.to_string(), offset, len_bytes, digest });
            continue;
        }
        if let Some(section) =
            named_before(row, budget).filter(|section| names.is_new(section.name, &file.sections))
        {
            file.sections.push(section);
            continue;
        }
        let block = block_of_row(bytes, row, limits, budget)?;
        block.refuses(bytes)?;
        if let Some(erasures) = erasures(bytes, &block) {
            file.erasures = erasures;
            continue;
        }
        if block.word != SECTION {
            file.unknown.push((row.name, bytes.get(block.range.clone()).unwrap_or_default()));
            continue;
        }
        let section = Section::of(bytes, &block)?;
        if section.name != row.name {
            let (expected, found) = (format!("section {:?}", row.name), format!("{:?}", section.name));
            return Err(ReadError::new("file", row.offset, Fault::Unexpected { expected, found }));
        }
        if !names.is_new(section.name, &file.sections) {
            let (expected, found) = ("each section once".into(), format!("{:?} twice", section.name));
            return Err(ReadError::new(STATE, offset, Fault::Unexpected { expected, found }));
        }
        if block.mandatory && !section.is_known() {
            let what = format!("the section `{}`", section.name.escape_debug());
            return Err(ReadError::new("file", row.offset, Fault::LaterKeblin { what }));
        }
        if let Some(walked) = &mut budget.walked {
            let named = Named { len_bytes: row.len_bytes, digest: row.digest, section: section.clone() };
            walked.sections.insert(row.offset, named);
        }
        file.sections.push(section);
    }
    Ok(file)
}

/// Up to this many sections, names are searched one by one; for more there is a set.
const FEW: usize = 16;

/// The names of the sections of a state; each may occur once.
struct Names<'b> {
    many: Option<HashSet<&'b str>>,
}

impl<'b> Names<'b> {
    fn is_new(&mut self, name: &'b str, before: &[Section<'b>]) -> bool {
        match &mut self.many {
            Some(names) => names.insert(name),
            None => before.iter().all(|section| section.name != name),
        }
    }
}

/// Returns the section of a row, if another state has named the same one.
fn named_before<'b>(row: &Row<'b>, budget: &Budget<'b>) -> Option<Section<'b>> {
    let named = budget.walked.as_ref()?.sections.get(&row.offset)?;
    let is_it = named.len_bytes == row.len_bytes && named.digest == row.digest;
    (is_it && named.section.name == row.name).then(|| named.section.clone())
}

/// Returns the number of erasures, if the block holds that.
fn erasures(bytes: &[u8], block: &Block<'_>) -> Option<u64> {
    if block.word != ERASURES {
        return None;
    }
    let mut cursor = block.content_cursor(bytes, "file");
    cursor.array_of(ERASURES_CONTENT_ITEMS, "how many erasures").ok()?;
    cursor.count("how many erasures").ok()
}

/// Checks the first row, which is the header's: its length and its digest.
fn header_row(
    row: Option<&Row<'_>>,
    header: Option<&Header<'_>>,
    state: usize,
) -> Result<(usize, Digest), ReadError> {
    let is_it = |row: &&Row<'_>| {
        let is_the_one =
            header.is_none_or(|header| (row.len_bytes, row.digest) == (header.len_bytes, header.digest));
        row.name == HEADER && row.offset == 0 && is_the_one
    };
    if let Some(row) = row.filter(is_it) {
        return Ok((row.len_bytes, row.digest));
    }
    let (expected, found) = ("the header of this file first".to_string(), "another one".to_string());
    Err(ReadError::new(STATE, state, Fault::Unexpected { expected, found }))
}

/// Returns the block that a row names; its length and digest must be those of the row.
fn block_of_row<'b>(
    bytes: &'b [u8],
    row: &Row<'b>,
    limits: &SaveLimits,
    budget: &mut Budget<'b>,
) -> Result<Block<'b>, ReadError> {
    let block = Block::at(bytes, row.offset, limits, budget)?;
    if block.range.len() != row.len_bytes {
        let (expected, found) =
            (format!("{} bytes", row.len_bytes), format!("a block of {}", block.range.len()));
        return Err(ReadError::new(block.label(bytes), row.offset, Fault::Unexpected { expected, found }));
    }
    if block.digest != row.digest {
        // Intact, but not the block that the state was saved with.
        return Err(ReadError::new(block.label(bytes), block.content.end, Fault::Digest));
    }
    Ok(block)
}

impl<'b> SaveFile<'b> {
    /// Returns where the state ends, in bytes from the start of the file. After the last one there is nothing, or the reserve.
    #[must_use]
    pub fn end(&self) -> usize {
        self.head.offset + self.head.len_bytes
    }

    /// Returns whether only the reserve follows this state, so that another one can be written there.
    #[must_use]
    pub fn is_last(&self) -> bool {
        self.fault.is_none()
    }

    /// Checks its seal with the game's key.
    #[must_use]
    pub fn seal(&self, key: Option<&SealKey>) -> Seal {
        match (self.seal, key) {
            (None, _) => Seal::None,
            (Some(_), None) => Seal::NotChecked,
            (Some(seal), Some(key)) => key.check(seal, &self.head.digest),
        }
    }

    /// Returns whether it is a device file, not the save of a slot.
    pub fn is_device(&self) -> bool {
        self.sections.iter().any(|section| section.name == DEVICE)
    }

    /// Returns whether every byte of the file belongs to this state.
    pub(crate) fn is_everything(&self) -> bool {
        self.fault.is_none() && self.is_contiguous
    }
}
