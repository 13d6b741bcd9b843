//! The header of a file and its states, each with everything that belongs to it: the mirror of `writer`, both by the table
//! in `layout`. Every digest and length that is stored is compared, and nothing is reserved from a count that was not.

use std::collections::HashSet;
use std::sync::Arc;

use super::block::{Block, Budget, Named, Section};
use super::cursor::Cursor;
use super::error::{Fault, ReadError};
use super::layout::{
    DEVICE, DIGEST_BYTES, Digest, ERASURES, ERASURES_CONTENT_ITEMS, FILE_START, FOOT_DIGEST_BYTES,
    FOOT_ITEM_BYTES, FOOT_MARK, FORMAT, HEADER, HEADER_ITEMS, NAME, PICTURE, SECTION, STATE, SaveLimits,
    digest,
};
use super::seal::{Seal, SealKey};
use super::state::{StateBlock, StateHead};
use super::table::Row;
use crate::snapshot::{Areas, MAX_PICTURE_BYTES, Picture};

/// A save whose bytes are whole: the last state of a file of which every digest holds. What its values mean is not
/// looked at yet.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct SaveFile<'b> {
    /// The game it is of; `None` if the header is damaged, which alone says so.
    pub game: Option<&'b str>,
    /// When the slot was first saved, in milliseconds since 1970; 0 if the header is damaged.
    pub created_unix_ms: u64,
    /// How many times something was erased from the slot.
    pub erasures: u64,
    /// What the state says about itself.
    pub head: StateHead,
    /// The sections that belong to the state, in the order of the file.
    pub sections: Vec<Section<'b>>,
    /// Damage that does not belong to this state: behind it, by which later states were lost, or in the header.
    pub fault: Option<ReadError>,
    /// Blocks that are not known and need not be, with their names.
    unknown: Vec<(&'b str, &'b [u8])>,
    seal: Option<&'b [u8]>,
    pub(super) header_len: usize,
    pub(super) header_digest: Digest,
    /// Whether the rows of the table follow each other up to the state.
    is_contiguous: bool,
}

/// What the header says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Header<'b> {
    /// The game it is of.
    pub(crate) game: &'b str,
    /// When the slot was first saved, in milliseconds since 1970.
    pub(crate) created_unix_ms: u64,
    /// Its own digest.
    pub(crate) digest: Digest,
    /// Its length in bytes.
    pub(crate) len_bytes: usize,
}

/// A file, or its last bytes, without the room at its end: zero bytes that later states are written into. Where no state
/// ends before it, some of it stays, for a block that is damaged or not known may end in zero bytes.
pub(crate) fn without_room(bytes: &[u8]) -> &[u8] {
    // In large steps first: the room can be large.
    let is_zero = |chunk: &[u8]| chunk.iter().all(|byte| *byte == 0);
    let chunks = bytes.rchunks(256).take_while(|chunk| is_zero(chunk)).map(<[u8]>::len).sum::<usize>();
    let used = bytes.get(..bytes.len() - chunks).unwrap_or_default();
    let used = used.iter().rposition(|byte| *byte != 0).map_or(0, |last| last + 1);
    // A foot ends in a part of a digest, which may itself end in zero bytes.
    let ends = (used..=bytes.len().min(used + FOOT_DIGEST_BYTES)).filter_map(|end| bytes.get(..end));
    let mut with_foot = ends.filter(|bytes| length_in_foot(bytes).is_some());
    with_foot.next().or_else(|| bytes.get(..used + DIGEST_BYTES)).unwrap_or(bytes)
}

/// How long the state is whose foot some bytes end in, if they end in one.
fn length_in_foot(last: &[u8]) -> Option<usize> {
    let start = last.len().checked_sub(FOOT_ITEM_BYTES)?;
    let foot = last.get(start..)?.strip_prefix(b"\x58\x20")?.strip_prefix(FOOT_MARK)?;
    usize::try_from(u64::from_be_bytes(foot.get(..8)?.try_into().ok()?)).ok()
}

/// Where the state begins whose foot some last bytes of a file end in, if they end in one; in bytes from the start of the
/// file, where so many bytes stand before these.
pub(super) fn foot_at_the_end(last: &[u8], before: usize) -> Option<usize> {
    before.checked_add(last.len())?.checked_sub(length_in_foot(last)?)
}

/// The header. Whatever its format, it begins and ends alike, so that a damaged one is never taken for a newer one.
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
        // Name and format are read, the digest stands last.
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

/// A digest that must be that of all bytes of the header before it.
fn own_digest(cursor: &mut Cursor<'_>) -> Result<Digest, ReadError> {
    let covered = digest(cursor.since(0));
    let at = cursor.offset();
    if cursor.digest("its own digest")? == covered {
        return Ok(covered);
    }
    Err(cursor.fault(at, Fault::Digest))
}

/// The state whose block begins at an offset, once everything that its table names is whole. Where the header is damaged,
/// the table says what it was, and nothing says of which game.
pub(super) fn state_at<'b>(
    bytes: &'b [u8],
    header: Option<&Header<'b>>,
    offset: usize,
    limits: &SaveLimits,
    budget: &mut Budget<'b>,
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
        seal,
        header_len,
        header_digest,
        is_contiguous,
    };
    let mut names = Names { many: (rows.len() > FEW).then(HashSet::new) };
    for row in rows {
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
        if block.needed && !section.is_known() {
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

/// Up to so many sections, their names are looked through; of more a set is kept.
const FEW: usize = 16;

/// The names of the sections of a state, of which each may be there once.
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

/// The section of a row, if another state has named the very same one.
fn named_before<'b>(row: &Row<'b>, budget: &Budget<'b>) -> Option<Section<'b>> {
    let named = budget.walked.as_ref()?.sections.get(&row.offset)?;
    let is_it = named.len_bytes == row.len_bytes && named.digest == row.digest;
    (is_it && named.section.name == row.name).then(|| named.section.clone())
}

/// How many times something was erased, if that is what a block says.
fn erasures(bytes: &[u8], block: &Block<'_>) -> Option<u64> {
    if block.word != ERASURES {
        return None;
    }
    let mut cursor = block.content_cursor(bytes, "file");
    cursor.array_of(ERASURES_CONTENT_ITEMS, "how many erasures").ok()?;
    cursor.count("how many erasures").ok()
}

/// The first row is the header's: its length and its digest.
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

/// The block that a row names, exactly as long and with the digest that the row says.
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
        // Whole in itself, and not what the state was saved with.
        return Err(ReadError::new(block.label(bytes), block.content.end, Fault::Digest));
    }
    Ok(block)
}

impl<'b> SaveFile<'b> {
    /// Where the state ends, in bytes from the start of the file. Behind the last one there is nothing, or room.
    #[must_use]
    pub fn end(&self) -> usize {
        self.head.offset + self.head.len_bytes
    }

    /// Whether there is nothing but room behind this state, so that another may be written there.
    #[must_use]
    pub fn is_last(&self) -> bool {
        self.fault.is_none()
    }

    /// How its seal stands, by the game's key.
    #[must_use]
    pub fn seal(&self, key: Option<&SealKey>) -> Seal {
        match (self.seal, key) {
            (None, _) => Seal::None,
            (Some(_), None) => Seal::NotChecked,
            (Some(seal), Some(key)) => key.check(seal, &self.head.digest),
        }
    }

    /// Whether it is a device file, not the save of a slot.
    pub fn is_device(&self) -> bool {
        self.sections.iter().any(|section| section.name == DEVICE)
    }

    /// Whether there is something in it that this version does not know.
    pub(super) fn has_unknown(&self) -> bool {
        !self.unknown.is_empty() || self.sections.iter().any(|section| !section.is_known())
    }

    /// Whether every byte of the file belongs to this state.
    pub(crate) fn is_everything(&self) -> bool {
        self.fault.is_none() && self.is_contiguous
    }

    pub(crate) fn section(&self, name: &str) -> Result<&Section<'b>, ReadError> {
        let section = self.sections.iter().find(|section| section.name == name);
        let expected = || Fault::Cut { expected: format!("a section {name:?} in the table") };
        section.ok_or_else(|| ReadError::new(STATE, self.head.offset, expected()))
    }

    /// The picture it was saved with.
    pub(crate) fn picture(&self) -> Result<Option<Arc<Picture>>, ReadError> {
        let Ok(section) = self.section(PICTURE) else { return Ok(None) };
        section.item().whole(|cursor| {
            cursor.array_of(2, "a picture")?;
            let media_type = cursor.text("a picture's media type")?;
            let at = cursor.offset();
            let bytes = cursor.next(|| "a picture's bytes", minicbor::Decoder::bytes)?;
            match Picture::new(media_type, bytes.to_vec()) {
                Ok(picture) => Ok(Some(Arc::new(picture))),
                Err(error) => {
                    Err(cursor
                        .unexpected(at, format!("at most {MAX_PICTURE_BYTES} bytes, not {}", error.bytes)))
                }
            }
        })
    }

    /// The areas of the world it was saved with.
    pub(super) fn areas(&self) -> Result<Areas, ReadError> {
        let areas = self.sections.iter().filter(|section| section.is_area());
        let area = |section: &Section<'b>| {
            let whole = section.item().whole(|cursor| {
                cursor.next(|| "the bytes of an area", minicbor::Decoder::bytes).map(Arc::from)
            });
            Ok((Arc::from(section.name), whole?))
        };
        areas.map(area).collect()
    }

    /// What is to be written back although it is not known, as it stands in the file.
    pub(super) fn carried_blocks(&self) -> Vec<(String, Arc<[u8]>)> {
        let sections = self.sections.iter().filter(|section| !section.is_known());
        let blocks =
            sections.map(|section| (section.name, section.block)).chain(self.unknown.iter().copied());
        blocks.map(|(name, bytes)| (name.to_string(), Arc::from(bytes))).collect()
    }
}
