//! Steps that expect something: parses what is expected.

use std::ops::Range;

use keblin_model::names::ConditionError;
use keblin_schema::Finding;

use super::expectation::Expectation;
use super::parse::{Words, bad, meant};
use super::step::{Shown, Step};
use crate::progress::Notice;

impl Words<'_> {
    /// `view expect …`: an expectation about values or a level.
    pub(super) fn view(&mut self) -> Result<Step, Finding> {
        let start = self.offset + self.at + 1;
        match self.step()? {
            step @ (Step::Expect(_) | Step::ExpectOpen { .. }) => Ok(Step::View(Box::new(step))),
            _ => Err(bad(start..self.offset + self.at, "expected an expectation about values or a level")),
        }
    }

    /// `expect open LEVEL [DIFFICULTY]`, `expect locked LEVEL [DIFFICULTY] [because "REASON"]`
    fn expect_open(&mut self, open: bool) -> Result<Step, Finding> {
        let level = self.level()?;
        let before = self.at;
        let difficulty = match self.next() {
            None => None,
            Some(("because", _)) if !open => {
                self.at = before;
                None
            }
            Some((word, span)) => {
                let known: Vec<&str> = self.schema.difficulties.iter().map(AsRef::as_ref).collect();
                let missing =
                    || meant(bad(span, format!("`{word}` is not a declared difficulty")), word, &known);
                Some(self.schema.difficulty(word).map_err(|_| missing())?)
            }
        };
        let because = match self.next() {
            Some(("because", _)) if !open => Some(self.quoted("part of a reason in quotes")?),
            Some((word, span)) => {
                return Err(bad(span, format!("expected the end of the line, but found `{word}`")));
            }
            None => None,
        };
        Ok(Step::ExpectOpen { level, difficulty, open, because })
    }

    fn quoted(&mut self, what: &str) -> Result<String, Finding> {
        let (word, span) = self.expected(what)?;
        let text = word.strip_prefix('"').and_then(|text| text.strip_suffix('"'));
        text.map(str::to_string).ok_or_else(|| bad(span, format!("expected {what}, but found `{word}`")))
    }

    pub(super) fn number(&mut self, what: &str) -> Result<usize, Finding> {
        let (word, span) = self.expected(what)?;
        word.parse().map_err(|_| bad(span, format!("expected {what}, but found `{word}`")))
    }

    /// `expect levels 7`, `expect position LEVEL 5`, `expect next LEVEL`, `expect next none`, `expect erased "NAME"`;
    /// `None` if it is a condition about a field of that name.
    fn expect_shown(&mut self, word: &str) -> Result<Option<Step>, Finding> {
        let before = self.at;
        let is_condition =
            self.next().is_none_or(|(word, _)| word.starts_with(|c: char| "=!<>+-*/.?&|".contains(c)));
        self.at = before;
        if is_condition {
            return Ok(None);
        }
        let shown = match word {
            "levels" => Shown::Levels(self.number("how many levels")?),
            "position" => Shown::Position(self.level()?, self.number("a position, from 1")?),
            "erased" => Shown::Erased(self.quoted("what is listed, in quotes")?),
            _ => match self.next() {
                Some(("none", _)) => Shown::Next(None),
                _ => {
                    self.at = before;
                    Shown::Next(Some(self.level()?))
                }
            },
        };
        Ok(Some(Step::ExpectShown(shown)))
    }

    /// `expect notice WORD once`, `… never`, `… 3 times`; what it is about may follow the word.
    fn expect_notice(&mut self) -> Result<Step, Finding> {
        let (word, span) = self.expected("a notice")?;
        let known = Notice::WORDS.iter().copied().find(|known| *known == word);
        let notice = known
            .ok_or_else(|| meant(bad(span, format!("`{word}` is not a notice")), word, Notice::WORDS))?;
        let before = self.at;
        let about = match self.next() {
            Some((word, span)) if !is_count(word) => Some(self.about(word, span)?),
            _ => {
                self.at = before;
                None
            }
        };
        let before = self.at;
        let times = match (&about, self.next()) {
            (Some(_), None) => 1,
            _ => {
                self.at = before;
                self.times()?
            }
        };
        Ok(Step::ExpectNotice { word: notice, about, times })
    }

    /// A field, level, checkpoint, unlock or moment.
    fn about(&self, word: &str, span: Range<usize>) -> Result<String, Finding> {
        let schema = self.schema;
        let fields = schema.fields.iter().map(|field| &field.name);
        let levels =
            schema.levels.iter().flat_map(|level| std::iter::once(&level.name).chain(&level.checkpoints));
        let unlocks = schema.unlocks.iter().map(|unlock| &unlock.name);
        let moments = schema.moments.iter().map(|moment| &moment.name);
        let known: Vec<&str> =
            fields.chain(levels).chain(unlocks).chain(moments).map(AsRef::as_ref).collect();
        match known.contains(&word) {
            true => Ok(word.to_string()),
            false => Err(meant(bad(span, format!("no notice is about `{word}`")), word, &known)),
        }
    }

    /// `expect moment MOMENT once`, `… never`, `… 3 times`
    fn expect_moment(&mut self) -> Result<Step, Finding> {
        let (word, span) = self.expected("a moment")?;
        let known: Vec<&str> = self.schema.moments.iter().map(|moment| moment.name.as_str()).collect();
        let moment = self.schema.moment(word);
        let moment = moment
            .map_err(|_| meant(bad(span, format!("`{word}` is not a declared moment")), word, &known))?;
        self.times().map(|times| Step::ExpectMoment(moment, times))
    }

    fn times(&mut self) -> Result<usize, Finding> {
        let (count, span) = self.expected("`once`, `never` or a number of times")?;
        Ok(match count {
            "once" => 1,
            "never" => 0,
            count => {
                let number = count.parse().map_err(|_| {
                    bad(span, format!("expected `once`, `never` or a number, but found `{count}`"))
                })?;
                match self.expected("`times`")? {
                    ("times", _) => number,
                    (other, span) => return Err(bad(span, format!("expected `times`, but found `{other}`"))),
                }
            }
        })
    }

    pub(super) fn expect(&mut self) -> Result<Step, Finding> {
        let start = self.at;
        match self.next() {
            Some(("open", _)) => return self.expect_open(true),
            Some(("locked", _)) => return self.expect_open(false),
            Some(("notice", _)) => return self.expect_notice(),
            Some(("moment", _)) => return self.expect_moment(),
            Some((word @ ("needs" | "area" | "object"), _)) if self.is_about_the_world() => {
                return self.expect_world(word).map(Step::World);
            }
            Some((word @ ("levels" | "position" | "next" | "erased"), _)) => match self.expect_shown(word)? {
                Some(step) => return Ok(step),
                None => self.at = start,
            },
            _ => self.at = start,
        }
        let rest = self.text.get(self.at..).unwrap_or_default();
        let start = self.offset + self.at + (rest.len() - rest.trim_start().len());
        self.at = self.text.len();
        let placed = |error: ConditionError| {
            let end = error.span.end.max(error.span.start + 1);
            let finding = bad(start + error.span.start..start + end, error.message);
            error.instead.map_or(finding.clone(), |instead| finding.instead(instead))
        };
        let (condition, nearest) = match rest.trim().rsplit_once(" to the nearest ") {
            Some((condition, nearest)) => (condition, Some(nearest.trim())),
            None => (rest.trim(), None),
        };
        let expectation = Expectation::compile(self.schema, condition).map_err(placed)?;
        let Some(nearest) = nearest else { return Ok(Step::Expect(Box::new(expectation))) };
        let rounded = expectation.rounded(nearest).ok_or_else(|| {
            let end = self.offset + self.text.len();
            bad(end - nearest.len()..end, "expected a positive number or time of the type of the value, after `NAME == VALUE to the nearest`")
        })?;
        Ok(Step::Expect(Box::new(rounded)))
    }
}

/// Returns whether a word says how often.
fn is_count(word: &str) -> bool {
    matches!(word, "once" | "never") || word.starts_with(|c: char| c.is_ascii_digit())
}
