//! How much is tried: a little by default, so that nobody waits for it, and much with `KEBLIN_LONG=1` (CONTRIBUTING.md says
//! when that was run last).

/// Returns the first size, or the second with `KEBLIN_LONG=1`.
pub(crate) fn tries<T>(few: T, many: T) -> T {
    match std::env::var_os("KEBLIN_LONG") {
        Some(_) => many,
        None => few,
    }
}
