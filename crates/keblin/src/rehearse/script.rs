//! The steps of a rehearsal, and their text. Every name is resolved against the schema when the text is parsed, so
//! that all misspelt names are reported with their places before anything runs.

use std::sync::Arc;

use super::step::Step;
use crate::snapshot::Schema;

/// A rehearsal: steps in order.
#[derive(Clone, Debug)]
pub struct Rehearsal {
    pub(super) name: String,
    pub(super) schema: Arc<Schema>,
    /// The declarations of other builds, in the order of their steps.
    pub(super) others: Vec<Arc<Schema>>,
    /// The saves that are given, in the order of their steps.
    pub(super) saves: Vec<Arc<[u8]>>,
    pub(super) lines: Vec<Line>,
}

/// A step and its place.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Line {
    /// Counted from 1.
    pub number: usize,
    /// As written, without its comment.
    pub text: String,
    /// What it does.
    pub step: Step,
}

impl Step {
    /// Returns whether it changes nothing and only checks an expectation.
    #[must_use]
    pub fn is_expectation(&self) -> bool {
        use Step::{
            Elsewhere, Expect, ExpectMoment, ExpectNotice, ExpectOpen, ExpectShown, Far, Refused, View, World,
        };
        match self {
            Expect(_)
            | ExpectOpen { .. }
            | ExpectShown(_)
            | ExpectNotice { .. }
            | ExpectMoment(..)
            | Refused(_) => true,
            World(step) => step.is_expectation(),
            Elsewhere(step) | Far(step) | View(step) => step.is_expectation(),
            _ => false,
        }
    }
}

impl Rehearsal {
    /// Returns a rehearsal of steps that were not parsed, each with its text.
    pub(crate) fn of_steps(schema: &Arc<Schema>, steps: Vec<(String, Step)>) -> Rehearsal {
        let line = |(index, (text, step)): (usize, (String, Step))| Line { number: index + 1, text, step };
        let lines = steps.into_iter().enumerate().map(line).collect();
        Rehearsal {
            name: "steps".to_string(),
            schema: Arc::clone(schema),
            others: Vec::new(),
            saves: Vec::new(),
            lines,
        }
    }

    /// Returns the steps, in order.
    #[must_use]
    pub fn lines(&self) -> &[Line] {
        &self.lines
    }
}
