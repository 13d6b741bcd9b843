//! A source text with its lines. Turns byte offsets into the line and column a person sees.

use std::ops::Range;

use crate::text::shown::acts_on_a_terminal;

/// A named text.
#[derive(Clone, Debug)]
pub struct Source {
    name: String,
    text: String,
    line_starts: Vec<usize>,
}

/// A place in a text as a person counts it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Position {
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
}

impl Source {
    /// A text under the name that complaints call it by, as a rule its path.
    #[must_use]
    pub fn new(name: &str, text: &str) -> Source {
        let starts = text.bytes().enumerate().filter(|(_, byte)| *byte == b'\n').map(|(at, _)| at + 1);
        Source {
            name: name.to_string(),
            text: text.to_string(),
            line_starts: std::iter::once(0).chain(starts).collect(),
        }
    }

    /// The name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The whole text.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Line and column of a byte offset; an offset behind the end is the end.
    #[must_use]
    pub fn position(&self, offset: usize) -> Position {
        let offset = offset.min(self.text.len());
        let line = self.line_starts.partition_point(|start| *start <= offset).max(1);
        let start = self.line_start(line);
        let column = self.text.get(start..offset).map_or(offset - start, |before| before.chars().count());
        Position { line, column: column + 1 }
    }

    /// A line, from 1, without its line end; empty where there is no such line.
    #[must_use]
    pub fn line(&self, line: usize) -> &str {
        let end = self.line_starts.get(line).copied().unwrap_or(self.text.len());
        self.text.get(self.line_start(line)..end).unwrap_or("").trim_end_matches(['\n', '\r'])
    }

    /// The place of a span with its line of text and a row of carets under the span.
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
        // A tab is shown as one space: every character is one column, so that the carets stand under the span.
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
