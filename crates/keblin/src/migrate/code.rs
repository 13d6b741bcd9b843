//! A game's own code for a step that its keys cannot express. It is a function of the old values and of the new
//! values as far as the step has made them. The tool does not have it, and leaves such saves to the game.

use std::sync::Arc;

use keblin_model::Value;
use keblin_model::names::named;
use thiserror::Error;

use crate::progress::journal::Target;
use crate::progress::{Engine, Progress};
use crate::snapshot::{Schema, Snapshot};

/// Why a function could not be registered.
#[derive(Clone, Copy, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum CodeError {
    /// There is no step to that version.
    #[error("this schema does not have a step to version {to}")]
    NoStep {
        /// The version.
        to: u32,
    },
    /// The step has a function already.
    #[error("the step to version {to} has code already")]
    Twice {
        /// The version.
        to: u32,
    },
}

keblin_model::debug_as_display!(CodeError);

/// Registers a function that runs after the declared part of the step to version `to`. Call it once, before you open
/// any save. The fields it sets have `by = "code"` in the step. If the function returns an error, the error is
/// reported to the player, and the save is left untouched.
///
/// # Errors
/// [`CodeError`] if there is no such step, or it has a function already.
pub fn set_code(
    schema: &Schema,
    to: u32,
    code: impl Fn(&Progress, &mut Rewriting) -> Result<(), String> + Send + Sync + 'static,
) -> Result<(), CodeError> {
    let version = schema.past().iter().find(|past| past.step.to == to).ok_or(CodeError::NoStep { to })?;
    let on_snapshots = move |before: &Snapshot, now: &mut Snapshot| {
        let mut rewriting = Rewriting { snapshot: now.clone() };
        code(&Progress::of_engine(Engine::view(before)), &mut rewriting)?;
        *now = rewriting.snapshot;
        Ok(())
    };
    if version.set_code(Box::new(on_snapshots)) { Ok(()) } else { Err(CodeError::Twice { to }) }
}

/// The values of the version after a step, for the game's code to set.
#[derive(Debug)]
pub struct Rewriting {
    snapshot: Snapshot,
}

impl Rewriting {
    /// Returns the values as they are so far.
    #[must_use]
    pub fn progress(&self) -> Progress {
        Progress::of_engine(Engine::view(&self.snapshot))
    }

    /// Sets a value or a fact by its name, as in conditions: `rank`, `levels.reedgate.neap.best_crossing`,
    /// `levels.reedgate.neap.finished`.
    ///
    /// # Errors
    /// A sentence, for a name that is not a field or fact of this version, or a value that does not fit.
    pub fn put(&mut self, name: &str, value: Value) -> Result<(), String> {
        let schema = Arc::clone(&self.snapshot.schema);
        let asked = named(&schema, name).map_err(|error| error.to_string())?;
        let mut view = self.progress();
        let cell = match view.target(&asked) {
            Some(Target::Cell(cell)) => cell,
            Some(Target::Fact { .. }) => {
                view.engine_mut().put_asked(&asked, value).map_err(|refused| refused.to_string())?;
                // Only the facts: whether they unlock something is evaluated when the save is opened.
                self.snapshot.state.facts = view.snapshot().state.facts;
                return Ok(());
            }
            None => return Err(format!("`{name}` is not a field or fact of version {}", schema.version)),
        };
        let Some(field) = schema.field_at(cell) else { return Err(format!("`{name}` is not a field")) };
        let value = match (&value, field.kind) {
            (Value::Text(text), keblin_model::Kind::Id(ids)) => schema.id_value(ids, text).unwrap_or(value),
            _ => value,
        };
        schema.fit(field, &value).map_err(|unfit| format!("{name}: {unfit}"))?;
        if let Some(held) = self.snapshot.state.cells.get_mut(cell) {
            *held = value;
        }
        Ok(())
    }
}
