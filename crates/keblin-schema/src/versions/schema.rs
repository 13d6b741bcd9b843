//! What a game opens its saves with: the model of its declaration, the versions before it, and what is made of it once.

use std::any::Any;
use std::ops::Deref;
use std::sync::Arc;

use super::derived::Derived;
use super::past::{self, Files, PastVersion};
use crate::declare::{Declared, Unnamed};
use crate::model::Model;
use crate::text::finding::Findings;

/// A game's declaration, checked, with the versions before it. Everything it declares is the [`Model`] that it
/// dereferences to.
#[derive(Clone, Debug)]
pub struct Schema {
    model: Model,
    past: Arc<[PastVersion]>,
    derived: Derived,
}

/// Declared by itself, without a version before it.
#[doc(hidden)]
impl From<Model> for Schema {
    fn from(model: Model) -> Schema {
        Schema { model, past: Arc::default(), derived: Derived::default() }
    }
}

impl Deref for Schema {
    type Target = Model;

    fn deref(&self) -> &Model {
        &self.model
    }
}

/// A schema and what was found in its texts that is not an error.
#[derive(Clone, Debug)]
pub struct Parsed {
    /// The schema.
    pub schema: Schema,
    /// Warnings and hints.
    pub findings: Findings,
    /// What was found in the versions before it, text by text.
    pub of_past: Vec<Findings>,
    unnamed: Unnamed,
}

impl Parsed {
    /// The findings, with a hint for every field that neither a rule or record names nor any of some other texts, such
    /// as rehearsals.
    #[must_use]
    pub fn findings_beside<'t>(&self, texts: impl IntoIterator<Item = &'t str>) -> Findings {
        self.unnamed.beside(texts, &self.schema, &self.findings)
    }
}

impl Schema {
    /// Parses and checks a declaration. `source_name` is what complaints call the text, as a rule its path.
    ///
    /// ```
    /// let text = "game = 'otter'\nversion = 1\n[fields.coppers]\ntype = 'int'\nscope = 'profile'\n";
    /// let parsed = keblin_schema::Schema::parse("progress.toml", text)?;
    /// assert_eq!(parsed.schema.fields[0].name.as_str(), "coppers");
    /// # Ok::<(), keblin_schema::Findings>(())
    /// ```
    ///
    /// # Errors
    /// All [`Findings`], if at least one of them is an error.
    pub fn parse(source_name: &str, text: &str) -> Result<Parsed, Findings> {
        let Declared { model, findings, unnamed } = Declared::parse(source_name, text)?;
        Ok(Parsed { schema: model.into(), findings, of_past: Vec::new(), unnamed })
    }

    /// Parses and checks a declaration with the versions before it. What is found in those is in [`Parsed::of_past`]; with
    /// an error there the schema opens no earlier saves.
    ///
    /// # Errors
    /// As [`Schema::parse`], for the declaration alone.
    pub fn parse_with_past(files: &Files) -> Result<Parsed, Findings> {
        let mut parsed = Schema::parse(&files.declaration.name, &files.declaration.text)?;
        let (past, found) = past::of(files, &parsed.schema);
        parsed.of_past = found;
        if parsed.of_past.iter().all(|findings| !findings.has_errors()) {
            parsed.schema.past = past.into();
        }
        Ok(parsed)
    }

    /// The versions before this one whose saves it opens, the oldest first, without a gap.
    #[must_use]
    pub fn past(&self) -> &[PastVersion] {
        &self.past
    }

    /// What somebody makes of this schema once and keeps with it: made at the first call, the same ever after. There is
    /// room for one type; another one is made each time.
    #[doc(hidden)]
    pub fn derived<T: Any + Send + Sync>(&self, make: impl Fn(&Schema) -> T) -> Arc<T> {
        self.derived.or_make(|| make(self))
    }
}
