//! A declaration with its past versions. `keblin` makes its schema from it.

use std::ops::Deref;

use super::step::Step;
use crate::model::Model;

/// A game's declaration, checked, with its past versions. It dereferences to its [`Model`].
#[derive(Clone, Debug)]
pub struct Declaration {
    /// Its model.
    pub model: Model,
    /// The past versions whose saves can be opened, the oldest first, without a gap.
    pub past: Vec<Past>,
}

/// A past version: its model, and the step to the next version.
#[derive(Clone, Debug)]
pub struct Past {
    /// Its model.
    pub model: Model,
    /// The step from it.
    pub step: Step,
}

impl Deref for Declaration {
    type Target = Model;

    fn deref(&self) -> &Model {
        &self.model
    }
}
