//! How much of what a save may hold is taken: one measure for the warning before it is full and for the error after.

use std::fmt;

/// From this part of the limit on, in percent, a game is warned.
const NEARLY_PERCENT: u64 = 80;

/// How full a save is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Fullness {
    /// What is counted: of bytes and sections, whatever is nearer to its limit.
    pub of: Measure,
    /// How many the save takes.
    pub used: u64,
    /// How many it may take.
    pub most: u64,
}

keblin_schema::words! {
    /// What a limit is about.
    #[derive(Clone, Copy, Debug, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum Measure {
        /// The bytes of one saved instant.
        Bytes = "bytes",
        /// Its sections: the profile, the run, the picture, and one for each area of the world.
        Sections = "sections",
    }
}

impl Fullness {
    /// Whether a save that is this full can be written and read again.
    #[must_use]
    pub fn fits(&self) -> bool {
        self.used <= self.most
    }

    /// Whether the game should be warned: 80 percent are taken.
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
