//! Lists of names in two versions.

use crate::name::{Name, nearest};

/// A list of names in two versions.
pub(super) struct Pairs<'n> {
    /// Its path in the new version: `levels`, `levels.reedgate.checkpoints`.
    pub(super) path: String,
    /// Its path in the old version.
    pub(super) old_path: String,
    /// The word for one of them.
    pub(super) what: &'static str,
    /// What it belongs to, for messages: nothing, or ` of reedgate`.
    pub(super) of: String,
    pub(super) before: Vec<&'n Name>,
    pub(super) now: Vec<&'n Name>,
    /// Whether a new name at the position of a removed one is perhaps the same.
    pub(super) perhaps_by_place: bool,
}

impl<'n> Pairs<'n> {
    pub(super) fn of(path: &str, what: &'static str, before: &[&'n Name], now: &[&'n Name]) -> Pairs<'n> {
        Pairs {
            path: path.to_string(),
            old_path: path.to_string(),
            what,
            of: String::new(),
            before: before.to_vec(),
            now: now.to_vec(),
            perhaps_by_place: true,
        }
    }

    /// Returns the likely new name of a removed one: similar letters, or the same position.
    pub(super) fn perhaps(&self, gone: usize, taken: &[Option<usize>]) -> Option<&'n Name> {
        let free = |name: &Name, index: usize| {
            taken.get(index) == Some(&None) && !self.before.iter().any(|old| **old == *name)
        };
        let news =
            || self.now.iter().enumerate().filter(|(index, name)| free(name, *index)).map(|(_, name)| *name);
        let old = self.before.get(gone)?;
        let near = nearest(old.as_str(), news().map(Name::as_str));
        let near = near.and_then(|near| news().find(|name| name.as_str() == near));
        let by_place = self.perhaps_by_place && self.before.len() == self.now.len();
        let in_place = self.now.get(gone).copied().filter(|name| by_place && free(name, gone));
        near.or(in_place)
    }
}
