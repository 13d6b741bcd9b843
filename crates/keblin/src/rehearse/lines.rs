//! Parses the text of a rehearsal into steps, one per line.

use std::sync::Arc;

use keblin_schema::source::Source;
use keblin_schema::{Code, Finding, Findings};

use super::parse::{bad, step};
use super::script::{Line, Rehearsal};
use super::step::Step;
use crate::snapshot::Schema;

impl Rehearsal {
    /// Parses a rehearsal. `name` is its name in messages, usually its path.
    ///
    /// # Errors
    /// All [`Findings`]: each line that is not a step, and each name that the schema does not declare.
    pub fn parse(name: &str, text: &str, schema: &Arc<Schema>) -> Result<Rehearsal, Findings> {
        let without = |_: &str| Err("this rehearsal cannot read other declarations".to_string());
        Rehearsal::parse_with(name, text, schema, without)
    }

    /// Parses a rehearsal with several builds of a game. `other` returns the declaration that a step `schema FILE`
    /// names, or why it cannot be read.
    ///
    /// # Errors
    /// As [`Rehearsal::parse`], and each declaration that cannot be read.
    pub fn parse_with(
        name: &str,
        text: &str,
        schema: &Arc<Schema>,
        mut other: impl FnMut(&str) -> Result<Arc<Schema>, String>,
    ) -> Result<Rehearsal, Findings> {
        let (mut lines, mut found) = (Vec::new(), Vec::new());
        let mut others: Vec<Arc<Schema>> = Vec::new();
        let mut start = 0;
        for (index, line) in text.split('\n').enumerate() {
            let content = without_comment(line);
            let step_text = content.trim();
            if !step_text.is_empty() {
                let at = start + (content.len() - content.trim_start().len());
                let of_build = step_text.strip_prefix("schema ").map(str::trim);
                let parsed = match of_build {
                    Some(file) => {
                        other(file).map_err(|error| bad(at..at + step_text.len(), error)).map(|other| {
                            others.push(other);
                            Step::Schema(others.len() - 1)
                        })
                    }
                    None => step(others.last().unwrap_or(schema), step_text, at),
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
            true => Ok(Rehearsal { name: name.to_string(), schema: Arc::clone(schema), others, lines }),
            false => Err(Findings::new(Source::new(name, text), found)),
        }
    }
}

/// Returns a line up to its `#`, unless that is inside a text.
fn without_comment(line: &str) -> &str {
    let mut in_text = false;
    let end = line.char_indices().find(|(_, c)| {
        in_text ^= *c == '"';
        *c == '#' && !in_text
    });
    end.map_or(line, |(at, _)| line.get(..at).unwrap_or(line))
}
