//! The codes of findings about a save, as stable words: why bytes cannot be read, and what was found in those that
//! can.

use std::fmt;

keblin_model::words! {
    /// The code of a finding about a save, for games and tools that act on it. Its word in text and JSON never
    /// changes.
    #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
    #[non_exhaustive]
    pub enum SaveCode {
        /// There are no bytes.
        Empty = "empty",
        /// The bytes are not a save.
        NotASave = "not_a_save",
        /// It is larger than a save may be.
        TooLarge = "too_large",
        /// It ends too early.
        Cut = "cut",
        /// A digest does not match its bytes.
        Digest = "digest",
        /// Something unexpected was found.
        Unexpected = "unexpected",
        /// Unexpected bytes after the last state.
        Trailing = "trailing",
        /// The backup is newer.
        OlderThanCopy = "older_than_copy",
        /// The file is missing.
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
        /// An older version of the game wrote it, and there is no step from that version.
        OlderVersion = "older_version",
        /// Another declaration of the same version wrote it, and its values do not fit this one.
        Redeclared = "redeclared",
        /// A step needs the game's own code.
        NeedsGame = "needs_game",
        /// A step failed.
        StepFailed = "step_failed",
        /// A later state of the file is damaged; an earlier one was taken.
        LaterDamaged = "later_damaged",
        /// An earlier state of the file, which is not needed any more, is damaged.
        StaleDamaged = "stale_damaged",
        /// An earlier version of the game saved it.
        EarlierVersion = "earlier_version",
        /// The seal does not match the game's key.
        SealBroken = "seal_broken",
        /// It is sealed, but the key was not given.
        SealNotChecked = "seal_not_checked",
        /// It is not sealed, but the game has a key.
        SealMissing = "seal_missing",
        /// A tool made it, not the game.
        Edited = "edited",
        /// It contains something that is not declared here; it is preserved.
        CarriedAlong = "carried_along",
        /// A value does not fit its field.
        DoesNotFit = "does_not_fit",
        /// A value is outside its bounds.
        OutOfBounds = "out_of_bounds",
        /// An invariant of the declaration is not true.
        InvariantBroken = "invariant_broken",
        /// A level has more stars than it can have.
        TooManyStars = "too_many_stars",
        /// A level has stars but was never finished.
        StarsUnfinished = "stars_unfinished",
        /// A finished level can no longer be entered, because of an update.
        FinishedShut = "finished_shut",
        /// There is a record of finishing a level that was never finished.
        RecordUnfinished = "record_unfinished",
        /// An older build has saved since the last build that notes which machine added what.
        HistoryOfAnotherState = "history_of_another_state",
        /// What a save says of who wrote what does not fit its values.
        HistoryDiffers = "history_differs",
        /// A run continues without a life left.
        RunWithoutLives = "run_without_lives",
        /// The saved level is no longer declared.
        LevelGone = "level_gone",
        /// The saved checkpoint is no longer declared.
        CheckpointGone = "checkpoint_gone",
        /// A level, a difficulty or an id in a field is not declared here; it is preserved.
        IdKept = "id_kept",
        /// The objects of an area cannot be read.
        AreaUnreadable = "area_unreadable",
        /// A field of an object names an object that is gone.
        ObjectGone = "object_gone",
        /// The backup cannot be read.
        CopyUnreadable = "copy_unreadable",
        /// The settings of the device are damaged.
        SettingsDamaged = "settings_damaged",
        /// The settings of the device are of a newer version of the game, or of another game.
        SettingsRefused = "settings_refused",
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
    /// Returns whether part of the file is damaged although it opens.
    #[must_use]
    pub fn is_damage(self) -> bool {
        matches!(self, SaveCode::LaterDamaged | SaveCode::StaleDamaged | SaveCode::SettingsDamaged)
    }
}
