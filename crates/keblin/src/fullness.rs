//! How full a save is: one measure for the warning before it is full and for the error after.

use std::fmt;

/// A game is warned from this part of the limit on, in percent.
const NEARLY_PERCENT: u64 = 80;

/// How full a save is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Fullness {
    /// What is counted: bytes or sections, whichever is nearer to its limit.
    pub of: Measure,
    /// How many the save needs.
    pub used: u64,
    /// How many it may have.
    pub most: u64,
}

keblin_model::words! {
    /// What a limit counts.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum Measure {
        /// The bytes of one saved state.
        Bytes = "bytes",
        /// Its sections: the profile, the run, the picture, and one for each area of the world.
        Sections = "sections",
    }
}

impl Fullness {
    /// Returns whether a save this full can be written and read again.
    #[must_use]
    pub fn fits(&self) -> bool {
        self.used <= self.most
    }

    /// Returns whether the game should be warned: 80 percent of the limit.
    #[must_use]
    pub fn is_nearly_full(&self) -> bool {
        self.used.saturating_mul(100) >= self.most.saturating_mul(NEARLY_PERCENT)
    }
}

impl fmt::Display for Fullness {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Fullness { of, used, most } = self;
        write!(f, "the save needs {used} of at most {most} {}", of.as_str())
    }
}
