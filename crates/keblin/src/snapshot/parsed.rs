//! A schema from the text of a declaration, for tools. A game's schema comes from the bytes that `schema!` made.

use keblin_model::Value;
use keblin_model::kind::Holds;
use keblin_schema::{Files, Findings, Unnamed};

use super::Schema;

/// A schema, with the warnings and hints about its texts.
#[derive(Debug)]
#[non_exhaustive]
pub struct Parsed {
    /// The schema.
    pub schema: Schema,
    /// Warnings and hints.
    pub findings: Findings,
    /// Findings about the past versions, text by text.
    pub of_past: Vec<Findings>,
    unnamed: Unnamed,
}

impl From<keblin_schema::Parsed> for Parsed {
    fn from(parsed: keblin_schema::Parsed) -> Parsed {
        let keblin_schema::Parsed { declaration, findings, of_past, unnamed, .. } = parsed;
        Parsed { schema: declaration.into(), findings, of_past, unnamed }
    }
}

impl Parsed {
    /// Returns the findings, with a hint for every field that no rule or record names, nor any of some other texts,
    /// such as rehearsals.
    #[must_use]
    pub fn findings_beside<'t>(&self, texts: impl IntoIterator<Item = &'t str>) -> Findings {
        self.unnamed.beside(texts, &self.schema, &self.findings)
    }
}

impl Schema {
    /// Parses and checks a declaration. `source_name` is the name of the text in messages, usually its path.
    ///
    /// ```
    /// let text = "game = 'otter'\nversion = 1\n[fields.coppers]\ntype = 'int'\nscope = 'profile'\n";
    /// let parsed = keblin::Schema::parse("progress.toml", text)?;
    /// assert_eq!(parsed.schema.fields[0].name.as_str(), "coppers");
    /// # Ok::<(), keblin::Findings>(())
    /// ```
    ///
    /// # Errors
    /// All [`Findings`], if at least one of them is an error.
    pub fn parse(source_name: &str, text: &str) -> Result<Parsed, Findings> {
        keblin_schema::parse(source_name, text).map(Parsed::from)
    }

    /// Parses and checks a declaration with its past versions. Findings about these are in [`Parsed::of_past`]; if
    /// one of them is an error, the schema opens no earlier saves.
    ///
    /// # Errors
    /// As [`Schema::parse`], for the declaration itself.
    pub fn parse_with_past(files: &Files) -> Result<Parsed, Findings> {
        keblin_schema::parse_with_past(files).map(Parsed::from)
    }

    /// Returns the declaration in its normal form: a text of TOML that reads back as this schema, apart from titles and
    /// `about`.
    #[must_use]
    pub fn normal_text(&self) -> String {
        keblin_schema::normal_text(self)
    }

    /// Reads a value as a declaration writes it: `["F-04"]`, `{ lit = true }`, `"90s"`.
    ///
    /// # Errors
    /// What is wrong with the text, as a sentence without a full stop.
    pub fn written(&self, holds: Holds, text: &str) -> Result<Value, String> {
        keblin_schema::written(self, holds, text)
    }
}
