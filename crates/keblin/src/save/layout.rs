//! The byte table. Every item of the file in order; the reader and the writer follow it line by line.
//!
//! | item | bytes | what |
//! |---|---|---|
//! | header | `d9 d9f7` | tag 55799: what follows is CBOR |
//! | | array of 5 | `"keblin"`, format, game, created (Unix ms), digest |
//! | section | `db` + 8 bytes | tag [`BLOCK_TAG`](crate::save::layout::BLOCK_TAG) |
//! | | array of 7 | `"section"`, needed, name, codec, length of the body, digest of the body, body |
//! | state | `db` + 8 bytes | tag [`BLOCK_TAG`](crate::save::layout::BLOCK_TAG) |
//! | | array of 8 | `"state"`, needed, number, schema version, saved at (Unix ms), cause, table, digest |
//!
//! The digest of the header and of the state is that of all bytes of the item before the digest's own item. The table
//! has a row for the header and one for each section: `[name, offset, length, digest]` of the whole item. So every
//! byte of the file lies under the state's digest, directly or through the table. A digest is 32 bytes of BLAKE3.

/// The number of this layout. 0 is the draft before the format is fixed; its saves are not promised to open later.
pub const FORMAT: u32 = 0;

/// The tag that says that what follows is CBOR (RFC 8949, section 3.4.6).
pub const SELF_DESCRIBED_TAG: u64 = 55_799;

/// What the header begins with: the tag for self-described CBOR, an array of 5, and our name.
pub const HEADER_START: &[u8] = b"\xd9\xd9\xf7\x85\x66keblin";

/// How many items the header has.
pub const HEADER_ITEMS: u64 = 5;

/// The tag of every block behind the header; nine bytes by which blocks are found again after damage.
pub const BLOCK_TAG: u64 = 0x6b65_626c_696e_1a0a;

/// How many items a section has.
pub const SECTION_ITEMS: u64 = 7;

/// How many items a state has.
pub const STATE_ITEMS: u64 = 8;

/// How many items a row of the state's table has.
pub const ROW_ITEMS: u64 = 4;

/// The word of a section block.
pub const SECTION: &str = "section";

/// The word of a state block.
pub const STATE: &str = "state";

/// The name of the header in the state's table.
pub const HEADER: &str = "header";

/// The section of values and facts that outlive runs.
pub const PROFILE: &str = "profile";

/// The section of the run that can be continued.
pub const RUN: &str = "run";

/// The only section of a device file: settings, which belong to no profile.
pub const DEVICE: &str = "device";

/// The codec of a body that is stored as it is; others are reserved.
pub const CODEC_STORED: u32 = 0;

/// Length of a digest in bytes.
pub const DIGEST_BYTES: usize = 32;

/// The largest save that is read, in bytes.
pub const MAX_SAVE_BYTES: usize = 64 << 20;

/// The most sections a state may name.
pub const MAX_SECTIONS: u64 = 4096;

/// A digest of some bytes.
#[must_use]
pub fn digest(bytes: &[u8]) -> [u8; DIGEST_BYTES] {
    *blake3::hash(bytes).as_bytes()
}
