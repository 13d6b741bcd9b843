//! Builds in which saving is broken on purpose, to see that the tests notice: `.ci/faults` makes one with
//! `--cfg keblin_fault="any"`, and names the fault in the environment. In every other build nothing of this is there.

/// Ways in which saving can be broken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Broken {
    /// Nothing is synced.
    NoSync,
    /// No folder is synced.
    NoFolderSync,
    /// States are appended to a file on which a write has failed.
    AppendAfterFailure,
    /// There is no copy before.
    NoPrevious,
    /// Nobody asks whether the file was exchanged while it was written.
    ExchangeUnseen,
    /// The copy before is made without looking at what is copied.
    CopyUnverified,
    /// What others have put in place while the game was closed is taken for ours.
    NoMeeting,
    /// A save from before an erasure is taken for one like any other.
    ErasuresForgotten,
    /// An older file that was put back becomes the copy before.
    OlderBecomesCopy,
    /// A second keeper in the same program gets the slot as well.
    SharedSlot,
}

impl Broken {
    /// Whether saving is broken in this way.
    #[cfg(not(keblin_fault = "any"))]
    pub(super) fn is(self) -> bool {
        false
    }

    #[cfg(keblin_fault = "any")]
    #[expect(clippy::disallowed_methods, reason = "a build that is never shipped is told how to break")]
    pub(super) fn is(self) -> bool {
        static NAMED: std::sync::OnceLock<String> = std::sync::OnceLock::new();
        let named = NAMED.get_or_init(|| std::env::var("KEBLIN_FAULT").unwrap_or_default());
        *named == format!("{self:?}")
    }
}
