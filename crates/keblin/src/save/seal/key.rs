//! A key for seals, and the envelope: COSE_Mac0 (RFC 9052) with HMAC 256/256.

use std::fmt;

use coset::{
    CoseMac0, CoseMac0Builder, HeaderBuilder, RegisteredLabelWithPrivate, TaggedCborSerializable, iana,
};
use hmac::{Hmac, KeyInit, Mac};
use sha2::Sha256;
use thiserror::Error;

use super::Seal;
use crate::save::layout::Digest;

/// The shortest key, in bytes.
pub const MIN_KEY_BYTES: usize = 16;

/// The game's key for seals.
#[derive(Clone, PartialEq, Eq)]
pub struct SealKey(Vec<u8>);

/// A key is too short.
#[derive(Clone, Copy, PartialEq, Eq, Error)]
#[error("expected a key of at least {MIN_KEY_BYTES} bytes, but found {bytes}")]
#[non_exhaustive]
pub struct KeyTooShort {
    /// Its length in bytes.
    pub bytes: usize,
}

keblin_model::debug_as_display!(KeyTooShort);

/// Hides the key bytes so that they never reach a log.
impl fmt::Debug for SealKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "SealKey({} bytes)", self.0.len())
    }
}

impl SealKey {
    /// Makes a key from its bytes, ideally 32 bytes from a cryptographic random source.
    ///
    /// # Errors
    /// [`KeyTooShort`] for fewer than [`MIN_KEY_BYTES`].
    pub fn new(bytes: &[u8]) -> Result<SealKey, KeyTooShort> {
        match bytes.len() {
            len if len < MIN_KEY_BYTES => Err(KeyTooShort { bytes: len }),
            _ => Ok(SealKey(bytes.to_vec())),
        }
    }

    /// Returns the item of a seal over a state's digest.
    pub(in crate::save) fn seal(&self, state: &Digest) -> Vec<u8> {
        let protected = HeaderBuilder::new().algorithm(iana::Algorithm::HMAC_256_256).build();
        let builder = CoseMac0Builder::new().protected(protected).payload(state.to_vec());
        let sealed = builder.create_tag(&[], |bytes| self.mac(bytes).map(tag).unwrap_or_default());
        // This message can always be encoded.
        sealed.build().to_tagged_vec().unwrap_or_default()
    }

    /// Checks a seal against a state's digest.
    pub(in crate::save) fn check(&self, seal: &[u8], state: &Digest) -> Seal {
        let Ok(message) = CoseMac0::from_tagged_slice(seal) else { return Seal::Broken };
        let algorithm = RegisteredLabelWithPrivate::Assigned(iana::Algorithm::HMAC_256_256);
        let is_ours = message.protected.header.alg == Some(algorithm);
        let is_of_state = message.payload.as_deref() == Some(state.as_slice());
        let verified = message.verify_payload_tag(
            &[],
            || (),
            |tag, bytes| self.mac(bytes).ok_or(())?.verify_slice(tag).map_err(drop),
        );
        if is_ours && is_of_state && verified.is_ok() { Seal::Holds } else { Seal::Broken }
    }

    /// Returns the MAC of some bytes; every key has one.
    fn mac(&self, bytes: &[u8]) -> Option<Hmac<Sha256>> {
        let mac = Hmac::<Sha256>::new_from_slice(&self.0).ok()?;
        Some(mac.chain_update(bytes))
    }
}

fn tag(mac: Hmac<Sha256>) -> Vec<u8> {
    mac.finalize().into_bytes().to_vec()
}
