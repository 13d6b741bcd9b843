//! Titles of slots and pins, as people write them.

use std::sync::Arc;

use thiserror::Error;

use super::Snapshot;

/// The longest title, in characters.
pub const MAX_TITLE_CHARS: usize = 120;

/// A text that cannot be the title of a slot or a pin.
#[derive(Clone, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum TitleFault {
    /// It is longer than [`MAX_TITLE_CHARS`].
    #[error("a title has at most {MAX_TITLE_CHARS} characters, but this one has {chars}; shorten it")]
    TooLong {
        /// Its length in characters.
        chars: usize,
    },
    /// It has a character that is not text, such as a line break.
    #[error("a title is one line of text, but this one has {found:?}; leave it out")]
    Control {
        /// The character.
        found: char,
    },
}

keblin_model::debug_as_display!(TitleFault);

/// Checks a title; an empty text stands for no title.
pub(crate) fn title(text: &str) -> Result<Option<Arc<str>>, TitleFault> {
    if let Some(found) = text.chars().find(|found| found.is_control()) {
        return Err(TitleFault::Control { found });
    }
    match text.chars().count() {
        chars if chars > MAX_TITLE_CHARS => Err(TitleFault::TooLong { chars }),
        chars => Ok((chars > 0).then(|| Arc::from(text))),
    }
}

impl Snapshot {
    /// Returns the snapshot with a title, which is saved with it and shown in lists of slots and pins; an empty
    /// text takes it away.
    ///
    /// # Errors
    /// [`TitleFault`] for more than [`MAX_TITLE_CHARS`], or more than one line.
    pub fn with_title(mut self, text: &str) -> Result<Snapshot, TitleFault> {
        self.title = title(text)?;
        Ok(self)
    }

    /// Returns the title it was saved with.
    #[must_use]
    pub fn title(&self) -> Option<&str> {
        self.title.as_deref()
    }
}
