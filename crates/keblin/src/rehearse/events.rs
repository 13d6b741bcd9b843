//! Parses the steps that are events: begin, reach, tick, finish, erase and feed.

use keblin_model::Unlock;
use keblin_schema::Finding;

use super::parse::{Words, bad, meant};
use super::step::{Feed, Step};
use crate::progress::Erase;

impl Words<'_> {
    pub(super) fn begin(&mut self) -> Result<Step, Finding> {
        let (mut difficulty, mut replacing) = (None, false);
        while let Some((word, span)) = self.next() {
            match self.schema.difficulty(word) {
                Ok(found) => difficulty = Some(found),
                Err(_) if word == "replacing" => replacing = true,
                Err(_) => {
                    let known: Vec<&str> = self.schema.difficulties.iter().map(AsRef::as_ref).collect();
                    let known = [known.as_slice(), &["replacing"]].concat();
                    return Err(meant(
                        bad(span, format!("`{word}` is not a declared difficulty")),
                        word,
                        &known,
                    ));
                }
            }
        }
        Ok(Step::Begin { difficulty, replacing })
    }

    pub(super) fn reach(&mut self) -> Result<Step, Finding> {
        let (word, span) = self.expected("a checkpoint")?;
        let known: Vec<&str> =
            self.schema.levels.iter().flat_map(|level| &level.checkpoints).map(AsRef::as_ref).collect();
        match known.contains(&word) {
            true => Ok(Step::Reach(word.to_string())),
            false => Err(meant(bad(span, format!("`{word}` is not a declared checkpoint")), word, &known)),
        }
    }

    /// `buy iron_pole`
    pub(super) fn unlock(&mut self) -> Result<Unlock, Finding> {
        let (word, span) = self.expected("an unlock")?;
        self.schema.unlock(word).map_err(|_| {
            let known: Vec<&str> = self.schema.unlocks.iter().map(|unlock| unlock.name.as_str()).collect();
            meant(bad(span, format!("`{word}` is not a declared unlock")), word, &known)
        })
    }

    pub(super) fn tick(&mut self) -> Result<Step, Finding> {
        let elapsed = self.time()?;
        let times = match self.next() {
            None => 1,
            Some((count, span)) => {
                let times = frames(count).ok_or_else(|| {
                    bad(span, format!("expected how often, {AT_MOST}, but found `{count}`"))
                })?;
                match self.expected("`times`")? {
                    ("times", _) => times,
                    (other, span) => return Err(bad(span, format!("expected `times`, but found `{other}`"))),
                }
            }
        };
        Ok(Step::Tick(elapsed, times))
    }

    pub(super) fn finish(&mut self) -> Result<Step, Finding> {
        match self.next() {
            None => Ok(Step::Finish(None)),
            Some(("stars", _)) => {
                let (word, span) = self.expected("how many stars")?;
                let stars = word
                    .parse()
                    .map_err(|_| bad(span, format!("expected a whole number, but found `{word}`")))?;
                Ok(Step::Finish(Some(stars)))
            }
            Some((other, span)) => Err(bad(span, format!("expected `stars`, but found `{other}`"))),
        }
    }

    pub(super) fn erase(&mut self) -> Result<Step, Finding> {
        let start = self.at;
        let what = match self.expected("what to erase")? {
            ("profile", _) => Erase::Profile,
            ("level", _) => {
                let level = self.level()?;
                let after = self.at;
                let difficulty = self.next().and_then(|(word, _)| self.schema.difficulty(word).ok());
                // A word that is not a difficulty belongs to what follows.
                self.at = if difficulty.is_some() { self.at } else { after };
                Erase::Level(level, difficulty)
            }
            ("reset", _) => {
                let (word, span) = self.expected("a reset")?;
                let known: Vec<&str> = self.schema.resets.iter().map(|reset| reset.name.as_str()).collect();
                let missing = |_| meant(bad(span, format!("`{word}` is not a declared reset")), word, &known);
                Erase::Reset(self.schema.reset(word).map_err(missing)?)
            }
            ("field", _) => {
                let (word, span) = self.expected("a field")?;
                let known: Vec<&str> = self.schema.fields.iter().map(|field| field.name.as_str()).collect();
                let missing = || meant(bad(span, format!("`{word}` is not a declared field")), word, &known);
                Erase::Field(self.schema.field_named(word).ok_or_else(missing)?.0)
            }
            _ => {
                self.at = start;
                Erase::Named(self.name()?.0)
            }
        };
        self.yes().map(|yes| Step::Erase(what, yes))
    }

    /// `feed death for 45 frames`, `feed reach willow for 200 frames`, `feed nothing for 10 frames`
    pub(super) fn feed(&mut self) -> Result<Step, Finding> {
        let signal = match self.expected("`death`, `finish`, `reach` or `nothing`")? {
            ("death", _) => Some(Feed::Death),
            ("finish", _) => Some(Feed::Finish),
            ("nothing", _) => None,
            ("reach", _) => match self.reach()? {
                Step::Reach(checkpoint) => Some(Feed::Reach(checkpoint)),
                _ => None,
            },
            (other, span) => {
                return Err(meant(
                    bad(span, format!("`{other}` is not a signal")),
                    other,
                    &["death", "finish", "reach", "nothing"],
                ));
            }
        };
        match self.expected("`for`")? {
            ("for", _) => {}
            (other, span) => return Err(bad(span, format!("expected `for`, but found `{other}`"))),
        }
        let (count, span) = self.expected("how many frames")?;
        let frames = frames(count)
            .ok_or_else(|| bad(span, format!("expected a number, {AT_MOST}, but found `{count}`")))?;
        match self.expected("`frames`")? {
            ("frames", _) => Ok(Step::Feed(signal, frames)),
            (other, span) => Err(bad(span, format!("expected `frames`, but found `{other}`"))),
        }
    }
}

/// The most frames of one line: more than four hours of play.
const MAX_FRAMES: usize = 1_000_000;
const AT_MOST: &str = "at most 1000000";

/// Returns how many frames a word asks for; `None` if it is not a number, or too large for one line.
fn frames(word: &str) -> Option<usize> {
    word.parse().ok().filter(|frames| *frames <= MAX_FRAMES)
}
