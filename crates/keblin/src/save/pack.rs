//! Packed areas: their bytes made smaller with zstd (RFC 8878), by the feature `zstd`.

#[cfg(feature = "zstd")]
pub(super) use with_zstd::{packed, unpacked};

#[cfg(not(feature = "zstd"))]
pub(super) use without::{packed, unpacked};

/// How much smaller an area may become, so that a small file cannot fill the memory.
pub(super) const MAX_RATIO: usize = 64;

#[cfg(feature = "zstd")]
mod with_zstd {
    use std::io::Read;

    use super::MAX_RATIO;

    /// Areas below this size, in bytes, stay as they are.
    const WORTH_BYTES: usize = 512;

    /// Favours speed: a save must not stop a game.
    const LEVEL: i32 = 1;

    /// Returns the packed body of an area, if that is worth it.
    pub(in crate::save) fn packed(body: &[u8]) -> Option<Vec<u8>> {
        let packed = (body.len() >= WORTH_BYTES).then(|| zstd::bulk::compress(body, LEVEL).ok()).flatten()?;
        let is_worth = packed.len() < body.len() / 10 * 9;
        (is_worth && body.len() <= MAX_RATIO * packed.len()).then_some(packed)
    }

    /// Returns a body of some length from its packed bytes; `None` if they are not that. Memory grows with what is read.
    pub(in crate::save) fn unpacked(packed: &[u8], len: usize) -> Option<Vec<u8>> {
        let most = u64::try_from(len).ok()?.checked_add(1)?;
        let mut body = Vec::new();
        zstd::stream::read::Decoder::new(packed).ok()?.take(most).read_to_end(&mut body).ok()?;
        (body.len() == len).then_some(body)
    }
}

/// Nothing is packed, and packed areas were refused before.
#[cfg(not(feature = "zstd"))]
mod without {
    pub(in crate::save) fn packed(_: &[u8]) -> Option<Vec<u8>> {
        None
    }

    pub(in crate::save) fn unpacked(_: &[u8], _: usize) -> Option<Vec<u8>> {
        None
    }
}
