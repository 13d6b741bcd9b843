//! What a save has that this schema does not know: preserved, and written back.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin_model::{Model, Value};

use super::Visit;
use crate::grammar::RUN;
use crate::grammar::listed::Branch;

/// Values in a save of the same version that this schema does not know. They are kept as encoded bytes and written
/// back, so that a build without a new field or level does not lose what a build with it has saved.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Carried {
    /// Values, by their path of keys.
    pub(crate) fields: BTreeMap<Vec<String>, Vec<u8>>,
    /// Whole blocks of the file with their names, as they were written.
    pub(crate) blocks: Vec<(String, Arc<[u8]>)>,
    /// The furthest level, if this schema does not declare it.
    pub(crate) furthest: Option<Arc<str>>,
    /// The difficulty last chosen, if this schema does not declare it.
    pub(crate) difficulty: Option<Arc<str>>,
    /// The difficulty of the run, if this schema does not declare it.
    pub(crate) run_difficulty: Option<Arc<str>>,
    /// Values that this schema knows only in part, by their cell; those of a table by its first. A merged value can have
    /// several, that of the later save first.
    pub(crate) values: BTreeMap<usize, Vec<Original>>,
    /// Parts of the run that this schema knows only in part: the visit, the save point, and their copies.
    pub(crate) visits: BTreeMap<VisitPart, VisitBefore>,
}

/// A value as another build wrote it: with a member that this schema does not have, an item that no list of it has, or
/// a number beyond a bound.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Original {
    /// What was read: the value of a cell, or those of a table.
    pub(crate) read: Vec<Value>,
    /// All of it, encoded.
    pub(crate) bytes: Arc<[u8]>,
}

/// A part of the run, and whether it is of the save point.
pub(crate) type VisitPart = (bool, Branch);

/// A part of the run as another build wrote it: with a level, checkpoint or value that this schema does not have. It is
/// written back as it was, until the player plays on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct VisitBefore {
    /// What was read; a copy is read with its visit.
    pub(crate) read: Option<Visit>,
    /// All of it, encoded.
    pub(crate) bytes: Arc<[u8]>,
    /// Whether not all of it was read.
    pub(crate) has_more: bool,
}

impl Carried {
    /// Takes over the unknown values of another save that this one does not have, except those of its run. Nobody
    /// who does not know both levels can say which one is further: if both are unknown, this one stays.
    pub(crate) fn join(&mut self, other: &Carried) {
        for (path, value) in other.fields.iter().filter(|(path, _)| !is_of_run(path)) {
            self.fields.entry(path.clone()).or_insert_with(|| value.clone());
        }
        self.furthest = self.furthest.take().or_else(|| other.furthest.clone());
        let unknown =
            other.blocks.iter().filter(|(name, _)| self.blocks.iter().all(|(held, _)| held != name));
        let unknown = unknown.filter(|(name, _)| !is_of_run_named(name));
        let unknown: Vec<_> = unknown.cloned().collect();
        self.blocks.extend(unknown);
        for (cell, originals) in &other.values {
            let held = self.values.entry(*cell).or_default();
            held.extend(
                originals.iter().filter(|original| !held.contains(original)).cloned().collect::<Vec<_>>(),
            );
        }
    }

    /// Replaces the unknown values of the run by those of another save; `None` removes them.
    pub(crate) fn with_run_of(&mut self, model: &Model, other: Option<&Carried>) {
        let is_of_run_at = |cell: usize| cell < model.copied_cells;
        self.values.retain(|cell, _| !is_of_run_at(*cell));
        let theirs =
            other.into_iter().flat_map(|other| &other.values).filter(|(cell, _)| is_of_run_at(**cell));
        self.values.extend(theirs.map(|(cell, originals)| (*cell, originals.clone())));
        self.visits = other.map(|other| other.visits.clone()).unwrap_or_default();
        self.fields.retain(|path, _| !is_of_run(path));
        let theirs = other.into_iter().flat_map(|other| &other.fields).filter(|(path, _)| is_of_run(path));
        self.fields.extend(theirs.map(|(path, value)| (path.clone(), value.clone())));
        self.blocks.retain(|(name, _)| !is_of_run_named(name));
        let theirs = other.into_iter().flat_map(|other| &other.blocks);
        self.blocks.extend(theirs.filter(|(name, _)| is_of_run_named(name)).cloned());
        self.difficulty = other.and_then(|other| other.difficulty.clone());
        self.run_difficulty = other.and_then(|other| other.run_difficulty.clone());
    }

    /// Returns whether both have the same unknown values.
    pub(crate) fn is_like(&self, other: &Carried) -> bool {
        let ids = |of: &Carried| [of.furthest.clone(), of.difficulty.clone(), of.run_difficulty.clone()];
        self.fields == other.fields && self.blocks == other.blocks && ids(self) == ids(other)
    }

    /// Returns the bytes of an unknown value, by its place in a save.
    pub(crate) fn bytes_at(&self, place: &str) -> Option<&[u8]> {
        let field = self.fields.iter().find(|(path, _)| path.join(".") == place);
        let block = || self.blocks.iter().find(|(name, _)| name == place).map(|(_, bytes)| &**bytes);
        field.map(|(_, bytes)| bytes.as_slice()).or_else(block)
    }

    /// Returns the names of all unknown values, as places in a save.
    pub(crate) fn names(&self) -> impl Iterator<Item = String> {
        let fields = self.fields.keys().map(|path| path.join("."));
        fields.chain(self.blocks.iter().map(|(name, _)| name.clone()))
    }
}

/// Returns whether the section of a name belongs to the run: its own, or the values of a group.
fn is_of_run_named(section: &str) -> bool {
    section.strip_prefix(RUN).is_some_and(|rest| rest.is_empty() || rest.starts_with('.'))
}

/// Returns whether the path of an unknown value leads to the run.
fn is_of_run(path: &[String]) -> bool {
    path.first().is_some_and(|section| is_of_run_named(section))
}
