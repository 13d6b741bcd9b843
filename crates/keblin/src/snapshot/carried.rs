//! What a save has that this schema does not know: preserved, and written back.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::grammar::RUN;

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
    }

    /// Replaces the unknown values of the run by those of another save; `None` removes them.
    pub(crate) fn with_run_of(&mut self, other: Option<&Carried>) {
        self.fields.retain(|path, _| !is_of_run(path));
        let theirs = other.into_iter().flat_map(|other| &other.fields).filter(|(path, _)| is_of_run(path));
        self.fields.extend(theirs.map(|(path, value)| (path.clone(), value.clone())));
        self.blocks.retain(|(name, _)| !is_of_run_named(name));
        let theirs = other.into_iter().flat_map(|other| &other.blocks);
        self.blocks.extend(theirs.filter(|(name, _)| is_of_run_named(name)).cloned());
        self.difficulty = other.and_then(|other| other.difficulty.clone());
        self.run_difficulty = other.and_then(|other| other.run_difficulty.clone());
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
