//! Writing progress as bytes, and reading it again.
//!
//! ```text
//! Snapshot ──► encode ──► writer ──► bytes
//!      (both go by the grammar)
//! Snapshot ◄── reading ◄── reader ◄── bytes
//!                          search ◄── bytes that are damaged
//! ```
//!
//! A save is a CBOR sequence (RFC 8742) in deterministic encoding (RFC 8949, section 4.2): a header, sections with
//! the values, and a state that names the sections with their digests; further states may follow. The byte table is
//! in [`layout`](crate::save::layout); reader and writer both follow it. Reading accepts any bytes: it returns the
//! last intact state or a [`ReadError`](crate::save::ReadError) with section and byte offset, and trusts nothing
//! whose digest does not match.

/// The byte table: every block with its items in order, and the limits.
pub mod layout;

/// The codes of findings about a save.
mod code;

/// Why bytes are not a save of this game.
pub mod error;

/// A position in CBOR bytes, moving forward.
mod cursor;

/// One block, and the contents of a section block.
mod block;

/// The contents of a state block.
mod state;

/// What lists of slots show of a save.
mod summary;

/// The fingerprint of a schema.
mod fingerprint;

/// The head of a save, from the ends of its file.
pub(crate) mod head;

/// The game's seal over a state.
pub mod seal;

/// The header of a file and its states.
pub(crate) mod file;

/// The sections of a state.
mod sections;

/// Reading the last intact state: every digest compared.
pub mod reader;

/// Reading the last state without the areas of the world.
pub(crate) mod left_out;

/// Searching a damaged file for states.
pub(crate) mod search;

/// Bytes in several parts.
pub(crate) mod parts;

/// The table of a state.
mod table;

/// The section of who wrote what.
pub(crate) mod history;

/// The table of a state, and the areas that are in a file already.
mod area_table;

/// Packed areas.
mod pack;

/// What writing a save takes and leaves.
pub(crate) mod written;

/// Writing a snapshot to blocks.
pub mod writer;

/// What a save says about itself, and which save it continues.
pub mod stamp;

/// CBOR maps in any order.
mod map;

/// Numbers of 16 bits.
mod bits16;

/// Values to CBOR and back.
mod values;

/// Values that another build wrote, with what this one does not know in them.
mod originals;

/// The facts of a level as one piece.
mod facts;

/// Writing a snapshot to the bodies of sections.
mod encode;

/// Reading the bodies of sections to a state, as this schema writes them, or by their keys.
mod reading;

/// Reading single values to a state.
mod leaves;

/// A quick check of a save, without making its values.
pub(crate) mod glance;

/// A save as JSON and back.
#[cfg(feature = "json")]
pub mod json;

/// Names in a save that the schema does not declare.
pub(crate) mod missing;

/// Reading the bodies of sections to a snapshot.
pub(crate) mod decode;

pub use block::Section;
pub(crate) use block::is_area;
pub use code::SaveCode;
pub use error::{Fault, MAX_CHANGES, ReadError};
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
pub(crate) use table::LeftOut;
pub use writer::{write, write_after, write_device, write_sealed};
