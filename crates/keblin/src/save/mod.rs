//! How progress is written as bytes, and read again.
//!
//! ```text
//! Snapshot ──► encode ──► writer ──► bytes
//!      (both go by the grammar)
//! Snapshot ◄── reading ◄── reader ◄── bytes
//!                          search ◄── bytes that are damaged
//! ```
//!
//! A save is a CBOR sequence (RFC 8742) in deterministic encoding (RFC 8949, section 4.2): a header, sections with the
//! values, and a state that names the sections with their digests; behind it there may be further states. The byte table
//! is in [`layout`](crate::save::layout); the reader and the writer are mirrors of it. Reading is total: any bytes give
//! the last whole state or a [`ReadError`](crate::save::ReadError) with section and byte offset, and nothing is believed
//! whose digest does not hold.

/// The byte table: every block with its items in order, and the limits.
pub mod layout;

/// What is told of a save, as stable words.
mod code;

/// Why bytes are not a save, or not one of this game.
pub mod error;

/// A place in bytes of CBOR, moving forward.
mod cursor;

/// One block, and what a section block holds.
mod block;

/// What a state block holds.
mod state;

/// What lists of slots show of a save.
mod summary;

/// What a schema is, in short.
mod fingerprint;

/// What a save says about itself, from the ends of its file.
pub(crate) mod head;

/// The game's seal over a state.
pub mod seal;

/// The header of a file and its states.
pub(crate) mod file;

/// Bytes to the last whole state: every digest compared.
pub mod reader;

/// States in a file that is damaged.
pub(crate) mod search;

/// Bytes that are not copied together.
pub(crate) mod parts;

/// The table of a state.
mod table;

/// The table of a state, and the areas that lie in a file already.
mod shelf;

/// A snapshot to blocks.
pub mod writer;

/// What a save says about itself, and what the next one follows.
pub mod stamp;

/// CBOR maps in any order.
mod map;

/// Values to CBOR and back.
mod values;

/// The facts of a level in one piece.
mod facts;

/// A snapshot to the bodies of sections.
mod encode;

/// The bodies of sections to a state, as this schema writes them, or by their keys.
mod reading;

/// Single values to a state.
mod leaves;

/// Whether a save is plainly sound, without making anything of it.
pub(crate) mod glance;

/// What a save names and the schema does not declare.
pub(crate) mod missing;

/// The bodies of sections to a snapshot.
pub(crate) mod decode;

pub use block::Section;
pub use code::SaveCode;
pub use error::{Fault, ReadError};
pub use file::SaveFile;
pub use fingerprint::Fingerprint;
pub use head::SlotHead;
pub use layout::SaveLimits;
pub use reader::{read, read_within};
#[cfg(feature = "seal")]
pub use seal::KeyTooShort;
pub use seal::{Seal, SealKey};
pub use stamp::{Lineage, Stamp};
pub use state::StateHead;
pub use summary::Summary;
pub use writer::{write, write_behind, write_device, write_sealed};
