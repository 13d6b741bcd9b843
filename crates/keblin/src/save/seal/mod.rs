//! The seal: a COSE_Mac0 (RFC 9052) with HMAC 256/256 over the digest of a state, with a key of the game. It shows
//! that the game itself wrote a state. It encrypts nothing, and a key inside a game is not a secret from the owner of
//! the machine.
//!
//! Keys need the feature `seal`. Without it a game has fewer dependencies, and sealed saves still open.

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

keblin_model::words! {
    /// The result of checking a seal.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum Seal {
        /// There is no seal.
        None = "none",
        /// There is a seal, but no key to check it with.
        NotChecked = "not_checked",
        /// It was made with the key, for this state.
        Holds = "holds",
        /// It does not match: this state was written without the key, or the key has changed.
        Broken = "broken",
    }
}
