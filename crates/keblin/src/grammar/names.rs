//! The names of values and facts by themselves, as the history of a save has them. They follow the list of what a save
//! contains: a field by its name, anything else after a colon.

use std::collections::{BTreeMap, HashMap};

use keblin_model::Model;

use super::listed::{self, Leaf, Map, Node};
use super::{PROFILE, RUN};

/// The names of the values and facts of a schema that outlive runs.
#[derive(Debug, Default)]
pub(crate) struct Names {
    by_name: HashMap<String, Leaf>,
    of_leaf: BTreeMap<Leaf, String>,
}

impl Names {
    /// Returns the names of a schema.
    pub(crate) fn of(model: &Model) -> Names {
        let mut names = Names::default();
        for section in listed::slot(model) {
            let is_of_run = section.name == RUN || section.name.starts_with(&format!("{RUN}."));
            match section.name.as_str() {
                _ if is_of_run => {}
                PROFILE => names.add(&section.map, ":"),
                // A group: its fields.
                _ => names.add(&section.map, ""),
            }
        }
        names
    }

    /// Returns the name of a value or fact.
    pub(crate) fn of_leaf(&self, leaf: Leaf) -> Option<&str> {
        self.of_leaf.get(&leaf).map(String::as_str)
    }

    /// Returns the value or fact of a name.
    pub(crate) fn leaf(&self, name: &str) -> Option<Leaf> {
        self.by_name.get(name).copied()
    }

    /// Returns every value and fact that has a history of its own.
    pub(crate) fn leaves(&self) -> impl Iterator<Item = &Leaf> {
        self.of_leaf.keys()
    }

    fn add(&mut self, map: &Map, before: &str) {
        for (key, node) in &map.entries {
            let name = format!("{before}{key}");
            match node {
                Node::Leaf(leaf) => {
                    self.of_leaf.insert(*leaf, name.clone());
                    self.by_name.insert(name, *leaf);
                }
                // The names of fields are enough: no other piece has one like it.
                Node::Map(map) if name == ":fields" => self.add(map, ""),
                Node::Map(map) | Node::Branch(_, map) => self.add(map, &format!("{name}.")),
            }
        }
    }
}
