//! Parses the words of a line to a step: resolves every name against the schema, and reports every mistake with its
//! place.

use std::ops::Range;
use std::time::Duration;

use keblin_model::name::nearest;
use keblin_model::{Level, Name, Time};
use keblin_schema::{Code, Finding};

use super::step::{Step, WriteStep};
use crate::snapshot::Schema;

const WORDS: [&str; 50] = [
    "given",
    "request",
    "release",
    "recall",
    "put_by",
    "record",
    "make",
    "change",
    "destroy",
    "buy",
    "schema",
    "feed",
    "pause",
    "hold",
    "load",
    "suspend",
    "autosave",
    "put",
    "take",
    "erase",
    "suppose",
    "begin",
    "resume",
    "enter",
    "set",
    "add",
    "spend",
    "submit",
    "tick",
    "reach",
    "die",
    "respawn",
    "retry",
    "finish",
    "leave",
    "end_run",
    "save",
    "quit",
    "kill",
    "launch",
    "elsewhere",
    "slot",
    "pin",
    "back_to",
    "view",
    "wait",
    "far",
    "sync",
    "expect",
    "refused",
];

/// The words of a step with their places; a quoted text is one word.
pub(super) struct Words<'t> {
    pub(super) schema: &'t Schema,
    pub(super) text: &'t str,
    pub(super) offset: usize,
    pub(super) at: usize,
}

pub(crate) fn bad(span: Range<usize>, message: impl Into<String>) -> Finding {
    Finding::error(Code::BadStep, span, message)
}

pub(crate) fn meant(finding: Finding, word: &str, known: &[&str]) -> Finding {
    match nearest(word, known.iter().copied()) {
        Some(nearest) => finding.instead(format!("did you mean `{nearest}`?")),
        None if known.is_empty() => finding,
        None => finding.instead(format!("known: {}", known.join(", "))),
    }
}

/// Parses one step from the words of a line.
pub(crate) fn step(schema: &Schema, text: &str, offset: usize) -> Result<Step, Finding> {
    let mut words = Words { schema, text, offset, at: 0 };
    let step = words.step()?;
    match words.next() {
        Some((extra, span)) => Err(bad(span, format!("expected the end of the line, but found `{extra}`"))),
        None => Ok(step),
    }
}

impl<'t> Words<'t> {
    pub(super) fn next(&mut self) -> Option<(&'t str, Range<usize>)> {
        let rest = self.text.get(self.at..)?;
        let start = self.at + (rest.len() - rest.trim_start().len());
        let word = self.text.get(start..).filter(|word| !word.is_empty())?;
        let len = match word.strip_prefix('"').and_then(|inside| inside.find('"')) {
            Some(inside) => inside + 2,
            // A value in brackets is one word, up to the last bracket of the line.
            None if word.starts_with(['[', '{']) => {
                word.rfind([']', '}']).map_or(word.len(), |last| last + 1)
            }
            None => word.find(char::is_whitespace).unwrap_or(word.len()),
        };
        self.at = start + len;
        Some((word.get(..len)?, self.offset + start..self.offset + start + len))
    }

    pub(super) fn expected(&mut self, what: &str) -> Result<(&'t str, Range<usize>), Finding> {
        let end = self.offset + self.text.len();
        self.next()
            .ok_or_else(|| bad(self.offset..end, format!("expected {what}, but found the end of the line")))
    }

    pub(super) fn step(&mut self) -> Result<Step, Finding> {
        let (word, span) = self.expected("a step")?;
        Ok(match word {
            "suppose" => self.suppose()?,
            "begin" => self.begin()?,
            "resume" => Step::Resume,
            "enter" => Step::Enter(self.level()?),
            "set" => self.write(Step::Set)?,
            "add" => self.write(Step::Add)?,
            "spend" => self.write(Step::Spend)?,
            "submit" => self.submit()?,
            "buy" => Step::Buy(self.unlock()?),
            "feed" => self.feed()?,
            "pause" => Step::Pause(self.on_or_off()?),
            "hold" => Step::Hold,
            "load" => Step::Load(self.yes()?),
            "suspend" => Step::Suspend,
            "autosave" => Step::Autosave(self.on_or_off()?),
            "put" => self.put()?,
            "take" => self.take()?,
            "tick" => self.tick()?,
            "reach" => self.reach()?,
            "die" => Step::Die,
            "respawn" => Step::Respawn,
            "retry" => Step::Retry,
            "finish" => self.finish()?,
            "leave" => Step::Leave,
            "end_run" => Step::EndRun,
            "save" => Step::Save,
            "quit" => Step::Quit,
            "kill" => Step::Kill(self.write_step()?),
            "launch" => Step::Launch(self.late()?),
            "elsewhere" => self.elsewhere()?,
            "slot" => Step::Slot(self.id("a slot")?),
            "pin" => Step::Pin(self.id("a name for the pin")?),
            "back_to" => Step::BackTo(self.id("the name of a pin")?, self.yes()?),
            "view" => self.view()?,
            "wait" => Step::Wait(self.time()?),
            "far" => Step::Far(Box::new(self.step()?)),
            "sync" => self.sync()?,
            "erase" => self.erase()?,
            "request" | "release" | "recall" | "put_by" | "record" | "make" | "change" | "destroy" => {
                Step::World(self.world(word)?)
            }
            "expect" => self.expect()?,
            "schema" | "given" => {
                return Err(bad(span, format!("`{word}` stands first in its line, on its own")));
            }
            "refused" => Step::Refused(Box::new(self.step()?)),
            other => return Err(meant(bad(span, format!("`{other}` is not a step")), other, &WORDS)),
        })
    }

    pub(super) fn level(&mut self) -> Result<Level, Finding> {
        let (word, span) = self.expected("a level")?;
        self.schema.level(word).map_err(|_| {
            let known: Vec<&str> = self.schema.levels.iter().map(|level| level.name.as_str()).collect();
            meant(bad(span, format!("`{word}` is not a declared level")), word, &known)
        })
    }

    /// `tick 500ms`, `tick 16.667ms 1799 times`
    pub(super) fn time(&mut self) -> Result<Duration, Finding> {
        let (word, span) = self.expected("a time")?;
        let time: Time = word.parse().map_err(|fault| bad(span.clone(), format!("{fault}")))?;
        let nanos = u64::try_from(time.as_nanos()).map_err(|_| bad(span, "expected a positive time"))?;
        Ok(Duration::from_nanos(nanos))
    }

    /// `elsewhere STEP`: an event, or an expectation about values or a level.
    fn elsewhere(&mut self) -> Result<Step, Finding> {
        let start = self.offset + self.at + 1;
        let step = self.step()?;
        match step.is_for_another_copy() {
            true => Ok(Step::Elsewhere(Box::new(step))),
            false => {
                Err(bad(start..self.offset + self.at, "expected an event or an expectation about values"))
            }
        }
    }

    /// `sync from far`, `sync to far`
    fn sync(&mut self) -> Result<Step, Finding> {
        let (word, span) = self.expected("`from` or `to`")?;
        let from_far = match word {
            "from" => true,
            "to" => false,
            other => return Err(bad(span, format!("expected `from` or `to`, but found `{other}`"))),
        };
        match self.expected("`far`")? {
            ("far", _) => Ok(Step::Sync { from_far }),
            (other, span) => Err(bad(span, format!("expected `far`, but found `{other}`"))),
        }
    }

    fn id(&mut self, what: &str) -> Result<String, Finding> {
        let (word, span) = self.expected(what)?;
        match Name::of_file(word) {
            Ok(name) => Ok(name.to_string()),
            Err(fault) => Err(bad(span, format!("`{word}` cannot be {what}: {fault}"))),
        }
    }

    /// `launch`, `launch late 2s`
    fn late(&mut self) -> Result<Duration, Finding> {
        match self.next() {
            None => Ok(Duration::ZERO),
            Some(("late", _)) => self.time(),
            Some((other, span)) => Err(bad(span, format!("expected `late` or the end, but found `{other}`"))),
        }
    }

    /// `kill`, `kill at half`
    fn write_step(&mut self) -> Result<Option<WriteStep>, Finding> {
        match self.next() {
            None => Ok(None),
            Some(("at", _)) => {
                let (word, span) = self.expected("a step of writing")?;
                let step = WriteStep::ALL.iter().copied().find(|step| step.as_str() == word);
                let words: Vec<&str> = WriteStep::ALL.iter().map(|step| step.as_str()).collect();
                let unknown = || bad(span, format!("`{word}` is not a step of writing"));
                step.map(Some).ok_or_else(|| meant(unknown(), word, &words))
            }
            Some((other, span)) => Err(bad(span, format!("expected `at` or the end, but found `{other}`"))),
        }
    }

    pub(super) fn on_or_off(&mut self) -> Result<bool, Finding> {
        match self.expected("`on` or `off`")? {
            ("on", _) => Ok(true),
            ("off", _) => Ok(false),
            (other, span) => Err(bad(span, format!("expected `on` or `off`, but found `{other}`"))),
        }
    }

    pub(super) fn yes(&mut self) -> Result<bool, Finding> {
        match self.next() {
            None => Ok(false),
            Some(("yes", _)) => Ok(true),
            Some((other, span)) => Err(bad(span, format!("expected `yes` or the end, but found `{other}`"))),
        }
    }
}
