//! Steps: how the saves of one version become those of the next.
//!
//! ```text
//! migrations/v3.toml ──► decl ──► resolve (against version 2 and version 3) ──► Step ──► applied by `keblin::migrate`
//! ```
//!
//! A step says something only where the two versions differ in shape. It looks like the declaration it leads to: what
//! stands under `[fields.letters]` is about `letters` of the new version. Whatever it names no source for is as declared,
//! and whatever of the version before it neither carries nor drops is a finding, so that no value is lost unsaid.

/// The text of a step.
mod decl;

/// Lists of names in two versions.
mod pairs;

/// Lists of names: which of before is which now.
mod names;

/// Fields.
mod fields;

/// What has changed in the shape of a field.
mod shape;

/// Axes that are new or gone.
mod along;

/// Members of shapes.
mod members;

/// Facts of levels, and what is computed.
mod fills;

/// The two versions held against each other, names first.
mod resolve;

use crate::condition::names::Fact;
use crate::condition::{Program, Type};
use crate::model::{Axis, Model};
use crate::text::finding::{Findings, Severity};
use crate::text::source::Source;
use crate::text::time::Time;
use crate::value::Value;

/// How the saves of one version become those of the next. Positions are those of the two schemas; each list is one of the
/// version after, and says where a thing was in the version before, `None` where it is new.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Step {
    /// The version after.
    pub to: u32,
    /// The levels.
    pub levels: Vec<Option<usize>>,
    /// The checkpoints of each level.
    pub checkpoints: Vec<Vec<Option<usize>>>,
    /// The difficulties.
    pub difficulties: Vec<Option<usize>>,
    /// The moments.
    pub moments: Vec<Option<usize>>,
    /// The unlocks.
    pub unlocks: Vec<UnlockStep>,
    /// The closed lists.
    pub lists: Vec<PartsStep>,
    /// The shapes.
    pub shapes: Vec<ShapeStep>,
    /// The fields.
    pub fields: Vec<FieldStep>,
    /// The facts of levels.
    pub facts: FactsStep,
}

/// Where a list was before, and where each of its items.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct PartsStep {
    /// The list itself.
    pub from: Option<usize>,
    /// Its items.
    pub parts: Vec<Option<usize>>,
}

/// Where a shape was before, and where each of its members.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct ShapeStep {
    /// The shape itself.
    pub from: Option<usize>,
    /// Its members.
    pub members: Vec<MemberStep>,
}

/// Where a member of a shape comes from.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct MemberStep {
    /// The member it was.
    pub from: Option<usize>,
    /// What becomes of a value that does not fit.
    pub misfit: Misfit,
}

/// Where an unlock comes from.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct UnlockStep {
    /// The unlock it was.
    pub from: Option<usize>,
    /// A condition over the values of before, by which it is given.
    pub fill: Option<Program>,
}

/// Where the values of a field come from.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum FieldStep {
    /// From nowhere: they are as declared.
    AsDeclared,
    /// From a field of before.
    Carried(Box<Carrying>),
    /// From an expression over the values of before: one for each of the field's values, in the order of its places.
    Filled(Vec<(Program, Type)>),
    /// From the game's own code.
    ByCode,
}

/// How the values of a field become those of another.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub struct Carrying {
    /// The field of before.
    pub from: usize,
    /// For each axis that is new, which place on it the values of before take.
    pub at: Vec<(Axis, usize)>,
    /// For each axis that is gone, as an axis of before, which place of it is taken.
    pub take: Vec<(Axis, Take)>,
    /// What one of before is now.
    pub scale: Option<Scale>,
    /// Values of before that are others now.
    pub values: Vec<(Value, Value)>,
    /// What becomes of a value that does not fit.
    pub misfit: Misfit,
}

impl Carrying {
    /// The values of a field as they are; what does not fit becomes the nearest that does.
    #[must_use]
    pub fn plainly(from: usize) -> Carrying {
        let misfit = Misfit::Nearest;
        Carrying { from, at: Vec::new(), take: Vec::new(), scale: None, values: Vec::new(), misfit }
    }
}

/// What is taken along an axis that is gone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Take {
    /// One place.
    One(usize),
    /// All of them, brought together by the keep rule.
    All,
}

/// What one of before is now.
#[derive(Clone, Copy, Debug, PartialEq)]
#[non_exhaustive]
pub enum Scale {
    /// So many.
    By(f64),
    /// A number is so long a time now.
    ToTime(Time),
    /// So long a time is 1 now.
    FromTime(Time),
}

crate::words! {
    /// What becomes of a value that does not fit. A step need not say it where whatever fits the version before fits: what a
    /// save holds beyond that becomes the nearest, as opening it in that version would have made it, and costs nobody the save.
    #[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
    #[non_exhaustive]
    pub enum Misfit {
        /// It becomes the nearest that fits: a number its bound, a text its beginning.
        #[default]
        Nearest = "nearest",
        /// It is as declared.
        Default = "default",
        /// The save is not migrated, and left as it is.
        Refuse = "refuse",
    }
}

/// Where the facts of levels come from.
#[derive(Clone, Debug, Default, PartialEq)]
#[non_exhaustive]
pub struct FactsStep {
    /// Where they are kept apart for each difficulty and were not: the difficulty that those of before are of.
    pub at: Option<usize>,
    /// Where they were kept apart and are not: which are taken.
    pub take: Option<Take>,
    /// Expressions over the values of before, each for a fact, by its position among the facts.
    pub fills: Vec<(Fact, usize, Program)>,
}

/// What a step came to.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub struct Resolved {
    /// The step; `None` where a finding is an error.
    pub step: Option<Step>,
    /// What was found in it.
    pub findings: Findings,
    /// What the step lacks, as text to be put into it; empty where it lacks nothing that can be said without knowing the
    /// game.
    pub lacks: String,
}

impl Step {
    /// Parses a step and holds it against the two versions it stands between. `source_name` is what complaints call the
    /// text. An empty text is a step between versions of one shape.
    #[must_use]
    pub fn resolve(before: &Model, now: &Model, source_name: &str, text: &str) -> Resolved {
        let mut list = Vec::new();
        let decl = decl::step(text, &mut list);
        // Of a text that is no TOML nobody can say what is missing in it.
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
}
