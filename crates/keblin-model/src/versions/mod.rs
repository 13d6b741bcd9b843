//! Past versions of a declaration, and how the saves of one become those of the next.

/// Steps, as data.
pub mod step;

/// A declaration with its past versions.
mod declaration;

/// The same as the bytes that a game contains.
mod embedded;

pub use declaration::{Declaration, Past};
