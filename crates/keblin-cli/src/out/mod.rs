//! How output looks: widths, styles, tables, and findings.

/// Findings with their lines and carets.
pub(crate) mod findings;

/// Levels as a table.
pub(crate) mod levels;

/// Who wrote what in a save.
pub(crate) mod writers;

/// Values and findings as JSON.
pub(crate) mod json;

use std::hash::{BuildHasher, RandomState};
use std::io::{self, Write};
use std::path::Path;
use std::time::{Duration, UNIX_EPOCH};

use anstyle::{AnsiColor, Style};
use comfy_table::{Attribute, Cell, Color, ContentArrangement, Table};
use keblin::condition::names::Asked;
use keblin::model::{GroupDef, Scope};
use keblin::text::{Shown, acts_on_a_terminal};
use keblin::{Progress, Value};

/// What the terminal can do.
#[derive(Clone, Copy, Debug)]
pub struct Look {
    /// Columns.
    pub width: usize,
    /// Whether to use colours.
    pub color: bool,
    /// Whether somebody watches standard error, so that a progress bar is useful.
    pub watched: bool,
}

/// Where output goes, and how it looks there.
pub(crate) struct Console<'o> {
    out: &'o mut dyn Write,
    pub(crate) look: Look,
    pub(crate) json: bool,
    /// Marks our own colour changes. No save or file name can guess it, so only our own colours reach the terminal.
    sign: u64,
}

/// What a piece of text is. One place decides how each looks.
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

/// A cell of a table in a tone; without colours the table leaves the tone out.
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

/// A cell of a table without a tone. Control characters are escaped.
pub(crate) fn plain(text: impl AsRef<str>) -> Cell {
    Cell::new(Shown(text.as_ref()))
}

/// A path in a line of text.
pub(crate) fn shown(path: impl AsRef<Path>) -> String {
    Shown(&path.as_ref().to_string_lossy()).to_string()
}

/// Text of several lines for standard error, with control characters escaped.
pub(crate) fn screened(text: &str) -> String {
    let lines: Vec<String> = text.split('\n').map(|line| Shown(line).to_string()).collect();
    lines.join("\n")
}

/// JSON as text, with control characters escaped as JSON does it. They occur only in strings.
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

    /// A piece of text in a tone.
    pub(crate) fn toned(&self, tone: Tone, text: &str) -> String {
        if !self.look.color {
            return text.to_string();
        }
        let number = Tone::ALL.iter().position(|one| *one == tone).unwrap_or_default();
        format!("{}{number}m{}{}{}m", self.mark(), Shown(text), self.mark(), Tone::ALL.len())
    }

    /// Marks the number of a tone until the line is written. It has no width, so lines are measured correctly.
    fn mark(&self) -> String {
        format!("\u{1b}[{};", self.sign)
    }

    /// Writes a line. Tones become colours here, and control characters are escaped.
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

    /// Flushes the output, because the last write may have failed without notice.
    pub(crate) fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }

    /// Clears the screen, if somebody watches; otherwise a blank line separates what follows.
    pub(crate) fn clear(&mut self) -> io::Result<()> {
        match self.look.color && !self.json {
            true => write!(self.out, "\u{1b}[2J\u{1b}[H"),
            false if self.json => Ok(()),
            false => self.blank(),
        }
    }

    pub(crate) fn blank(&mut self) -> io::Result<()> {
        writeln!(self.out)
    }

    /// Writes a paragraph, broken into lines that fit; all but the first are indented.
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

    /// Writes a table without lines that fits, indented by two.
    pub(crate) fn table(&mut self, table: &Table) -> io::Result<()> {
        for line in table.lines() {
            // `cell` and `plain` made its cells, so all colours in it are ours.
            writeln!(self.out, "{}", format!("  {line}").trim_end())?;
        }
        Ok(())
    }

    pub(crate) fn new_table(&self) -> Table {
        let mut table = Table::new();
        table.load_style(comfy_table::presets::NOTHING);
        table.set_content_arrangement(ContentArrangement::Dynamic);
        // The table must not look at the terminal itself: how output looks is decided in one place.
        if self.look.color {
            table.enforce_styling()
        } else {
            table.force_no_tty()
        };
        table.set_width(u16::try_from(self.look.width.saturating_sub(2)).unwrap_or(u16::MAX));
        table
    }
}

/// Breaks text into lines of at most `width` columns; a longer word, such as a path, is not broken.
pub(crate) fn wrapped(text: &str, width: usize, indent: &str) -> String {
    let options = textwrap::Options::new(width.max(20)).subsequent_indent(indent).break_words(false);
    textwrap::fill(text, options.word_splitter(textwrap::WordSplitter::NoHyphenation))
}

/// The most characters of a value that are printed.
const MAX_CHARACTERS: usize = 400;

/// Shortens a value to fit on a screen; `--json` has all of it.
pub(crate) fn shortened(value: String) -> String {
    match value.char_indices().nth(MAX_CHARACTERS) {
        Some((end, _)) => {
            let start = value.get(..end).unwrap_or_default();
            format!("{start} … ({} characters)", value.chars().count())
        }
        None => value,
    }
}

/// A time in milliseconds since 1970 as people read it.
pub(crate) fn when(unix_ms: u64) -> String {
    let at = UNIX_EPOCH + Duration::from_millis(unix_ms.min(253_402_300_799_000));
    humantime::format_rfc3339_seconds(at).to_string().replace('T', " ").replace('Z', " UTC")
}

/// Returns the heading of the fields of a scope, or of those in a group: `run`, `run, Cargo`.
pub(crate) fn of_scope(scope: Scope, group: Option<&GroupDef>) -> String {
    let scope = scope.as_str();
    group.map_or_else(|| scope.to_string(), |group| format!("{scope}, {}", group.title))
}

/// `1 level`, `2 levels`.
pub(crate) fn counted(count: usize, what: &str) -> String {
    if count == 1 { format!("1 {what}") } else { format!("{count} {what}s") }
}

/// Returns the time in play.
pub(crate) fn played(progress: &Progress) -> Value {
    progress.answer(&Asked::Played)
}

/// Returns what the player would continue: `a run waits: Reedgate, checkpoint osier, neap`.
pub(crate) fn waits(progress: &Progress) -> String {
    let schema = progress.schema();
    let Some(point) = progress.resume_point() else { return "no run to continue".to_string() };
    let level = point.level.and_then(|level| schema.levels.get(level.index()));
    let checkpoint = point.checkpoint.and_then(|point| level?.checkpoints.get(point.index()));
    let place = match (level, checkpoint) {
        (Some(level), Some(checkpoint)) => format!("{}, checkpoint {checkpoint}", level.title),
        (Some(level), None) => format!("{}, no checkpoint yet", level.title),
        (None, _) => "on the map".to_string(),
    };
    let difficulty = point.difficulty.and_then(|difficulty| schema.difficulties.get(difficulty.index()));
    let difficulty = difficulty.map_or(String::new(), |difficulty| format!(", {difficulty}"));
    format!("a run waits: {place}{difficulty}")
}
