//! From the text of a declaration to a model, or to all its mistakes.
//!
//! ```text
//! text ──► parse ──► Declarations, each with its place ──► check ──► Model
//! ```

/// From text to declarations, each with its place.
pub(crate) mod parse;

/// From declarations to a model: resolves every name, and checks every rule that spans two places.
pub(crate) mod check;

use std::collections::HashSet;

use crate::model::Model;
use crate::text::finding::{Finding, Findings};
use crate::text::source::Source;
use crate::value::Value;
use crate::value::kind::Holds;

/// A model, with the warnings and hints about its declaration.
#[derive(Clone, Debug)]
pub(crate) struct Declared {
    /// The model.
    pub(crate) model: Model,
    /// Warnings and hints.
    pub(crate) findings: Findings,
    /// The fields that no rule or record names.
    pub(crate) unnamed: Unnamed,
}

/// A hint for every field that no rule or record names, by its position.
#[derive(Clone, Debug)]
pub struct Unnamed(Vec<(usize, Finding)>);

impl Declared {
    /// Parses and checks a declaration on its own. `source_name` is the name of the text in messages, usually its
    /// path.
    ///
    /// # Errors
    /// All [`Findings`], if at least one of them is an error.
    pub(crate) fn parse(source_name: &str, text: &str) -> Result<Declared, Findings> {
        let mut list = Vec::new();
        let declared = parse::declarations(text, &mut list);
        let resolved = check::resolve(declared, &mut list);
        let findings = Findings::new(Source::new(source_name, text), list);
        match resolved {
            Some((model, unnamed)) if !findings.has_errors() => {
                Ok(Declared { model, findings, unnamed: Unnamed(unnamed) })
            }
            _ => Err(findings),
        }
    }
}

impl Unnamed {
    /// Returns the findings, with a hint for each field that none of some other texts names either.
    #[must_use]
    pub fn beside<'t>(
        &self,
        texts: impl IntoIterator<Item = &'t str>,
        model: &Model,
        findings: &Findings,
    ) -> Findings {
        let is_part = |c: char| c.is_ascii_alphanumeric() || c == '_';
        let words: HashSet<&str> =
            texts.into_iter().flat_map(|text| text.split(move |c| !is_part(c))).collect();
        let is_named =
            |field: usize| model.fields.get(field).is_some_and(|field| words.contains(field.name.as_str()));
        let hints = self.0.iter().filter(|(field, _)| !is_named(*field)).map(|(_, hint)| hint.clone());
        let list = findings.list().iter().cloned().chain(hints).collect();
        Findings::new(findings.source().clone(), list).and_more(findings.more())
    }
}

/// Reads a value as a declaration writes it: `["F-04"]`, `{ lit = true }`, `"90s"`.
///
/// # Errors
/// What is wrong with the text, as a sentence without a full stop.
pub fn written(model: &Model, holds: Holds, text: &str) -> Result<Value, String> {
    parse::value::written(model, holds, text)
}
