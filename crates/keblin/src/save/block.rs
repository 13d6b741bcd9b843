//! One block: its word, its content, and the digest over both. Nothing in a block is trusted before its digest
//! matches, so damage is never mistaken for something that a later version wrote.

use std::collections::HashMap;
use std::fmt;
use std::ops::Range;

use keblin_model::Name;

use super::cursor::Cursor;
use super::error::{Fault, ReadError};
use super::layout::{
    BLOCK_ITEMS, BLOCK_MARK, CODEC_STORED, CODEC_ZSTD, DEVICE, DIGEST_BYTES, Digest, HISTORY, PICTURE,
    PROFILE, RUN, SECTION, SECTION_CONTENT_ITEMS, STATE, SaveLimits, WORLD, digest,
};
use super::map::Item;
use crate::snapshot::area_of;

/// The sections that this version knows.
const KNOWN: [&str; 5] = [PROFILE, RUN, DEVICE, PICTURE, HISTORY];

/// A block whose digest matches.
#[derive(Clone)]
pub(super) struct Block<'b> {
    /// Its range, in bytes from the start of the file.
    pub(super) range: Range<usize>,
    pub(super) word: &'b str,
    pub(super) mandatory: bool,
    /// The content item.
    pub(super) content: Range<usize>,
    pub(super) digest: Digest,
    /// The items after the digest.
    pub(super) rest: Range<usize>,
    pub(super) rest_items: u64,
}

/// How many bytes may still be examined; only hostile files use it up.
pub(super) struct Budget<'b> {
    left: usize,
    passes: usize,
    /// What a walk through the whole file has found. States share blocks, and each digest is compared once. `None`
    /// while only the last state is read.
    pub(super) walked: Option<Walked<'b>>,
}

/// What is where in a file, by the offsets of the blocks.
#[derive(Default)]
pub(super) struct Walked<'b> {
    /// The intact blocks, in order: the offset of each, and the end of its content.
    pub(super) whole: Vec<(usize, usize)>,
    /// The fault at each offset without an intact block.
    pub(super) faults: HashMap<usize, ReadError>,
    /// Sections that states have named; most of them were named by the previous state too.
    pub(super) sections: HashMap<usize, Named<'b>>,
}

/// How a block is examined.
enum Looked<'l, 'b> {
    /// Its digest is compared, within a budget.
    Within(&'l mut Budget<'b>),
    /// It is known to be intact, and its content ends there.
    Before { content_end: usize },
}

/// A section as a row of a table names it.
pub(super) struct Named<'b> {
    pub(super) len_bytes: usize,
    pub(super) digest: Digest,
    pub(super) section: Section<'b>,
}

impl<'b> Budget<'b> {
    pub(super) fn of(file: &[u8], limits: &SaveLimits) -> Budget<'b> {
        let left = file.len().saturating_mul(limits.max_passes).saturating_add(1 << 20);
        Budget { left, passes: limits.max_passes, walked: None }
    }

    pub(super) fn spend(&mut self, bytes: usize) -> Result<(), ReadError> {
        let fault = Fault::SearchedTooLong { passes: self.passes };
        self.left = self.left.checked_sub(bytes).ok_or_else(|| ReadError::new("file", 0, fault))?;
        Ok(())
    }
}

impl<'b> Block<'b> {
    /// Returns the block at an offset of a file.
    pub(super) fn at(
        file: &'b [u8],
        offset: usize,
        limits: &SaveLimits,
        budget: &mut Budget<'b>,
    ) -> Result<Block<'b>, ReadError> {
        match &budget.walked {
            None => Block::looked_at(file, offset, limits, Looked::Within(budget)),
            Some(walked) => {
                let found = walked.whole.binary_search_by_key(&offset, |(offset, _)| *offset).ok();
                match found.and_then(|found| walked.whole.get(found)) {
                    Some((_, content_end)) => {
                        Block::looked_at(file, offset, limits, Looked::Before { content_end: *content_end })
                    }
                    None => {
                        let nothing = || {
                            let expected = "an intact block".to_string();
                            ReadError::new("file", offset, Fault::Cut { expected })
                        };
                        Err(walked.faults.get(&offset).cloned().unwrap_or_else(nothing))
                    }
                }
            }
        }
    }

    /// Examines the block at an offset.
    fn looked_at(
        file: &'b [u8],
        offset: usize,
        limits: &SaveLimits,
        looked: Looked<'_, 'b>,
    ) -> Result<Block<'b>, ReadError> {
        let mut cursor = Cursor::in_file("file", file, offset);
        if !cursor.passes(BLOCK_MARK) {
            return Err(match file.get(offset..) {
                Some(rest) if !rest.is_empty() && !BLOCK_MARK.starts_with(rest) => {
                    cursor.unexpected(offset, "the mark of a block")
                }
                _ => cursor.fault(offset, Fault::Cut { expected: "a block".into() }),
            });
        }
        let items_at = cursor.offset();
        let items = cursor.array("a block's items")?;
        let word = cursor.text("a block's word")?;
        // Before the digest matches, the name may be damaged too, so only known names are used.
        cursor.section = label(&cursor, word, is_known);
        let rest_items = items
            .checked_sub(BLOCK_ITEMS)
            .ok_or_else(|| cursor.unexpected(items_at, format!("{BLOCK_ITEMS} items or more")))?;
        let mandatory = cursor.bool("whether the block is mandatory")?;
        let content = cursor.offset();
        let is_to_be_compared = match looked {
            Looked::Before { content_end } => {
                cursor.skip_bytes(content_end.saturating_sub(content));
                false
            }
            Looked::Within(budget) => {
                let skipped = cursor.skip("a block's content", limits);
                budget.spend(cursor.offset() - offset)?;
                skipped.map(|()| true)?
            }
        };
        let digest_at = cursor.offset();
        let covered = cursor.since(offset);
        let stored = cursor.digest("the block's digest")?;
        if is_to_be_compared && stored != digest(covered) {
            return Err(cursor.fault(digest_at, Fault::Digest));
        }
        let rest = cursor.offset();
        let expected =
            if word == STATE { "the seal and the foot of the state" } else { "an item after the digest" };
        for _ in 0..rest_items {
            cursor.skip(expected, limits)?;
        }
        let end = cursor.offset();
        if end - offset > limits.max_block_bytes {
            let fault = Fault::TooLarge { bytes: end - offset, most: limits.max_block_bytes };
            return Err(cursor.fault(offset, fault));
        }
        let (content, rest) = (content..digest_at, rest..end);
        Ok(Block { range: offset..end, word, mandatory, content, digest: stored, rest, rest_items })
    }

    /// Returns the digest of bytes that are exactly one block.
    pub(super) fn digest_of(bytes: &[u8]) -> Option<Digest> {
        let limits = SaveLimits::default();
        let block = Block::at(bytes, 0, &limits, &mut Budget::of(bytes, &limits)).ok()?;
        (block.range.end == bytes.len()).then_some(block.digest)
    }

    /// Returns the block's name in messages.
    pub(super) fn label(&self, file: &'b [u8]) -> &'b str {
        label(&self.content_cursor(file, self.word), self.word, is_name)
    }

    pub(super) fn content_cursor(&self, file: &'b [u8], section: &'b str) -> Cursor<'b> {
        Cursor::in_file(section, file, self.content.start)
    }

    /// Checks whether a reader that does not know this block must leave the file alone.
    pub(super) fn refuses(&self, file: &'b [u8]) -> Result<(), ReadError> {
        if !self.mandatory || self.word == SECTION || self.word == STATE {
            return Ok(());
        }
        let what = format!("the block `{}`", self.word.escape_debug());
        Err(ReadError::new(self.label(file), self.range.start, Fault::LaterKeblin { what }))
    }
}

/// Returns the name of a block with this word in messages; for a section its own name, if that can be read.
fn label<'b>(at: &Cursor<'b>, word: &'b str, may_be: impl Fn(&str) -> bool) -> &'b str {
    match word {
        SECTION => {
            let mut cursor = at.clone();
            // `mandatory` comes before the content if the cursor comes straight from the word.
            let _ = cursor.passes(&[0xf5]) || cursor.passes(&[0xf4]);
            let name = cursor.array("").and_then(|_| cursor.text(""));
            name.ok().filter(|name| may_be(name)).unwrap_or("file")
        }
        STATE => STATE,
        _ => "file",
    }
}

fn is_known(name: &str) -> bool {
    KNOWN.contains(&name) || is_area(name) || is_of_schema(name)
}

/// Returns whether a section with this name holds values, which a history describes.
pub(super) fn holds_values(name: &str) -> bool {
    is_known(name) && ![PICTURE, HISTORY].contains(&name)
}

/// Returns whether a name is that of a section that only some schemas have: `profile.ID` or `run.ID` of a group, or
/// what is known of the world.
fn is_of_schema(name: &str) -> bool {
    name == WORLD
        || name
            .split_once('.')
            .is_some_and(|(part, id)| [PROFILE, RUN].contains(&part) && Name::new(id).is_ok())
}

/// Returns whether a name is that of the section of an area of the world.
pub(crate) fn is_area(name: &str) -> bool {
    area_of(name).is_some_and(|(_, id)| Name::new(id).is_ok())
}

/// Returns whether a text may be printed as the name of a section.
fn is_name(text: &str) -> bool {
    text.len() <= 64 && text.chars().all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '.')
}

/// A section of a save.
#[derive(Clone)]
#[non_exhaustive]
pub struct Section<'b> {
    /// Its name.
    pub name: &'b str,
    /// Where its body starts, in bytes from the start of the file.
    pub body_offset: usize,
    /// Its body: CBOR, or the packed bytes of an area.
    pub body: &'b [u8],
    /// How long the body is unpacked, if it is packed.
    pub(super) unpacked_len: Option<usize>,
    /// All bytes of the block.
    pub(super) block: &'b [u8],
}

impl fmt::Debug for Section<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Section({}, {} bytes at byte {})", self.name, self.body.len(), self.body_offset)
    }
}

impl<'b> Section<'b> {
    /// Returns the section in a block. The digest of the block matches, so anything unknown in it was written by a
    /// later version.
    pub(super) fn of(file: &'b [u8], block: &Block<'b>) -> Result<Section<'b>, ReadError> {
        let mut cursor = block.content_cursor(file, block.label(file));
        let later =
            |cursor: &Cursor<'b>, at: usize, what: String| cursor.fault(at, Fault::LaterKeblin { what });
        let start = cursor.offset();
        if cursor.array("a section's content")? != SECTION_CONTENT_ITEMS || block.rest_items > 0 {
            return Err(later(&cursor, start, "a section of another shape".into()));
        }
        let name = cursor.text("a section's name")?;
        let codec_at = cursor.offset();
        let codec = cursor.count("a codec")?;
        let is_packed = codec == u64::from(CODEC_ZSTD) && is_area(name);
        let is_known = codec == u64::from(CODEC_STORED) || is_packed && cfg!(feature = "zstd");
        if !is_known {
            let name = name.escape_debug();
            let what = match is_packed {
                true => format!("the feature `zstd`, for the packed section `{name}`,"),
                false => format!("codec {codec} of section `{name}`"),
            };
            return Err(later(&cursor, codec_at, what));
        }
        let length_at = cursor.offset();
        let length = cursor.count("the body's length")?;
        let body = cursor.next(|| "the body", minicbor::Decoder::bytes)?;
        let unpacked_len = usize::try_from(length).ok().filter(|_| is_packed);
        if !is_packed && body.len() as u64 != length {
            return Err(cursor.unexpected(length_at, format!("{} as the length of the body", body.len())));
        }
        let whole = file.get(block.range.clone()).unwrap_or_default();
        Ok(Section { name, body_offset: cursor.offset() - body.len(), body, unpacked_len, block: whole })
    }

    /// Returns where its block starts, in bytes from the start of the file.
    #[must_use]
    pub fn offset(&self) -> usize {
        // Only the digest follows the body, and its item has a head of two bytes.
        (self.body_offset + self.body.len() + DIGEST_BYTES + 2).saturating_sub(self.block.len())
    }

    /// Returns its body as an item.
    pub(super) fn item(&self) -> Item<'b> {
        Item::new(self.name, self.body_offset, self.body)
    }

    /// Returns whether this version knows its purpose.
    pub(super) fn is_known(&self) -> bool {
        is_known(self.name)
    }

    /// Returns whether only some schemas have it.
    pub(super) fn is_of_schema(&self) -> bool {
        is_of_schema(self.name)
    }

    /// Returns whether it is an area of the world.
    pub(super) fn is_area(&self) -> bool {
        is_area(self.name)
    }
}
