//! What is told of a save, as stable words: why bytes cannot be read, and what is found in those that can.

use std::fmt;

keblin_schema::words! {
    /// What is told of a save, for games and tools that act on it. The word of each stays as it is in text and JSON.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    #[non_exhaustive]
    pub enum SaveCode {
        /// There are no bytes.
        Empty = "empty",
        /// The bytes are not a save.
        NotASave = "not_a_save",
        /// It is larger than may be read.
        TooLarge = "too_large",
        /// It ends too early.
        Cut = "cut",
        /// A digest does not match its bytes.
        Digest = "digest",
        /// Something else stands there than belongs there.
        Unexpected = "unexpected",
        /// Something stands behind the last state.
        Trailing = "trailing",
        /// The copy before it is newer.
        OlderThanCopy = "older_than_copy",
        /// The file is gone.
        Missing = "missing",
        /// It is from before an erasure.
        ErasedSince = "erased_since",
        /// The operating system cannot read it.
        Unreadable = "unreadable",
        /// The foot of a state does not match it.
        Foot = "foot",
        /// Arrays and maps are nested too deep.
        TooDeep = "too_deep",
        /// The search for an intact state was given up.
        SearchedTooLong = "searched_too_long",
        /// A later version of this library wrote it.
        LaterKeblin = "later_keblin",
        /// It is of a format from before the first.
        DraftFormat = "draft_format",
        /// It is of a newer format.
        NewerFormat = "newer_format",
        /// It is a save of another game.
        OtherGame = "other_game",
        /// A newer version of the game wrote it.
        NewerVersion = "newer_version",
        /// An older version of the game wrote it, and no step leads from there.
        OlderVersion = "older_version",
        /// A step needs the game's own code.
        NeedsGame = "needs_game",
        /// A step could not be done.
        StepFailed = "step_failed",
        /// A later state of the file is damaged; an earlier one was taken.
        LaterDamaged = "later_damaged",
        /// An earlier state of the file, which nothing needs, is damaged.
        StaleDamaged = "stale_damaged",
        /// An earlier version of the game saved it.
        EarlierVersion = "earlier_version",
        /// The seal does not match the game's key.
        SealBroken = "seal_broken",
        /// It is sealed, and the key is not at hand.
        SealNotChecked = "seal_not_checked",
        /// It is not sealed, and the game has a key.
        SealMissing = "seal_missing",
        /// A tool made it, not the game.
        Edited = "edited",
        /// It holds something that is not declared here, which is kept.
        CarriedAlong = "carried_along",
        /// A value does not fit its field.
        DoesNotFit = "does_not_fit",
        /// A value is outside its bounds.
        OutOfBounds = "out_of_bounds",
        /// A level has more stars than it can have.
        TooManyStars = "too_many_stars",
        /// A level has stars and was never finished.
        StarsUnfinished = "stars_unfinished",
        /// There is a record of finishing a level that was never finished.
        RecordUnfinished = "record_unfinished",
        /// A run goes on without a life left.
        RunWithoutLives = "run_without_lives",
        /// The saved level is no longer declared.
        LevelGone = "level_gone",
        /// The saved checkpoint is no longer declared.
        CheckpointGone = "checkpoint_gone",
        /// A level or difficulty is not declared here, and is kept.
        IdKept = "id_kept",
        /// The id that a field held is no longer declared.
        IdGone = "id_gone",
        /// The backup cannot be read.
        CopyUnreadable = "copy_unreadable",
        /// The settings of the device are damaged.
        SettingsDamaged = "settings_damaged",
        /// The settings of the device cannot be read.
        SettingsUnreadable = "settings_unreadable",
    }
}

impl fmt::Display for SaveCode {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

impl SaveCode {
    /// Whether some of the file is damaged although it opens.
    #[must_use]
    pub fn is_damage(self) -> bool {
        matches!(self, SaveCode::LaterDamaged | SaveCode::StaleDamaged | SaveCode::SettingsDamaged)
    }
}
