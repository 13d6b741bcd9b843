//! A source text with its lines. Converts byte offsets to lines and columns.

use std::ops::Range;

use crate::shown::acts_on_a_terminal;

/// A named text.
#[derive(Clone, Debug)]
pub struct Source {
    name: String,
    text: String,
    line_starts: Vec<usize>,
}

/// A place in a text, as people count.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Position {
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
}

impl Source {
    /// Returns a text with its name in messages, usually its path.
    #[must_use]
    pub fn new(name: &str, text: &str) -> Source {
        let starts = text.bytes().enumerate().filter(|(_, byte)| *byte == b'\n').map(|(at, _)| at + 1);
        Source {
            name: name.to_string(),
            text: text.to_string(),
            line_starts: std::iter::once(0).chain(starts).collect(),
        }
    }

    /// Returns the name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Returns the whole text.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Returns the line and column of a byte offset; an offset after the end counts as the end.
    #[must_use]
    pub fn position(&self, offset: usize) -> Position {
        let offset = offset.min(self.text.len());
        let line = self.line_starts.partition_point(|start| *start <= offset).max(1);
        let start = self.line_start(line);
        let column = self.text.get(start..offset).map_or(offset - start, |before| before.chars().count());
        Position { line, column: column + 1 }
    }

    /// Returns a line, counted from 1, without its line end; empty if there is no such line.
    #[must_use]
    pub fn line(&self, line: usize) -> &str {
        let end = self.line_starts.get(line).copied().unwrap_or(self.text.len());
        self.text.get(self.line_start(line)..end).unwrap_or("").trim_end_matches(['\n', '\r'])
    }

    /// Returns the line of a span, with a row of carets under the span.
    ///
    /// ```
    /// # use keblin_schema::source::Source;
    /// let source = Source::new("progress.toml", "defualt = 4\n");
    /// assert_eq!(source.excerpt(0..7), "    1 | defualt = 4\n      | ^^^^^^^\n");
    /// ```
    #[must_use]
    pub fn excerpt(&self, span: Range<usize>) -> String {
        let from = self.position(span.start);
        let to = self.position(span.end);
        let line = self.line(from.line);
        let end = if to.line == from.line { to.column } else { line.chars().count() + 1 };
        let carets = "^".repeat(end.saturating_sub(from.column).max(1));
        // A tab is shown as one space. Every character is one column, so that the carets are under the span.
        let shown = |c: char| {
            if c == '\t' {
                ' '
            } else if acts_on_a_terminal(c) {
                '\u{fffd}'
            } else {
                c
            }
        };
        let line: String = line.chars().map(shown).collect();
        let indent = " ".repeat(from.column - 1);
        format!("{:>5} | {line}\n      | {indent}{carets}\n", from.line)
    }

    fn line_start(&self, line: usize) -> usize {
        line.checked_sub(1).and_then(|index| self.line_starts.get(index)).copied().unwrap_or(self.text.len())
    }
}
