//! Lists of names, compared by id: what is new, what was removed, and its new name if one looks likely.

use super::{Change, Class, Found, What};
use crate::model::ListDef;
use crate::name::{Name, nearest};

/// Returns the names that both versions have, with their positions.
pub(super) fn in_both(before: &[&Name], now: &[&Name]) -> Vec<(usize, usize)> {
    let position = |name: &Name| now.iter().position(|other| *other == name);
    let pairs = before.iter().enumerate().filter_map(|(index, name)| Some((index, position(name)?)));
    pairs.collect()
}

impl Found<'_> {
    /// Compares a list of names that saves hold by id: a removed name is a shape change, a new one is growth.
    pub(super) fn names(
        &mut self,
        before: &[Name],
        now: &[Name],
        of: &'static str,
        within: &What,
        what: impl Fn(Name) -> What,
    ) {
        let (before, now): (Vec<&Name>, Vec<&Name>) = (before.iter().collect(), now.iter().collect());
        self.ids(&before, &now, of, within, what);
    }

    /// Compares a list of things that have names.
    pub(super) fn ids(
        &mut self,
        before: &[&Name],
        now: &[&Name],
        of: &'static str,
        within: &What,
        what: impl Fn(Name) -> What,
    ) {
        let new: Vec<&Name> = now.iter().filter(|name| !before.contains(name)).copied().collect();
        for (index, gone) in before.iter().enumerate().filter(|(_, name)| !now.contains(name)) {
            // By its letters, or by its position.
            let near = nearest(gone.as_str(), new.iter().map(|name| name.as_str()));
            let near = near.and_then(|near| new.iter().find(|name| name.as_str() == near));
            let in_place = now.get(index).filter(|name| new.contains(name) && before.len() == now.len());
            let perhaps = near.or(in_place).map(|name| (*name).clone());
            self.add(Class::Shape, &what((*gone).clone()), Change::Gone { perhaps });
        }
        for name in new {
            self.add(Class::Growth, &what(name.clone()), Change::New);
        }
        if !in_both(before, now).is_sorted_by_key(|(_, now)| *now) {
            self.add(Class::Growth, within, Change::Order { of });
        }
    }

    /// Compares closed lists and their items.
    pub(super) fn lists(&mut self) {
        let (before, now) = (&self.before.lists, &self.now.lists);
        let ids = |lists: &[ListDef]| names_of(lists, |list| &list.name);
        self.names(&ids(before), &ids(now), "lists", &What::Declaration, What::List);
        for list in before {
            let Some(same) = now.iter().find(|other| other.name == list.name) else { continue };
            let item = |id| What::Item { list: list.name.clone(), id };
            self.names(&list.items, &same.items, "items", &What::List(list.name.clone()), item);
        }
    }
}

/// Returns the names of some things.
pub(super) fn names_of<T>(things: &[T], name: impl Fn(&T) -> &Name) -> Vec<Name> {
    things.iter().map(|thing| name(thing).clone()).collect()
}
