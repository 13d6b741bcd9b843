//! A map of the grammar as bytes with holes for the values. All names are already encoded, in deterministic order, so
//! writing is copying, and reading a save of the same schema is comparing.

use keblin_model::order::sort_by;
use std::collections::BTreeMap;

use super::encoded;
use super::facts;
use super::listed::{Branch, Leaf, Map, Node};

/// Encoded values by their path of keys: unknown values that are kept.
pub(crate) type ByPath = BTreeMap<Vec<String>, Vec<u8>>;

/// Bytes with holes.
#[derive(Clone, Debug, Default)]
pub(crate) struct Template {
    bytes: Vec<u8>,
    holes: Vec<(usize, Hole)>,
}

/// What belongs in a hole.
#[derive(Clone, Debug)]
pub(crate) enum Hole {
    Leaf(Leaf),
    Branch(Branch, Template),
    /// The facts of a level on a difficulty, by their position, with no unknown values.
    Facts(usize, Box<Template>),
}

impl Template {
    /// Makes the template of a map at a path of keys, with the unknown values kept there.
    pub(crate) fn of(map: &Map, path: &[&str], carried: &ByPath) -> Template {
        let mut template = Template::default();
        template.map(map, &mut path.iter().map(ToString::to_string).collect(), carried);
        template
    }

    fn map(&mut self, map: &Map, path: &mut Vec<String>, carried: &ByPath) {
        let known = map.entries.iter().map(|(key, node)| (key.as_str(), Ok(node)));
        let is_here = |key: &&Vec<String>| key.len() == path.len() + 1 && key.starts_with(path);
        let unknown = carried.iter().filter(|(key, _)| map.keeps_unknown && is_here(key));
        let unknown = unknown.filter_map(|(key, bytes)| Some((key.last()?.as_str(), Err(bytes))));
        let mut entries: Vec<_> = known.chain(unknown).map(|(key, value)| (text(key), key, value)).collect();
        sort_by(&mut entries, |(one, ..), (other, ..)| one.cmp(other));
        self.bytes.extend(encoded(|out| out.map(entries.len() as u64).map(drop)));
        for (encoded, key, value) in entries {
            self.bytes.extend(encoded);
            path.push(key.to_string());
            match value {
                Err(bytes) => self.bytes.extend(bytes),
                Ok(Node::Map(inside)) => self.inside(inside, path, carried),
                Ok(Node::Leaf(leaf)) => self.holes.push((self.bytes.len(), Hole::Leaf(*leaf))),
                Ok(Node::Branch(branch, inside)) => {
                    let mut template = Template::default();
                    template.map(inside, path, carried);
                    self.holes.push((self.bytes.len(), Hole::Branch(*branch, template)));
                }
            }
            path.pop();
        }
    }

    /// Adds a map inside this one; facts are one hole.
    fn inside(&mut self, map: &Map, path: &mut Vec<String>, carried: &ByPath) {
        let Some((_, Node::Leaf(Leaf::Fact(_, index)))) = map.entries.first() else {
            return self.map(map, path, carried);
        };
        let mut template = Template::default();
        template.map(map, path, carried);
        match facts::are_alone(&template) {
            true => self.holes.push((self.bytes.len(), Hole::Facts(*index, Box::new(template)))),
            false => self.map(map, path, carried),
        }
    }

    /// Returns the length without the holes' contents, in bytes.
    pub(crate) fn len(&self) -> usize {
        self.bytes.len()
    }

    /// Returns the holes, each with the bytes before it.
    pub(crate) fn holes(&self) -> impl Iterator<Item = (&[u8], &Hole)> {
        let mut from = 0;
        self.holes.iter().map(move |(at, hole)| {
            let before = self.bytes.get(from..*at).unwrap_or_default();
            from = *at;
            (before, hole)
        })
    }

    /// Returns the bytes after the last hole.
    pub(crate) fn rest(&self) -> &[u8] {
        let from = self.holes.last().map_or(0, |(at, _)| *at);
        self.bytes.get(from..).unwrap_or_default()
    }

    /// Returns the approximate number of bytes with its holes filled.
    pub(crate) fn about(&self) -> usize {
        let facts = self.holes.iter().filter(|(_, hole)| matches!(hole, Hole::Facts(..))).count();
        2 * self.bytes.len() + facts * facts::LEN + 256
    }
}

/// Returns a text as an encoded item.
pub(crate) fn text(text: &str) -> Vec<u8> {
    encoded(|out| out.str(text).map(drop))
}
