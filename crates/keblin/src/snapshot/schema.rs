//! What a game opens its saves with: its declaration, the past versions, and what is derived from them once.

use std::fmt;
use std::ops::Deref;
use std::sync::{Arc, OnceLock};

use keblin_model::versions::step::Step;
use keblin_model::{Declaration, Model};

use super::Snapshot;
use crate::grammar::plan::Plan;
use crate::grammar::template::ByPath;

/// A game's declaration, checked, with its past versions. It dereferences to its [`Model`].
/// [`schema!`](crate::schema) makes one at compile time; with the feature
/// `parse`, `Schema::parse` makes one at run time.
pub struct Schema {
    model: Model,
    past: Vec<PastVersion>,
    /// How its saves are written.
    plan: OnceLock<Plan>,
    /// The digest in its fingerprint.
    digest: OnceLock<[u8; 32]>,
}

/// Short, because it would fill pages: the game and the version.
impl fmt::Debug for Schema {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Schema({}, version {})", self.game, self.version)
    }
}

/// A past version: its schema, and the step to the next version.
#[non_exhaustive]
pub struct PastVersion {
    /// Its schema.
    pub schema: Arc<Schema>,
    /// The step from it.
    pub step: Step,
    /// The game's own code in that step.
    code: OnceLock<Box<StepCode>>,
}

/// A game's code in a step, with the old values and those that the step has made so far. An error is a sentence.
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
    /// Registers the game's own code for the step; returns whether it was the first.
    pub(crate) fn set_code(&self, code: Box<StepCode>) -> bool {
        self.code.set(code).is_ok()
    }

    /// Returns the game's own code for the step.
    pub(crate) fn code(&self) -> Option<&StepCode> {
        self.code.get().map(Box::as_ref)
    }
}

/// Makes a schema without past versions.
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

impl Schema {
    /// Returns the past versions whose saves it opens, the oldest first, without a gap.
    #[must_use]
    pub fn past(&self) -> &[PastVersion] {
        &self.past
    }

    /// Returns how its saves are written.
    pub(crate) fn plan(&self) -> &Plan {
        self.plan.get_or_init(|| Plan::carrying(&self.model, &ByPath::new()))
    }

    /// Returns the digest in its fingerprint, made once.
    pub(crate) fn digest(&self, of: impl FnOnce(&Model) -> [u8; 32]) -> [u8; 32] {
        *self.digest.get_or_init(|| of(&self.model))
    }
}
