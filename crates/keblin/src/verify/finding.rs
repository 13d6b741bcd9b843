//! Findings about an intact save.

use std::fmt;

use keblin_model::Severity;
use keblin_model::shown::Shown;

use crate::save::SaveCode;

/// A finding about a save.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct SaveFinding {
    /// Its code.
    pub code: SaveCode,
    /// How severe it is.
    pub severity: Severity,
    /// Its place: section, then ids, with dots between.
    pub place: String,
    /// What is wrong, as a sentence without a full stop.
    pub message: String,
}

impl SaveFinding {
    pub(crate) fn warning(
        code: SaveCode,
        place: impl Into<String>,
        message: impl Into<String>,
    ) -> SaveFinding {
        SaveFinding { code, severity: Severity::Warning, place: place.into(), message: message.into() }
    }
}

impl fmt::Display for SaveFinding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (place, message) = (Shown(&self.place), Shown(&self.message));
        write!(f, "{place}: {}: {message} [{}]", self.severity.as_str(), self.code)
    }
}
