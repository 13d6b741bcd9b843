//! Steps: how the saves of one version become those of the next.
//!
//! ```text
//! migrations/v3.toml ──► decl ──► resolve (against version 2 and version 3) ──► Step ──► applied by `keblin::migrate`
//! ```
//!
//! A step says something only if the two versions differ in shape. It looks like the declaration it leads to:
//! `[fields.letters]` describes `letters` of the new version. A new name without a source gets its default. An old
//! name that the step neither carries nor drops is a finding, so that no value is lost silently.

/// The text of a step.
mod decl;

/// Lists of names in two versions.
mod pairs;

/// Lists of names: the old name of each new one.
mod names;

/// Fields.
mod fields;

/// What changed in the shape of a field.
mod shape;

/// New and removed axes.
mod along;

/// Members of shapes.
mod members;

/// Kinds of objects and areas of the world.
mod world;

/// What is computed from the old fields of objects.
mod objects;

/// Facts of levels, and computed values.
mod fills;

/// Checking a step against its two versions, names first.
mod resolve;

use crate::model::Model;
use crate::text::finding::Findings;
use crate::text::source::Source;
use keblin_model::Severity;
pub use keblin_model::versions::step::{
    Carrying, FactsStep, FieldStep, MemberStep, Misfit, PartsStep, Scale, ShapeStep, Step, Take, UnlockStep,
};

/// A resolved step.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Resolved {
    /// The step; `None` if a finding is an error.
    pub step: Option<Step>,
    /// The findings about it.
    pub findings: Findings,
    /// What the step lacks, as suggested text; empty if it lacks nothing that can be suggested.
    pub lacks: String,
}

/// Parses a step and checks it against the two versions it connects. `source_name` is the name of the text in
/// messages. An empty text is a step between versions of the same shape.
#[must_use]
pub fn resolve(before: &Model, now: &Model, source_name: &str, text: &str) -> Resolved {
    let mut list = Vec::new();
    let decl = decl::step(text, &mut list);
    // If the text is not TOML, nobody can say what it lacks.
    let is_whole = list.is_empty();
    let (step, lacks) = resolve::resolve(before, now, &decl, &mut list);
    if !is_whole {
        list.retain(|finding| finding.code != crate::text::finding::Code::Unaccounted);
    }
    let is_fine = list.iter().all(|finding| finding.severity != Severity::Error);
    Resolved {
        step: step.filter(|_| is_fine),
        findings: Findings::new(Source::new(source_name, text), list),
        lacks: resolve::whole(&lacks),
    }
}
