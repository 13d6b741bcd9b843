//! What the game itself does in a step, where words are not enough. It is a function of the values of before and those of
//! now as far as the step has made them; the tool does not have it, and leaves such saves to the game.

use std::sync::Arc;

use keblin_schema::Value;
use keblin_schema::condition::names::resolve;
use keblin_schema::condition::{Node, parse};
use thiserror::Error;

use crate::progress::journal::Target;
use crate::progress::{Engine, Progress};
use crate::snapshot::{Schema, Snapshot};

/// Why a function was not put in place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[non_exhaustive]
pub enum CodeError {
    /// No step leads to that version.
    #[error("no step leads to version {to} of this schema")]
    NoStep {
        /// The version.
        to: u32,
    },
    /// There is one already.
    #[error("the step to version {to} has code already")]
    Twice {
        /// The version.
        to: u32,
    },
}

/// Says what the game does in the step to a version, after what the step declares. To be called once, before any save is
/// opened; the fields it is there for say `by = "code"` in the step. An error of it is told to the player, and leaves the
/// save as it is.
///
/// # Errors
/// [`CodeError`] if no step leads there, or it has code already.
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

/// The values of the version after a step, to be put in place.
#[derive(Debug)]
pub struct Rewriting {
    snapshot: Snapshot,
}

impl Rewriting {
    /// The values as they are so far.
    #[must_use]
    pub fn progress(&self) -> Progress {
        Progress::of_engine(Engine::view(&self.snapshot))
    }

    /// Puts a value or a fact in place by its name, as conditions name it: `rank`, `levels.reedgate.neap.best_crossing`,
    /// `levels.reedgate.neap.finished`.
    ///
    /// # Errors
    /// A sentence, for a name that is no field or fact of this version, or a value that it cannot have.
    pub fn put(&mut self, name: &str, value: Value) -> Result<(), String> {
        let schema = Arc::clone(&self.snapshot.schema);
        let expr = parse(name).map_err(|error| error.to_string())?;
        let Node::Path(path) = &expr.node else { return Err(format!("`{name}` is no name")) };
        let asked = resolve(&schema, path).map_err(|error| error.to_string())?;
        let mut view = self.progress();
        let cell = match view.target(&asked) {
            Some(Target::Cell(cell)) => cell,
            Some(Target::Fact { .. }) => {
                view.engine_mut().put_asked(&asked, value).map_err(|refused| refused.to_string())?;
                // The facts alone: what they would unlock now is asked when the save is opened.
                self.snapshot.state.facts = view.snapshot().state.facts;
                return Ok(());
            }
            None => return Err(format!("`{name}` is no field or fact of version {}", schema.version)),
        };
        let Some(field) = schema.field_at(cell) else { return Err(format!("`{name}` is no field")) };
        let value = match (&value, field.kind) {
            (Value::Text(text), keblin_schema::Kind::Id(ids)) => schema.id_value(ids, text).unwrap_or(value),
            _ => value,
        };
        schema.fit(field, &value).map_err(|unfit| format!("{name}: {unfit}"))?;
        if let Some(held) = self.snapshot.state.cells.get_mut(cell) {
            *held = value;
        }
        Ok(())
    }
}
