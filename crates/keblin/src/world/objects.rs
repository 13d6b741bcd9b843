//! A game's own collections of objects.

use std::collections::{BTreeMap, HashMap, VecDeque};
use std::hash::BuildHasher;

use keblin_model::ObjectId;

/// A collection of the objects of one kind in one area, as the game holds them. Implemented for `Vec`, `VecDeque`, and
/// maps by [`ObjectId`]; implement it for your own storage.
pub trait Objects<T> {
    /// Calls a function with every object, and removes those for which it returns `false`.
    fn retain_objects(&mut self, keep: impl FnMut(&mut T) -> bool);

    /// Adds an object.
    fn add_object(&mut self, id: ObjectId, object: T);

    /// Makes room for this many more objects. Does nothing unless a collection says how.
    fn reserve_objects(&mut self, _more: usize) {}
}

impl<T> Objects<T> for Vec<T> {
    fn retain_objects(&mut self, keep: impl FnMut(&mut T) -> bool) {
        self.retain_mut(keep);
    }

    fn add_object(&mut self, _id: ObjectId, object: T) {
        self.push(object);
    }

    fn reserve_objects(&mut self, more: usize) {
        self.reserve(more);
    }
}

impl<T> Objects<T> for VecDeque<T> {
    fn retain_objects(&mut self, keep: impl FnMut(&mut T) -> bool) {
        self.retain_mut(keep);
    }

    fn add_object(&mut self, _id: ObjectId, object: T) {
        self.push_back(object);
    }

    fn reserve_objects(&mut self, more: usize) {
        self.reserve(more);
    }
}

impl<T> Objects<T> for BTreeMap<ObjectId, T> {
    fn retain_objects(&mut self, mut keep: impl FnMut(&mut T) -> bool) {
        self.retain(|_, object| keep(object));
    }

    fn add_object(&mut self, id: ObjectId, object: T) {
        self.insert(id, object);
    }
}

impl<T, S: BuildHasher> Objects<T> for HashMap<ObjectId, T, S> {
    fn retain_objects(&mut self, mut keep: impl FnMut(&mut T) -> bool) {
        self.retain(|_, object| keep(object));
    }

    fn add_object(&mut self, id: ObjectId, object: T) {
        self.insert(id, object);
    }

    fn reserve_objects(&mut self, more: usize) {
        self.reserve(more);
    }
}
