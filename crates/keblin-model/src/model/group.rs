//! Groups: parts of a game, with a heading of their own in listings and a section of their own in saves.

use super::{FieldDef, Model};
use crate::text::name::Name;

/// A declared group.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct GroupDef {
    /// Its id.
    pub name: Name,
    /// Its name for people; the id if none is declared.
    pub title: String,
}

impl Model {
    /// Returns the group of a field.
    #[must_use]
    pub fn group_of(&self, field: &FieldDef) -> Option<&GroupDef> {
        self.groups.get(field.group?)
    }

    /// Returns some fields by group: first those without one, then those of each group in declared order, with its
    /// heading. A part without any of these fields is left out.
    pub fn by_group<'m>(
        &'m self,
        of: impl Fn(&FieldDef) -> bool + 'm,
    ) -> impl Iterator<Item = (Option<&'m GroupDef>, Vec<&'m FieldDef>)> {
        let parts = std::iter::once(None).chain((0..self.groups.len()).map(Some));
        let parts = parts.map(move |group| {
            let fields = self.fields.iter().filter(|field| field.group == group && of(field));
            (group.and_then(|group| self.groups.get(group)), fields.collect::<Vec<_>>())
        });
        parts.filter(|(_, fields)| !fields.is_empty())
    }
}
