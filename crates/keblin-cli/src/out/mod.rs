//! How things look: widths, styles, tables, and the findings of a text.

/// Findings with their lines and carets.
pub(crate) mod findings;

/// Levels as a table.
pub(crate) mod levels;

/// Values and findings as JSON.
pub(crate) mod json;

use std::io::{self, Write};

use anstyle::{AnsiColor, Style};
use comfy_table::{Attribute, Cell, Color, ContentArrangement, Table};

/// What the terminal can show.
#[derive(Clone, Copy, Debug)]
pub struct Look {
    /// Columns.
    pub width: usize,
    /// Whether to use colours.
    pub color: bool,
    /// Whether somebody is watching the error output, to whom long work can show how far it is.
    pub watched: bool,
}

/// Where output goes, and how it looks there.
pub(crate) struct Console<'o> {
    out: &'o mut dyn Write,
    pub(crate) look: Look,
    pub(crate) json: bool,
}

/// What a stretch of text is, so that one place decides how that looks.
#[derive(Clone, Copy)]
pub(crate) enum Tone {
    Heading,
    Good,
    Bad,
    Doubtful,
    Quiet,
    Name,
}

impl Tone {
    fn style(self) -> Style {
        let color = |color: AnsiColor| Style::new().fg_color(Some(color.into()));
        match self {
            Tone::Heading => Style::new().bold(),
            Tone::Good => color(AnsiColor::Green),
            Tone::Bad => color(AnsiColor::Red).bold(),
            Tone::Doubtful => color(AnsiColor::Yellow),
            Tone::Quiet => Style::new().dimmed(),
            Tone::Name => color(AnsiColor::Cyan),
        }
    }
}

/// A cell of a table in a tone; the table leaves the tone out where there are no colours.
pub(crate) fn cell(tone: Tone, text: &str) -> Cell {
    let cell = Cell::new(text);
    match tone {
        Tone::Heading => cell.add_attribute(Attribute::Bold),
        Tone::Good => cell.fg(Color::DarkGreen),
        Tone::Bad => cell.fg(Color::DarkRed).add_attribute(Attribute::Bold),
        Tone::Doubtful => cell.fg(Color::DarkYellow),
        Tone::Quiet => cell.add_attribute(Attribute::Dim),
        Tone::Name => cell.fg(Color::DarkCyan),
    }
}

impl<'o> Console<'o> {
    pub(crate) fn new(out: &'o mut dyn Write, look: Look, json: bool) -> Console<'o> {
        Console { out, look, json }
    }

    /// A stretch of text in a tone.
    pub(crate) fn toned(&self, tone: Tone, text: &str) -> String {
        if !self.look.color {
            return text.to_string();
        }
        let style = tone.style();
        format!("{style}{text}{style:#}")
    }

    pub(crate) fn line(&mut self, text: &str) -> io::Result<()> {
        writeln!(self.out, "{text}")
    }

    pub(crate) fn blank(&mut self) -> io::Result<()> {
        writeln!(self.out)
    }

    /// A paragraph, broken into lines that fit; all but the first with an indent.
    pub(crate) fn paragraph(&mut self, text: &str, indent: &str) -> io::Result<()> {
        let text = wrapped(text, self.look.width, indent);
        self.line(&text)
    }

    pub(crate) fn json_line(&mut self, value: &serde_json::Value) -> io::Result<()> {
        self.line(&value.to_string())
    }

    pub(crate) fn json_object(&mut self, value: &serde_json::Value) -> io::Result<()> {
        let text = serde_json::to_string_pretty(value).map_err(io::Error::other)?;
        self.line(&text)
    }

    /// A table without lines that fits, indented by two.
    pub(crate) fn table(&mut self, table: &Table) -> io::Result<()> {
        for line in table.lines() {
            let line = format!("  {line}");
            self.line(line.trim_end())?;
        }
        Ok(())
    }

    pub(crate) fn new_table(&self) -> Table {
        let mut table = Table::new();
        table.load_style(comfy_table::presets::NOTHING);
        table.set_content_arrangement(ContentArrangement::Dynamic);
        // The table must not ask the terminal by itself: how output looks is decided in one place.
        if self.look.color {
            table.enforce_styling()
        } else {
            table.force_no_tty()
        };
        table.set_width(u16::try_from(self.look.width.saturating_sub(2)).unwrap_or(u16::MAX));
        table
    }
}

/// Text broken into lines of at most `width` columns; a word that is longer, such as a path, stays whole.
pub(crate) fn wrapped(text: &str, width: usize, indent: &str) -> String {
    let options = textwrap::Options::new(width.max(20)).subsequent_indent(indent).break_words(false);
    textwrap::fill(text, options.word_splitter(textwrap::WordSplitter::NoHyphenation))
}

/// `1 level`, `2 levels`.
pub(crate) fn counted(count: usize, what: &str) -> String {
    if count == 1 { format!("1 {what}") } else { format!("{count} {what}s") }
}
