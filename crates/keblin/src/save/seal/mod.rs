//! The seal: a COSE_Mac0 (RFC 9052) with HMAC 256/256 over the digest of a state, by a key of the game. It shows that the
//! game itself wrote a state; it hides nothing, and a key inside a game is no secret from its owner's machine.
//!
//! Keys are made with the feature `seal`. Without it a game depends on less, and saves that are sealed open all the same.

/// Keys.
#[cfg(feature = "seal")]
mod key;

/// Without the feature.
#[cfg(not(feature = "seal"))]
mod no_key;

#[cfg(feature = "seal")]
pub use key::{KeyTooShort, MIN_KEY_BYTES, SealKey};
#[cfg(not(feature = "seal"))]
pub use no_key::SealKey;

keblin_schema::words! {
    /// How the seal of a save stands.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum Seal {
        /// There is none.
        None = "none",
        /// There is one, and no key to check it with.
        NotChecked = "not_checked",
        /// It was made with the key, over this state.
        Holds = "holds",
        /// It was not: somebody without the key wrote this state, or the key has changed.
        Broken = "broken",
    }
}
