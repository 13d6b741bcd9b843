//! Parses the text of a rehearsal into steps, one per line.

use std::sync::Arc;

use keblin_schema::source::Source;
use keblin_schema::{Code, Finding, Findings};

use super::parse::{bad, step};
use super::script::{Line, Rehearsal};
use super::step::Step;
use crate::snapshot::Schema;

/// The files that a rehearsal reads.
pub trait Beside {
    /// Returns the declaration that a step `schema FILE` names.
    ///
    /// # Errors
    /// Why it cannot be read, as a person reads it.
    fn schema(&mut self, file: &str) -> Result<Arc<Schema>, String>;

    /// Returns the bytes of the save that a step `given FILE` names.
    ///
    /// # Errors
    /// Why it cannot be read, as a person reads it.
    fn save(&mut self, _file: &str) -> Result<Vec<u8>, String> {
        Err("this rehearsal cannot read saves".to_string())
    }
}

impl<F: FnMut(&str) -> Result<Arc<Schema>, String>> Beside for F {
    fn schema(&mut self, file: &str) -> Result<Arc<Schema>, String> {
        self(file)
    }
}

impl Rehearsal {
    /// Returns this rehearsal with more lines after it, in the words of the last declaration.
    pub(crate) fn continued(&self, text: &str) -> Result<Rehearsal, Findings> {
        let schema = self.others.last().unwrap_or(&self.schema);
        let more = Rehearsal::parse(&self.name, text, schema)?;
        let last = self.lines.last().map_or(0, |line| line.number);
        let mut all = self.clone();
        all.lines.extend(more.lines.into_iter().map(|line| Line { number: last + line.number, ..line }));
        Ok(all)
    }

    /// Parses a rehearsal. `name` is its name in messages, usually its path.
    ///
    /// # Errors
    /// All [`Findings`]: each line that is not a step, and each name that the schema does not declare.
    pub fn parse(name: &str, text: &str, schema: &Arc<Schema>) -> Result<Rehearsal, Findings> {
        let without = |_: &str| Err("this rehearsal cannot read other declarations".to_string());
        Rehearsal::parse_with(name, text, schema, without)
    }

    /// Parses a rehearsal that reads other files. A function that returns the declaration of a step `schema FILE`, or why it
    /// cannot be read, is enough where no save is [`given`](Step::Given).
    ///
    /// # Errors
    /// As [`Rehearsal::parse`], and each file that cannot be read.
    pub fn parse_with(
        name: &str,
        text: &str,
        schema: &Arc<Schema>,
        mut beside: impl Beside,
    ) -> Result<Rehearsal, Findings> {
        let (mut lines, mut found) = (Vec::new(), Vec::new());
        let (mut others, mut saves) = (Vec::<Arc<Schema>>::new(), Vec::<Arc<[u8]>>::new());
        let mut start = 0;
        for (index, line) in text.split('\n').enumerate() {
            let content = without_comment(line);
            let step_text = content.trim();
            if !step_text.is_empty() {
                let at = start + (content.len() - content.trim_start().len());
                let unread = |error: String| bad(at..at + step_text.len(), error);
                let parsed = match step_text.split_once(' ').map(|(word, file)| (word, file.trim())) {
                    Some(("schema", file)) => beside.schema(file).map_err(unread).map(|other| {
                        others.push(other);
                        Step::Schema(others.len() - 1)
                    }),
                    Some(("given", file)) => beside.save(file).map_err(unread).map(|save| {
                        saves.push(save.into());
                        Step::Given(saves.len() - 1)
                    }),
                    _ => step(others.last().unwrap_or(schema), step_text, at),
                };
                match parsed {
                    Ok(step) => lines.push(Line { number: index + 1, text: step_text.to_string(), step }),
                    Err(finding) => found.push(finding),
                }
            }
            start += line.len() + 1;
        }
        if lines.is_empty() && found.is_empty() {
            let finding = Finding::error(Code::BadStep, 0..0, "this rehearsal does not have any steps");
            found.push(finding.instead("begin with `begin`"));
        }
        match found.is_empty() {
            true => {
                Ok(Rehearsal { name: name.to_string(), schema: Arc::clone(schema), others, saves, lines })
            }
            false => Err(Findings::new(Source::new(name, text), found)),
        }
    }
}

/// Returns a line up to its `#`, unless that is inside a text.
pub(crate) fn without_comment(line: &str) -> &str {
    let mut in_text = false;
    let end = line.char_indices().find(|(_, c)| {
        in_text ^= *c == '"';
        *c == '#' && !in_text
    });
    end.map_or(line, |(at, _)| line.get(..at).unwrap_or(line))
}
