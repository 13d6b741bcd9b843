//! What a game opens its saves with: what it declares, the versions before it, and what is made of them once.

use std::fmt;
use std::ops::Deref;
use std::sync::{Arc, OnceLock};

use keblin_schema::steps::Step;
use keblin_schema::{Declaration, Files, Findings, Model, Unnamed};

use super::Snapshot;
use crate::grammar::plan::Plan;
use crate::grammar::tape::ByPath;

/// A game's declaration, checked, with the versions before it. Everything it declares is the [`Model`] that it
/// dereferences to.
#[derive(Debug)]
pub struct Schema {
    model: Model,
    past: Vec<PastVersion>,
    /// How its saves are written.
    plan: OnceLock<Plan>,
    /// The digest in its fingerprint.
    digest: OnceLock<[u8; 32]>,
}

/// A version of the past: what its saves are read by, and the step to the next.
#[non_exhaustive]
pub struct PastVersion {
    /// Its schema.
    pub schema: Arc<Schema>,
    /// The step from it.
    pub step: Step,
    /// What the game itself does in that step.
    code: OnceLock<Box<StepCode>>,
}

/// What a game does in a step, with the values before and those that the step has made so far. An error is a sentence.
pub(crate) type StepCode = dyn Fn(&Snapshot, &mut Snapshot) -> Result<(), String> + Send + Sync;

impl fmt::Debug for PastVersion {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (version, has_code) = (self.schema.version, self.code.get().is_some());
        f.debug_struct("PastVersion")
            .field("version", &version)
            .field("has_code", &has_code)
            .finish_non_exhaustive()
    }
}

impl PastVersion {
    /// Puts the game's own code for the step in place, once; whether this was the first.
    pub(crate) fn set_code(&self, code: Box<StepCode>) -> bool {
        self.code.set(code).is_ok()
    }

    /// The game's own code for the step.
    pub(crate) fn code(&self) -> Option<&StepCode> {
        self.code.get().map(Box::as_ref)
    }
}

/// Declared by itself, without a version before it.
impl From<Model> for Schema {
    fn from(model: Model) -> Schema {
        Schema { model, past: Vec::new(), plan: OnceLock::new(), digest: OnceLock::new() }
    }
}

impl From<Declaration> for Schema {
    fn from(declaration: Declaration) -> Schema {
        let Declaration { model, past, .. } = declaration;
        let past = past.into_iter().map(|past| PastVersion {
            schema: Arc::new(past.model.into()),
            step: past.step,
            code: OnceLock::new(),
        });
        Schema { past: past.collect(), ..model.into() }
    }
}

impl Deref for Schema {
    type Target = Model;

    fn deref(&self) -> &Model {
        &self.model
    }
}

/// A schema and what was found in its texts that is not an error.
#[derive(Debug)]
#[non_exhaustive]
pub struct Parsed {
    /// The schema.
    pub schema: Schema,
    /// Warnings and hints.
    pub findings: Findings,
    /// What was found in the versions before it, text by text.
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
    /// let parsed = keblin::Schema::parse("progress.toml", text)?;
    /// assert_eq!(parsed.schema.fields[0].name.as_str(), "coppers");
    /// # Ok::<(), keblin::Findings>(())
    /// ```
    ///
    /// # Errors
    /// All [`Findings`], if at least one of them is an error.
    pub fn parse(source_name: &str, text: &str) -> Result<Parsed, Findings> {
        Declaration::parse(source_name, text).map(Parsed::from)
    }

    /// Parses and checks a declaration with the versions before it. What is found in those is in [`Parsed::of_past`]; with
    /// an error there the schema opens no earlier saves.
    ///
    /// # Errors
    /// As [`Schema::parse`], for the declaration alone.
    pub fn parse_with_past(files: &Files) -> Result<Parsed, Findings> {
        Declaration::parse_with_past(files).map(Parsed::from)
    }

    /// The versions before this one whose saves it opens, the oldest first, without a gap.
    #[must_use]
    pub fn past(&self) -> &[PastVersion] {
        &self.past
    }

    /// How its saves are written.
    pub(crate) fn plan(&self) -> &Plan {
        self.plan.get_or_init(|| Plan::carrying(&self.model, &ByPath::new()))
    }

    /// The digest in its fingerprint, made once.
    pub(crate) fn digest(&self, of: impl FnOnce(&Model) -> [u8; 32]) -> [u8; 32] {
        *self.digest.get_or_init(|| of(&self.model))
    }
}
