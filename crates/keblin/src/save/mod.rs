//! How progress is written as bytes, and read again.
//!
//! ```text
//! Snapshot ──► encode ──► bodies of sections ──► writer ──► bytes
//! Snapshot ◄── decode ◄── bodies of sections ◄── reader ◄── bytes
//! ```
//!
//! A save is a CBOR sequence (RFC 8742) in deterministic encoding (RFC 8949, section 4.2): a header, sections with the
//! values, and a state that names the sections with their digests. The byte table is in
//! [`layout`](crate::save::layout); the reader and the writer are mirrors of it, and so are encoding and decoding of
//! what the sections hold. Reading is total: any bytes give a save or a [`ReadError`](crate::save::ReadError) with
//! section and byte offset, and nothing is believed whose digest does not hold.

/// The byte table: every block with its items in order, and the limits.
pub mod layout;

/// Why bytes are not a save, or not one of this game.
pub mod error;

/// Bytes to blocks: every digest compared.
pub mod reader;

/// Blocks to bytes.
pub mod writer;

/// CBOR maps in deterministic order, written and read.
mod map;

/// Values to CBOR and back.
mod values;

/// A snapshot to the bodies of sections.
mod encode;

/// The bodies of sections to a snapshot.
pub(crate) mod decode;

pub use error::{Fault, ReadError};
pub use reader::{SaveFile, read};
pub use writer::{Stamp, write, write_device};
