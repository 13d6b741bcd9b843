//! The bytes of a section with gaps for the values. A tape is made once for a schema: all names stand in it already
//! encoded and in deterministic order, so that writing is copying, and reading what was written by the same schema is
//! comparing.

use std::collections::BTreeMap;
use std::ops::Range;

use minicbor::Encoder;

use super::map::{Failure, encoded};
use crate::snapshot::Carried;

/// What stands in a gap, or the bytes between gaps.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Part {
    /// The next bytes of the tape, so many.
    Bytes(usize),
    /// The value of a cell.
    Cell(usize),
    /// The values of a table of best values, without the places that nothing took.
    Table {
        first: usize,
        places: usize,
    },
    Fact(FactOf, usize),
    /// Whether an unlock, by its position, was given and latches.
    Latched(usize),
    /// Whether a moment, by its position, was told.
    Told(usize),
    Furthest,
    Difficulty,
    Played,
    /// The run, or null.
    Run,
    RunDifficulty,
    /// The visit, or null.
    Visit,
    Level,
    Checkpoint,
    Stay,
    /// The copy on arrival, or null.
    Entry,
    /// The copy at the checkpoint, or null.
    AtCheckpoint,
}

/// Which of the facts of a level on a difficulty.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum FactOf {
    Finished,
    Stars,
    Collected,
    Attempts,
    Deaths,
}

impl FactOf {
    pub(super) const ALL: [(&'static str, FactOf); 5] = [
        ("finished", FactOf::Finished),
        ("stars", FactOf::Stars),
        ("collected", FactOf::Collected),
        ("attempts", FactOf::Attempts),
        ("deaths", FactOf::Deaths),
    ];
}

/// Bytes with gaps.
#[derive(Clone, Debug, Default)]
pub(super) struct Tape {
    bytes: Vec<u8>,
    parts: Vec<Part>,
}

impl Tape {
    pub(super) fn gap(part: Part) -> Tape {
        Tape { bytes: Vec::new(), parts: vec![part] }
    }

    pub(super) fn bytes(bytes: Vec<u8>) -> Tape {
        Tape { parts: vec![Part::Bytes(bytes.len())], bytes }
    }

    fn written(write: impl FnOnce(&mut Encoder<&mut Vec<u8>>) -> Result<(), Failure>) -> Tape {
        Tape::bytes(encoded(write))
    }

    fn append(&mut self, other: Tape) {
        self.bytes.extend(other.bytes);
        for part in other.parts {
            match (self.parts.last_mut(), part) {
                (Some(Part::Bytes(before)), Part::Bytes(more)) => *before += more,
                _ => self.parts.push(part),
            }
        }
    }

    /// The parts in order; each run of bytes with those bytes.
    pub(super) fn parts(&self) -> impl Iterator<Item = (Part, &[u8])> {
        let mut from = 0;
        self.parts.iter().map(move |part| {
            let here: Range<usize> = match part {
                Part::Bytes(count) => from..from + count,
                _ => from..from,
            };
            from = here.end;
            (*part, self.bytes.get(here).unwrap_or_default())
        })
    }
}

/// A map being put together, at a path of keys.
pub(super) struct MapOut<'a> {
    path: Vec<String>,
    carried: &'a Carried,
    entries: BTreeMap<Vec<u8>, Tape>,
}

impl<'a> MapOut<'a> {
    /// A map at a path; what is carried along there goes in with it.
    pub(super) fn at(path: &[&str], carried: &'a Carried) -> MapOut<'a> {
        let path: Vec<String> = path.iter().map(ToString::to_string).collect();
        let here =
            carried.fields.iter().filter(|(key, _)| key.len() == path.len() + 1 && key.starts_with(&path));
        let entries = here
            .filter_map(|(key, bytes)| Some((key_bytes(key.last()?), Tape::bytes(bytes.clone()))))
            .collect();
        MapOut { path, carried, entries }
    }

    /// A map inside this one.
    pub(super) fn inside(&self, key: &str) -> MapOut<'a> {
        let path: Vec<&str> = self.path.iter().map(String::as_str).chain([key]).collect();
        MapOut::at(&path, self.carried)
    }

    pub(super) fn put(&mut self, key: &str, tape: Tape) {
        self.entries.insert(key_bytes(key), tape);
    }

    pub(super) fn gap(&mut self, key: &str, part: Part) {
        self.put(key, Tape::gap(part));
    }

    pub(super) fn tape(self) -> Tape {
        let mut tape = Tape::written(|out| out.map(self.entries.len() as u64).map(drop));
        for (key, value) in self.entries {
            tape.append(Tape::bytes(key));
            tape.append(value);
        }
        tape
    }
}

pub(super) fn key_bytes(key: &str) -> Vec<u8> {
    encoded(|out| out.str(key).map(drop))
}
