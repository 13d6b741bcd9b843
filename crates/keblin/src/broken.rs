//! Saving, progress or the world broken on purpose, to check that the tests notice. The feature `faults` makes it possible,
//! and the environment names the fault when a program starts. Builds without that feature contain nothing of this.

/// Ways in which the library can be broken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Broken {
    /// Nothing is synced.
    NoSync,
    /// No folder is synced.
    NoFolderSync,
    /// States are appended to a file on which a write has failed.
    AppendAfterFailure,
    /// There is no backup.
    NoPrevious,
    /// Nothing checks whether the file was replaced while it was written.
    ExchangeUnseen,
    /// The file is copied to the backup without verifying it.
    CopyUnverified,
    /// A file that was put there while the game was closed is taken for ours.
    NoMeeting,
    /// What two machines have added to an amount is added together, whoever it was.
    AmountsAdded,
    /// Nobody notes who has written a plain value.
    WritesForgotten,
    /// Entries of a table are told apart by their values alone.
    EntriesByValue,
    /// An erasure of a single value is not counted.
    ErasureUncounted,
    /// This machine's own last state is not merged when the slot is opened.
    OwnForgotten,
    /// A save from before an erasure is treated like any other.
    ErasuresForgotten,
    /// An older file that was put back becomes the backup.
    OlderBecomesCopy,
    /// A second keeper in the same program also gets the slot.
    SharedSlot,
    /// What is put by is forgotten.
    AreaForgotten,
    /// An area that changes is not copied before.
    AreaNotCopied,
    /// A column may have any length.
    AnyColumn,
    /// What another build has saved in a value is not written back.
    PartsForgotten,
    /// What another build has saved of a visit is not written back.
    VisitForgotten,
    /// What another build has saved of an object is not written back.
    ObjectPartsForgotten,
    /// The number of ids that were given is not saved.
    IdsGivenAgain,
    /// Opening a save resets the values of the run.
    ReloadForgets,
    /// A retry resets every value, lives too.
    RetryResets,
    /// Of two results a record keeps the worse one.
    KeepInverted,
    /// A death takes two lives.
    DeathTwice,
    /// Entering a level does not ask its lock.
    LockNotAsked,
    /// The values on arrival in a level are not copied.
    EntryNotCopied,
}

impl Broken {
    /// Returns whether this is broken here.
    #[cfg(not(feature = "faults"))]
    pub(crate) fn is(self) -> bool {
        false
    }

    #[cfg(feature = "faults")]
    #[expect(clippy::disallowed_methods, reason = "a build that is never released reads how to break")]
    pub(crate) fn is(self) -> bool {
        static NAMED: std::sync::OnceLock<Option<String>> = std::sync::OnceLock::new();
        let named = NAMED.get_or_init(|| std::env::var("KEBLIN_FAULT").ok());
        named.as_ref().is_some_and(|named| *named == format!("{self:?}"))
    }
}
