//! Texts of others on a terminal: what a save, a declaration or a file name holds may be anything, also what moves a
//! terminal's cursor, changes its colours, or turns the direction of what follows.

use std::fmt::{self, Write};

/// A text as it may be shown to people: what would act on a terminal is escaped, everything else is as it is.
///
/// ```
/// use keblin_schema::shown::Shown;
///
/// assert_eq!(Shown("Otter \u{1b}[2J\u{202e}!").to_string(), r"Otter \u{1b}[2J\u{202e}!");
/// assert_eq!(Shown("Mère, 水").to_string(), "Mère, 水");
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Shown<'t>(pub &'t str);

impl fmt::Display for Shown<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for c in self.0.chars() {
            match acts_on_a_terminal(c) {
                true => write!(f, "{}", c.escape_default())?,
                false => f.write_char(c)?,
            }
        }
        Ok(())
    }
}

/// Whether a character does something else than stand there: control characters, and what changes the direction of the
/// text behind it or breaks its line (Unicode, bidirectional formatting characters and line separators).
#[must_use]
pub fn acts_on_a_terminal(c: char) -> bool {
    c.is_control()
        || matches!(c,
            '\u{061c}' | '\u{200e}' | '\u{200f}' | '\u{2028}' | '\u{2029}' | '\u{202a}'..='\u{202e}'
            | '\u{2066}'..='\u{2069}' | '\u{feff}')
}
