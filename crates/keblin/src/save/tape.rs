//! The bytes of a section with gaps for the values. A tape is made once for a schema: all names stand in it already
//! encoded and in deterministic order, so that writing is copying, and reading what was written by the same schema is
//! comparing. A gap is one byte wide, which is all that most values take.

use std::collections::BTreeMap;

use super::cursor::Cursor;
use super::map::encoded;
use crate::snapshot::{Carried, LevelFacts};

/// What stands in a gap.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Part {
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

    /// Reads the fact that comes next.
    pub(super) fn read(self, cursor: &mut Cursor<'_>, facts: &mut LevelFacts) -> Option<()> {
        match self {
            FactOf::Finished => facts.finished = cursor.bool_if()?,
            FactOf::Stars => facts.stars = cursor.count_if()?.try_into().ok()?,
            FactOf::Collected => facts.collected = cursor.count_if()?,
            FactOf::Attempts => facts.attempts = cursor.count_if()?,
            FactOf::Deaths => facts.deaths = cursor.count_if()?,
        }
        Some(())
    }
}

/// The facts of a level in the order of their encoded names.
const AS_WRITTEN: [FactOf; 5] =
    [FactOf::Stars, FactOf::Deaths, FactOf::Attempts, FactOf::Finished, FactOf::Collected];

/// The facts of how many levels, or of a level on how many difficulties, are looked at at once.
const AT_ONCE: usize = 4;

/// Bytes with gaps.
#[derive(Clone, Debug, Default)]
pub(super) struct Tape {
    /// The bytes; null stands in each gap.
    bytes: Vec<u8>,
    /// Zero in each gap, and all ones elsewhere.
    mask: Vec<u8>,
    gaps: Vec<Gap>,
}

/// A gap in a tape.
#[derive(Clone, Copy, Debug)]
pub(super) struct Gap {
    /// Its place among the bytes.
    pub(super) at: usize,
    pub(super) part: Part,
    /// The gaps from this one on hold all facts of so many levels, at most as many as are looked at at once.
    levels: usize,
}

impl Tape {
    pub(super) fn gap(part: Part) -> Tape {
        Tape { bytes: vec![0xf6], mask: vec![0], gaps: vec![Gap { at: 0, part, levels: 0 }] }
    }

    fn plain(bytes: Vec<u8>) -> Tape {
        Tape { mask: vec![0xff; bytes.len()], bytes, gaps: Vec::new() }
    }

    fn append(&mut self, other: Tape) {
        let before = self.bytes.len();
        self.bytes.extend(other.bytes);
        self.mask.extend(other.mask);
        self.gaps.extend(other.gaps.iter().map(|gap| Gap { at: before + gap.at, ..*gap }));
    }

    /// Finds the levels whose facts follow each other.
    fn count_levels(&mut self) {
        for first in (0..self.gaps.len()).rev() {
            let facts = self.gaps.get(first..).and_then(<[Gap]>::first_chunk);
            let is_level = facts.is_some_and(|gaps: &[Gap; AS_WRITTEN.len()]| {
                let Part::Fact(_, level) = gaps[0].part else { return false };
                gaps.map(|gap| gap.part) == AS_WRITTEN.map(|fact| Part::Fact(fact, level))
            });
            let further = self.gaps.get(first + AS_WRITTEN.len()).map_or(0, |gap| gap.levels);
            if let Some(gap) = self.gaps.get_mut(first).filter(|_| is_level) {
                gap.levels = AT_ONCE.min(further + 1);
            }
        }
    }

    /// All bytes, with null in the gaps.
    pub(super) fn bytes(&self) -> &[u8] {
        &self.bytes
    }

    /// The gaps, in the order of the bytes.
    pub(super) fn gaps(&self) -> &[Gap] {
        &self.gaps
    }

    /// A gap with the bytes before it.
    pub(super) fn stretch(&self, gap: usize) -> Option<(&[u8], Part)> {
        let from =
            gap.checked_sub(1).and_then(|before| self.gaps.get(before)).map_or(0, |before| before.at + 1);
        let Gap { at, part, .. } = self.gaps.get(gap)?;
        Some((self.bytes.get(from..*at).unwrap_or_default(), *part))
    }

    /// The gaps, each with the bytes before it.
    pub(super) fn stretches(&self) -> impl Iterator<Item = (&[u8], Part)> {
        (0..self.gaps.len()).filter_map(|gap| self.stretch(gap))
    }

    /// Reads the facts of some levels from a gap on, if all of them are one byte in what comes next. Most are, and this
    /// looks at many of them at once. How many gaps are behind the cursor then; none where it is not so, and what was read
    /// by then is to be read again.
    pub(super) fn small_facts(
        &self,
        first: usize,
        cursor: &mut Cursor<'_>,
        facts: &mut [LevelFacts],
    ) -> Option<usize> {
        let count = self.gaps.get(first)?.levels * AS_WRITTEN.len();
        let gaps = self.gaps.get(first..first + count)?;
        let (from, to) = (gaps.first()?.at, gaps.last()?.at + 1);
        let written = cursor.next_bytes(to - from)?;
        let (names, mask) = (self.bytes.get(from..to)?, self.mask.get(from..to)?);
        let pairs = written.iter().zip(names).zip(mask);
        // Without a way out of the loop, so that it takes many bytes at a time.
        let differs = pairs.fold(0, |differs, ((one, other), mask)| differs | ((one ^ other) & mask));
        (differs == 0).then_some(())?;
        for level in gaps.as_chunks().0 {
            let Part::Fact(_, index) = level[0].part else { return None };
            let [stars, deaths, attempts, finished, collected] =
                level.map(|gap| written.get(gap.at - from).copied().unwrap_or(u8::MAX));
            let are_small = [stars, deaths, attempts, collected].iter().all(|byte| *byte < 24);
            (are_small && finished | 1 == 0xf5).then_some(())?;
            *facts.get_mut(index)? = LevelFacts {
                finished: finished == 0xf5,
                stars,
                collected: collected.into(),
                attempts: attempts.into(),
                deaths: deaths.into(),
            };
        }
        cursor.skip_bytes(written.len());
        Some(count)
    }

    /// The bytes behind the last gap.
    pub(super) fn rest(&self) -> &[u8] {
        let from = self.gaps.last().map_or(0, |gap| gap.at + 1);
        self.bytes.get(from..).unwrap_or_default()
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
            .filter_map(|(key, bytes)| Some((key_bytes(key.last()?), Tape::plain(bytes.clone()))))
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
        let mut tape = Tape::plain(encoded(|out| out.map(self.entries.len() as u64).map(drop)));
        for (key, value) in self.entries {
            tape.append(Tape::plain(key));
            tape.append(value);
        }
        tape.count_levels();
        tape
    }
}

pub(super) fn key_bytes(key: &str) -> Vec<u8> {
    encoded(|out| out.str(key).map(drop))
}
