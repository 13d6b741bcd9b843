//! From text to steps. Every name is resolved against the schema here, so that a misspelt one is told with its place
//! before anything runs, all of them at once.

use std::ops::Range;
use std::sync::Arc;
use std::time::Duration;

use keblin_schema::condition::names::{Asked, resolve};
use keblin_schema::condition::{self, Comparison, ConditionError, Expr, Part};
use keblin_schema::name::nearest;
use keblin_schema::source::Source;
use keblin_schema::{Code, Difficulty, Finding, Findings, Kind, Level, Schema, Time, Value};

/// A rehearsal: steps in order.
#[derive(Clone, Debug)]
pub struct Rehearsal {
    pub(super) name: String,
    pub(super) schema: Arc<Schema>,
    pub(super) lines: Vec<Line>,
}

/// A step and where it stands.
#[derive(Clone, Debug)]
pub struct Line {
    /// Counted from 1.
    pub number: usize,
    /// As written, without its comment.
    pub text: String,
    /// What it does.
    pub step: Step,
}

/// What a line of a rehearsal does.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Step {
    /// Puts a made-up value in place.
    Suppose(Asked, Value),
    /// Begins a run.
    Begin {
        /// On this difficulty; `None` is the one last chosen.
        difficulty: Option<Difficulty>,
        /// In place of one that is under way.
        replacing: bool,
    },
    /// Goes on with a run or a level.
    Resume,
    /// Enters a level.
    Enter(Level),
    /// Sets a value.
    Set(Asked, Value),
    /// Adds to a value.
    Add(Asked, Value),
    /// Spends some of a value.
    Spend(Asked, Value),
    /// Offers a record.
    Submit(Asked, Value),
    /// Lets time pass.
    Tick(Duration),
    /// Reaches the checkpoint of this name in the level being played.
    Reach(String),
    /// Dies.
    Die,
    /// Comes back after a death.
    Respawn,
    /// Tries the level again.
    Retry,
    /// Finishes the level, with a rating if one is given.
    Finish(Option<i64>),
    /// Leaves the level for the map.
    Leave,
    /// Gives the run up.
    EndRun,
    /// Saves.
    Save,
    /// Saves and closes the game.
    Quit,
    /// Closes the game without saving.
    Kill,
    /// Opens the game again.
    Launch,
    /// Holds a value against another.
    Expect(Asked, Comparison, Value),
    /// Does a step that must be refused.
    Refused(Box<Step>),
}

const WORDS: [&str; 22] = [
    "suppose", "begin", "resume", "enter", "set", "add", "spend", "submit", "tick", "reach", "die",
    "respawn", "retry", "finish", "leave", "end_run", "save", "quit", "kill", "launch", "expect", "refused",
];

impl Rehearsal {
    /// Parses a rehearsal. `name` is what complaints call it, as a rule its path.
    ///
    /// # Errors
    /// All [`Findings`]: each line that is not a step, and each name that the schema does not declare.
    pub fn parse(name: &str, text: &str, schema: &Arc<Schema>) -> Result<Rehearsal, Findings> {
        let (mut lines, mut found) = (Vec::new(), Vec::new());
        let mut start = 0;
        for (index, line) in text.split('\n').enumerate() {
            let content = without_comment(line);
            let step_text = content.trim();
            if !step_text.is_empty() {
                let at = start + (content.len() - content.trim_start().len());
                match step(schema, step_text, at) {
                    Ok(step) => lines.push(Line { number: index + 1, text: step_text.to_string(), step }),
                    Err(finding) => found.push(finding),
                }
            }
            start += line.len() + 1;
        }
        if lines.is_empty() && found.is_empty() {
            let finding = Finding::error(Code::BadStep, 0..0, "there is no step in this rehearsal");
            found.push(finding.instead("begin with `begin`"));
        }
        match found.is_empty() {
            true => Ok(Rehearsal { name: name.to_string(), schema: Arc::clone(schema), lines }),
            false => Err(Findings::new(Source::new(name, text), found)),
        }
    }

    /// The steps, in order.
    #[must_use]
    pub fn lines(&self) -> &[Line] {
        &self.lines
    }
}

/// A line up to its `#`, unless that stands in a text.
fn without_comment(line: &str) -> &str {
    let mut in_text = false;
    let end = line.char_indices().find(|(_, c)| {
        in_text ^= *c == '"';
        *c == '#' && !in_text
    });
    end.map_or(line, |(at, _)| line.get(..at).unwrap_or(line))
}

/// The words of a step with their places; a text in quotes is one word.
struct Words<'t> {
    schema: &'t Schema,
    text: &'t str,
    offset: usize,
    at: usize,
}

fn bad(span: Range<usize>, message: impl Into<String>) -> Finding {
    Finding::error(Code::BadStep, span, message)
}

fn meant(finding: Finding, word: &str, known: &[&str]) -> Finding {
    match nearest(word, known.iter().copied()) {
        Some(nearest) => finding.instead(format!("did you mean `{nearest}`?")),
        None if known.is_empty() => finding,
        None => finding.instead(format!("known: {}", known.join(", "))),
    }
}

fn step(schema: &Schema, text: &str, offset: usize) -> Result<Step, Finding> {
    let mut words = Words { schema, text, offset, at: 0 };
    let step = words.step()?;
    match words.next() {
        Some((extra, span)) => Err(bad(span, format!("expected the end of the line, but found `{extra}`"))),
        None => Ok(step),
    }
}

impl<'t> Words<'t> {
    fn next(&mut self) -> Option<(&'t str, Range<usize>)> {
        let rest = self.text.get(self.at..)?;
        let start = self.at + (rest.len() - rest.trim_start().len());
        let word = self.text.get(start..).filter(|word| !word.is_empty())?;
        let len = match word.strip_prefix('"').and_then(|inside| inside.find('"')) {
            Some(inside) => inside + 2,
            None => word.find(char::is_whitespace).unwrap_or(word.len()),
        };
        self.at = start + len;
        Some((word.get(..len)?, self.offset + start..self.offset + start + len))
    }

    fn expected(&mut self, what: &str) -> Result<(&'t str, Range<usize>), Finding> {
        let end = self.offset + self.text.len();
        self.next()
            .ok_or_else(|| bad(self.offset..end, format!("expected {what}, but found the end of the line")))
    }

    fn step(&mut self) -> Result<Step, Finding> {
        let (word, span) = self.expected("a step")?;
        Ok(match word {
            "suppose" => self.suppose()?,
            "begin" => self.begin()?,
            "resume" => Step::Resume,
            "enter" => Step::Enter(self.level()?),
            "set" => self.write(Step::Set)?,
            "add" => self.write(Step::Add)?,
            "spend" => self.write(Step::Spend)?,
            "submit" => self.write(Step::Submit)?,
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
            "kill" => Step::Kill,
            "launch" => Step::Launch,
            "expect" => self.expect()?,
            "refused" => Step::Refused(Box::new(self.step()?)),
            other => return Err(meant(bad(span, format!("there is no step `{other}`")), other, &WORDS)),
        })
    }

    fn suppose(&mut self) -> Result<Step, Finding> {
        let (asked, _) = self.name()?;
        let (sign, span) = self.expected("`=`")?;
        if sign != "=" {
            return Err(bad(span, format!("expected `=`, but found `{sign}`")));
        }
        let value = self.value(&asked)?;
        Ok(Step::Suppose(asked, value))
    }

    fn write(&mut self, step: fn(Asked, Value) -> Step) -> Result<Step, Finding> {
        let (asked, span) = self.name()?;
        if !matches!(asked, Asked::Field { .. }) {
            return Err(
                bad(span, "only fields can be written; facts follow from events").instead("use `suppose`")
            );
        }
        let value = self.value(&asked)?;
        Ok(step(asked, value))
    }

    fn begin(&mut self) -> Result<Step, Finding> {
        let (mut difficulty, mut replacing) = (None, false);
        while let Some((word, span)) = self.next() {
            match self.schema.difficulty(word) {
                Ok(found) => difficulty = Some(found),
                Err(_) if word == "replacing" => replacing = true,
                Err(_) => {
                    let known: Vec<&str> = self.schema.difficulties.iter().map(AsRef::as_ref).collect();
                    let known = [known.as_slice(), &["replacing"]].concat();
                    return Err(meant(
                        bad(span, format!("no difficulty `{word}` is declared")),
                        word,
                        &known,
                    ));
                }
            }
        }
        Ok(Step::Begin { difficulty, replacing })
    }

    fn level(&mut self) -> Result<Level, Finding> {
        let (word, span) = self.expected("a level")?;
        self.schema.level(word).map_err(|_| {
            let known: Vec<&str> = self.schema.levels.iter().map(|level| level.name.as_str()).collect();
            meant(bad(span, format!("no level `{word}` is declared")), word, &known)
        })
    }

    fn reach(&mut self) -> Result<Step, Finding> {
        let (word, span) = self.expected("a checkpoint")?;
        let known: Vec<&str> =
            self.schema.levels.iter().flat_map(|level| &level.checkpoints).map(AsRef::as_ref).collect();
        match known.contains(&word) {
            true => Ok(Step::Reach(word.to_string())),
            false => Err(meant(bad(span, format!("no checkpoint `{word}` is declared")), word, &known)),
        }
    }

    fn tick(&mut self) -> Result<Step, Finding> {
        let (word, span) = self.expected("a time")?;
        let time: Time = word.parse().map_err(|fault| bad(span.clone(), format!("{fault}")))?;
        let nanos = u64::try_from(time.as_nanos()).map_err(|_| bad(span, "time does not run backwards"))?;
        Ok(Step::Tick(Duration::from_nanos(nanos)))
    }

    fn finish(&mut self) -> Result<Step, Finding> {
        match self.next() {
            None => Ok(Step::Finish(None)),
            Some(("stars", _)) => {
                let (word, span) = self.expected("how many stars")?;
                let stars = word
                    .parse()
                    .map_err(|_| bad(span, format!("expected a whole number, found `{word}`")))?;
                Ok(Step::Finish(Some(stars)))
            }
            Some((other, span)) => Err(bad(span, format!("expected `stars`, but found `{other}`"))),
        }
    }

    fn expect(&mut self) -> Result<Step, Finding> {
        let rest = self.text.get(self.at..).unwrap_or_default();
        let start = self.offset + self.at + (rest.len() - rest.trim_start().len());
        self.at = self.text.len();
        let placed = |error: ConditionError| {
            let end = error.span.end.max(error.span.start + 1);
            let finding = bad(start + error.span.start..start + end, error.message);
            error.instead.map_or(finding.clone(), |instead| finding.instead(instead))
        };
        let (path, comparison, literal) = match condition::parse(rest.trim()).map_err(placed)? {
            Expr::Compare(path, comparison, literal) => (path, comparison, literal),
            Expr::Path(path) => {
                let span = path.first().map_or(0..0, |part| part.span.clone());
                let end = condition::Literal { value: Value::Bool(true), span };
                (path, Comparison::Equal, end)
            }
            _ => return Err(bad(start..start + rest.trim().len(), "expected a comparison")),
        };
        let asked = resolve(self.schema, &path).map_err(placed)?;
        let kind = asked.kind(self.schema);
        let ordered = matches!(comparison, Comparison::Equal | Comparison::NotEqual)
            || matches!(kind, Kind::Int | Kind::Time) && literal.value != Value::Unset;
        if literal.value.kind().is_some_and(|found| found != kind) || !ordered {
            let span = start + literal.span.start..start + literal.span.end;
            return Err(bad(span, format!("expected {}, but found {}", example(kind), literal.value)));
        }
        Ok(Step::Expect(asked, comparison, literal.value))
    }

    /// A name made of parts, such as `oil` or `levels.reedgate.stars`.
    fn name(&mut self) -> Result<(Asked, Range<usize>), Finding> {
        let (word, span) = self.expected("a name")?;
        let mut parts = Vec::new();
        let mut start = 0;
        for part in word.split('.') {
            parts.push(Part { word: part.to_string(), span: start..start + part.len() });
            start += part.len() + 1;
        }
        match resolve(self.schema, &parts) {
            Ok(asked) => Ok((asked, span)),
            Err(error) => {
                let finding = bad(span.start + error.span.start..span.start + error.span.end, error.message);
                Err(error.instead.map_or(finding.clone(), |instead| finding.instead(instead)))
            }
        }
    }

    /// A value of the kind of a name: `31`, `true`, `92.4s`, `"F-04"`, or `null`.
    fn value(&mut self, asked: &Asked) -> Result<Value, Finding> {
        let (word, span) = self.expected("a value")?;
        let kind = asked.kind(self.schema);
        let value = match (kind, word) {
            (_, "null") => Some(Value::Unset),
            (Kind::Bool, "true") => Some(Value::Bool(true)),
            (Kind::Bool, "false") => Some(Value::Bool(false)),
            (Kind::Int, number) => number.parse().ok().map(Value::Int),
            (Kind::Time, time) => time.parse().ok().map(Value::Time),
            (Kind::Text, text) => {
                text.strip_prefix('"').and_then(|text| text.strip_suffix('"')).map(Value::text)
            }
            _ => None,
        };
        value.ok_or_else(|| bad(span, format!("expected {}, but found `{word}`", example(kind))))
    }
}

fn example(kind: Kind) -> &'static str {
    match kind {
        Kind::Bool => "true or false",
        Kind::Int => "a whole number",
        Kind::Time => "a time such as 92.4s, in conditions duration('92.4s')",
        _ => "a text such as \"F-04\"",
    }
}
