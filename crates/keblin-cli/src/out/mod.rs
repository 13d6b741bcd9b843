//! How things look: widths, styles, tables, and the findings of a text.

/// Findings with their lines and carets.
pub(crate) mod findings;

/// Levels as a table.
pub(crate) mod levels;

/// Values and findings as JSON.
pub(crate) mod json;

use std::hash::{BuildHasher, RandomState};
use std::io::{self, Write};
use std::path::Path;

use anstyle::{AnsiColor, Style};
use comfy_table::{Attribute, Cell, Color, ContentArrangement, Table};
use keblin::text::{Shown, acts_on_a_terminal};

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
    /// What our own changes of colour are known by: nothing that a save or a file is called can guess it, so only our own
    /// ever reach the terminal.
    sign: u64,
}

/// What a stretch of text is, so that one place decides how that looks.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Tone {
    Heading,
    Good,
    Bad,
    Doubtful,
    Quiet,
    Name,
}

impl Tone {
    const ALL: [Tone; 6] = [Tone::Heading, Tone::Good, Tone::Bad, Tone::Doubtful, Tone::Quiet, Tone::Name];

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
    let cell = plain(text);
    match tone {
        Tone::Heading => cell.add_attribute(Attribute::Bold),
        Tone::Good => cell.fg(Color::DarkGreen),
        Tone::Bad => cell.fg(Color::DarkRed).add_attribute(Attribute::Bold),
        Tone::Doubtful => cell.fg(Color::DarkYellow),
        Tone::Quiet => cell.add_attribute(Attribute::Dim),
        Tone::Name => cell.fg(Color::DarkCyan),
    }
}

/// A cell of a table without a tone. What would act on the terminal is escaped.
pub(crate) fn plain(text: impl AsRef<str>) -> Cell {
    Cell::new(Shown(text.as_ref()))
}

/// A path in a line of text.
pub(crate) fn shown(path: impl AsRef<Path>) -> String {
    Shown(&path.as_ref().to_string_lossy()).to_string()
}

/// Text of several lines for the error output: what would act on the terminal is escaped.
pub(crate) fn screened(text: &str) -> String {
    let lines: Vec<String> = text.split('\n').map(|line| Shown(line).to_string()).collect();
    lines.join("\n")
}

/// JSON as text: what would act on a terminal is escaped as JSON escapes it. It stands in strings alone.
fn screened_json(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    for c in text.chars() {
        match acts_on_a_terminal(c) && c != '\n' {
            true => {
                c.encode_utf16(&mut [0; 2]).iter().for_each(|unit| shown.push_str(&format!("\\u{unit:04x}")))
            }
            false => shown.push(c),
        }
    }
    shown
}

impl<'o> Console<'o> {
    pub(crate) fn new(out: &'o mut dyn Write, look: Look, json: bool) -> Console<'o> {
        Console { out, look, json, sign: RandomState::new().hash_one(0) }
    }

    /// A stretch of text in a tone.
    pub(crate) fn toned(&self, tone: Tone, text: &str) -> String {
        if !self.look.color {
            return text.to_string();
        }
        let number = Tone::ALL.iter().position(|one| *one == tone).unwrap_or_default();
        format!("{}{number}m{}{}{}m", self.mark(), Shown(text), self.mark(), Tone::ALL.len())
    }

    /// Marks the number of a tone until the line is written. It takes up no width, so lines are measured correctly.
    fn mark(&self) -> String {
        format!("\u{1b}[{};", self.sign)
    }

    /// A line, whose tones become colours here. Whatever else would act on the terminal is escaped.
    pub(crate) fn line(&mut self, text: &str) -> io::Result<()> {
        let mark = self.mark();
        let mut parts = text.split(&mark);
        let mut line = screened(parts.next().unwrap_or_default());
        for part in parts {
            let (number, rest) = part.split_once('m').unwrap_or(("", part));
            let tone = number.parse().ok().and_then(|number: usize| Tone::ALL.get(number));
            line += &tone.map_or_else(|| anstyle::Reset.to_string(), |tone| tone.style().to_string());
            line += &screened(rest);
        }
        writeln!(self.out, "{line}")
    }

    /// Everything was written: the last of it may have failed unseen.
    pub(crate) fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
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
        writeln!(self.out, "{}", screened_json(&value.to_string()))
    }

    pub(crate) fn json_object(&mut self, value: &serde_json::Value) -> io::Result<()> {
        let text = serde_json::to_string_pretty(value).map_err(io::Error::other)?;
        writeln!(self.out, "{}", screened_json(&text))
    }

    /// A table without lines that fits, indented by two.
    pub(crate) fn table(&mut self, table: &Table) -> io::Result<()> {
        for line in table.lines() {
            // Its cells were made by `cell` and `plain`, so that the colours in it are its own.
            writeln!(self.out, "{}", format!("  {line}").trim_end())?;
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
