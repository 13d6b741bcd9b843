//! The byte table: every item of the file in order. The reader and the writer follow it line by line, and
//! `docs/save-format.md` explains it for people who write their own reader.
//!
//! A file is a header and blocks. The header is
//!
//! | bytes | meaning |
//! |---|---|
//! | `d9 d9f7` | tag 55799: what follows is CBOR |
//! | array of 5 | `"keblin"`, format, game, created (Unix ms), digest |
//!
//! and every block is
//!
//! | bytes | meaning |
//! |---|---|
//! | `db` + 8 bytes | tag [`BLOCK_TAG`](crate::save::layout::BLOCK_TAG) |
//! | array of 4 or more | word, mandatory, content, digest, and what the word adds |
//!
//! with these words:
//!
//! | word | content | after the digest |
//! |---|---|---|
//! | `section` | array of 4: name, codec, length of the body (unpacked), body | – |
//! | `state` | array of 10: number, schema version, fingerprint, saved at (Unix ms), cause, edited, summary, table, predecessors, offset | seal or null, foot |
//!
//! | `erasures` | array of 1: how many times something was erased; left out if 0 | – |
//!
//! After the last state there may be a reserve: zero bytes, each a CBOR item as well.
//!
//! A digest is 32 bytes of BLAKE3. The digest of the header and of every block covers all its bytes before the
//! digest's own item. The table has a row for the header and one for each block of the state, in the order of the
//! file: `[name, offset, length, digest]`. So the state's digest covers every byte of the state, directly or through
//! the table. The foot is a byte string of 32 bytes: mark, length of the state block (8 bytes), number (8 bytes), and
//! the start of the digest of the two items before it, the digest and the seal.

/// The number of this layout.
pub const FORMAT: u32 = 1;

/// The tag that says that what follows is CBOR (RFC 8949, section 3.4.6).
pub const SELF_DESCRIBED_TAG: u64 = 55_799;

/// The start of every header, in any format: the tag for self-described CBOR.
pub const FILE_START: &[u8] = b"\xd9\xd9\xf7";

/// Our name, the first item of the header.
pub const NAME: &str = "keblin";

/// How many items the header has.
pub const HEADER_ITEMS: u64 = 5;

/// The tag of every block after the header; nine bytes that a reader looks for after damage.
pub const BLOCK_TAG: u64 = 0x6b65_626c_696e_1a0a;

/// The bytes of that tag.
pub const BLOCK_MARK: &[u8] = b"\xdbkeblin\x1a\x0a";

/// The fewest items of a block: word, mandatory, content, digest.
pub const BLOCK_ITEMS: u64 = 4;

/// How many items a state block has, with seal and foot.
pub const STATE_ITEMS: u64 = 6;

/// How many items the content of a section has.
pub const SECTION_CONTENT_ITEMS: u64 = 4;

/// How many items the content of a state has.
pub const STATE_CONTENT_ITEMS: u64 = 10;

/// How many items a row of the state's table has.
pub const ROW_ITEMS: u64 = 4;

/// The word of a section block.
pub const SECTION: &str = "section";

/// The word of a state block.
pub const STATE: &str = "state";

/// The word of the block that counts how many times something was erased from the slot. It is not mandatory: a reader
/// that does not know it preserves it.
pub const ERASURES: &str = "erasures";

/// How many items the content of an erasures block has.
pub const ERASURES_CONTENT_ITEMS: u64 = 1;

/// The name of the header in the state's table.
pub const HEADER: &str = "header";

/// The section of values and facts that outlive runs.
pub const PROFILE: &str = crate::grammar::PROFILE;

/// The section of the run that can be resumed.
pub const RUN: &str = crate::grammar::RUN;

/// The section of what is known of the world apart from its areas: only in saves of a game with kinds of objects.
pub const WORLD: &str = crate::grammar::WORLD;

/// The only section of a device file: settings, outside all profiles.
pub const DEVICE: &str = crate::grammar::DEVICE;

/// The section of the picture for lists of slots.
pub const PICTURE: &str = "picture";

/// The section of who wrote what, by which two saves are merged. It is not mandatory.
pub const HISTORY: &str = "history";

/// The start of the section name of an area of the world; the area's id follows.
pub const AREA: &str = crate::snapshot::AREA;

/// The same of an area as it was when the level was entered, if it has changed since.
pub const AT_ENTRY: &str = crate::snapshot::AT_ENTRY;

/// The same of an area as it was at the last checkpoint, if it has changed since.
pub const AT_CHECKPOINT: &str = crate::snapshot::AT_CHECKPOINT;

/// The codec of a body that is stored unchanged.
pub const CODEC_STORED: u32 = 0;

/// The codec of the body of an area that is packed with zstd (RFC 8878); others are reserved.
pub const CODEC_ZSTD: u32 = 1;

/// Length of a digest in bytes.
pub const DIGEST_BYTES: usize = 32;

/// 32 bytes of BLAKE3.
pub type Digest = [u8; DIGEST_BYTES];

/// How many earlier states a state names by their digests.
pub const MAX_PREDECESSORS: usize = 64;

/// The start of a foot.
pub const FOOT_MARK: &[u8; 8] = b"kebfoot\n";

/// Length of the foot in bytes, without the head of its byte string.
pub const FOOT_BYTES: usize = 32;

/// Length of the foot's item in bytes: the last bytes of a state.
pub const FOOT_ITEM_BYTES: usize = FOOT_BYTES + 2;

/// Length of the part of a digest that a foot ends in, in bytes.
pub const FOOT_DIGEST_BYTES: usize = 8;

/// How large a save may be. The reader refuses what exceeds these limits, and so does the writer before it writes
/// anything, so that every save opens again. Hostile bytes cannot cost more than this.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SaveLimits {
    /// The largest file, in bytes.
    pub max_save_bytes: usize,
    /// The largest block, in bytes.
    pub max_block_bytes: usize,
    /// The most rows of a state's table.
    pub max_rows: u64,
    /// How deep arrays and maps may be inside each other.
    pub max_nesting: usize,
    /// How many passes over a damaged file may look for an earlier state.
    pub max_passes: usize,
    /// How many damaged places the search for an earlier state skips.
    pub max_damaged: usize,
}

impl Default for SaveLimits {
    fn default() -> SaveLimits {
        SaveLimits {
            max_save_bytes: MAX_SAVE_BYTES,
            max_block_bytes: MAX_SAVE_BYTES,
            max_rows: MAX_ROWS,
            max_nesting: 32,
            max_passes: 8,
            max_damaged: 1 << 16,
        }
    }
}

/// The largest save, in bytes, unless [`SaveLimits`] say otherwise.
pub const MAX_SAVE_BYTES: usize = 1 << 30;

/// The most rows in the table of a state, unless [`SaveLimits`] say otherwise: the header and a million sections.
pub const MAX_ROWS: u64 = 1_000_001;

/// Returns the digest of some bytes.
#[must_use]
pub fn digest(bytes: &[u8]) -> Digest {
    *blake3::hash(bytes).as_bytes()
}

/// Returns the foot of a state block of a length, with the check over the digest and the seal before it.
#[must_use]
pub(super) fn foot(block_bytes: usize, number: u64, digest_and_seal: &[u8]) -> [u8; FOOT_BYTES] {
    let check = digest(digest_and_seal);
    let parts: [&[u8]; 4] = [
        FOOT_MARK,
        &(block_bytes as u64).to_be_bytes(),
        &number.to_be_bytes(),
        check.get(..8).unwrap_or_default(),
    ];
    let mut foot = [0; FOOT_BYTES];
    for (to, from) in foot.iter_mut().zip(parts.concat()) {
        *to = from;
    }
    foot
}
