//! Why a name, or a text that contains names, is not a valid condition; and the parts that names are made of.

use std::fmt;
use std::ops::Range;

/// One part of a name made of parts.
#[doc(hidden)]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part {
    /// The word.
    pub word: String,
    /// The place: a range of bytes in the condition.
    pub span: Range<usize>,
}

/// Why a text is not a valid condition.
#[derive(Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct ConditionError {
    /// The place: a range of bytes in the condition.
    pub span: Range<usize>,
    /// What is wrong, as a sentence without a full stop.
    pub message: String,
    /// What to write instead, if that is known.
    pub instead: Option<String>,
}

crate::debug_as_display!(ConditionError);

impl ConditionError {
    /// Returns an error at a place.
    #[must_use]
    pub fn new(span: Range<usize>, message: impl Into<String>) -> ConditionError {
        ConditionError { span, message: message.into(), instead: None }
    }

    /// Returns the error with the name that was probably meant.
    #[must_use]
    pub fn meant(self, nearest: Option<&str>) -> ConditionError {
        ConditionError { instead: nearest.map(|nearest| format!("did you mean `{nearest}`?")), ..self }
    }

    /// Returns the error with what to write instead, if that is known.
    #[must_use]
    pub fn instead_if(self, instead: Option<impl Into<String>>) -> ConditionError {
        ConditionError { instead: instead.map(Into::into).or(self.instead), ..self }
    }

    /// Returns the error with what to write instead.
    #[must_use]
    pub fn instead(self, instead: impl Into<String>) -> ConditionError {
        ConditionError { instead: Some(instead.into()), ..self }
    }
}

impl fmt::Display for ConditionError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "at byte {}: {}", self.span.start + 1, self.message)?;
        self.instead.as_ref().map_or(Ok(()), |instead| write!(f, " ({instead})"))
    }
}

impl std::error::Error for ConditionError {}
