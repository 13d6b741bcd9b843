//! Foreign texts on a terminal. A save, a declaration or a file name may contain anything, even characters that move
//! the cursor, change colours, or turn the direction of the text after them.

use std::fmt::{self, Write};

/// A text made safe to print: control characters are escaped, and everything else is unchanged.
///
/// ```
/// use keblin_model::shown::Shown;
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

/// Returns whether a character has an effect on a terminal: control characters, and characters that change the
/// direction of the following text or break its line (Unicode, bidirectional formatting characters and line
/// separators).
#[must_use]
pub fn acts_on_a_terminal(c: char) -> bool {
    c.is_control()
        || matches!(c,
            '\u{061c}' | '\u{200e}' | '\u{200f}' | '\u{2028}' | '\u{2029}' | '\u{202a}'..='\u{202e}'
            | '\u{2066}'..='\u{2069}' | '\u{feff}')
}
