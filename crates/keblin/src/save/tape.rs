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
    /// The levels of which all facts have gaps, and how far behind the first gap each of the others is.
    levels: Vec<LevelGaps>,
    /// The gaps that hold no facts of those levels, by their positions.
    others: Vec<usize>,
}

/// The gaps of the facts of a level, or of a level on a difficulty.
#[derive(Clone, Copy, Debug)]
struct LevelGaps {
    /// The place of the first among the bytes.
    at: usize,
    /// How far behind that each is.
    steps: [u8; AS_WRITTEN.len()],
    /// The first gap, by its position.
    first: usize,
    /// The position of the facts.
    facts: usize,
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

impl LevelGaps {
    /// The gaps of a level, if these are; `first` is the position of the first.
    fn of(gaps: &[Gap; AS_WRITTEN.len()], first: usize) -> Option<LevelGaps> {
        let Gap { at, part: Part::Fact(_, facts), levels: 1.. } = gaps[0] else { return None };
        let mut steps = [0; AS_WRITTEN.len()];
        for (step, gap) in steps.iter_mut().zip(gaps) {
            // What is carried along may stand in between, of any length.
            *step = u8::try_from(gap.at - at).ok()?;
        }
        Some(LevelGaps { at, steps, first, facts })
    }

    /// Writes the facts into their gaps, if one byte is enough for each.
    fn fill(&self, bytes: &mut [u8], facts: &[LevelFacts]) -> Option<()> {
        let LevelFacts { finished, stars, collected, attempts, deaths } = *facts.get(self.facts)?;
        let finished = u64::from(0xf4 | u8::from(finished));
        let counts = [stars.into(), deaths, attempts, collected];
        counts.iter().all(|count| *count < 24).then_some(())?;
        for (step, value) in self.steps.into_iter().zip([counts[0], deaths, attempts, finished, collected]) {
            *bytes.get_mut(self.at + usize::from(step))? = u8::try_from(value).ok()?;
        }
        Some(())
    }
}

impl Tape {
    pub(super) fn gap(part: Part) -> Tape {
        let gaps = vec![Gap { at: 0, part, levels: 0 }];
        Tape { bytes: vec![0xf6], mask: vec![0], gaps, levels: Vec::new(), others: vec![0] }
    }

    fn plain(bytes: Vec<u8>) -> Tape {
        Tape { mask: vec![0xff; bytes.len()], bytes, ..Tape::default() }
    }

    fn append(&mut self, other: Tape) {
        let before = self.bytes.len();
        self.bytes.extend(other.bytes);
        self.mask.extend(other.mask);
        self.gaps.extend(other.gaps.iter().map(|gap| Gap { at: before + gap.at, ..*gap }));
    }

    /// Finds the levels whose facts follow each other.
    fn find_levels(&mut self) {
        self.count_levels();
        (self.levels, self.others) = (Vec::new(), Vec::new());
        let mut next = 0;
        while let Some(rest) = self.gaps.get(next..).filter(|rest| !rest.is_empty()) {
            let level = rest.first_chunk().and_then(|gaps| LevelGaps::of(gaps, next));
            match level {
                Some(level) => self.levels.push(level),
                None => self.others.push(next),
            }
            next += if level.is_some() { AS_WRITTEN.len() } else { 1 };
        }
    }

    /// Says at each gap how many levels follow from there.
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

    /// All bytes with the gaps filled that one byte is enough for; the other gaps, in the order of the bytes.
    pub(super) fn filled(
        &self,
        facts: &[LevelFacts],
        one_byte: impl Fn(Part) -> Option<u8>,
    ) -> (Vec<u8>, Vec<Gap>) {
        let mut bytes = self.bytes.clone();
        let mut wide = Vec::new();
        let mut one = |position: usize, bytes: &mut [u8]| {
            let Some(gap) = self.gaps.get(position) else { return };
            match (one_byte(gap.part), bytes.get_mut(gap.at)) {
                (Some(byte), Some(place)) => *place = byte,
                _ => wide.push(*gap),
            }
        };
        for level in &self.levels {
            if level.fill(&mut bytes, facts).is_none() {
                (level.first..level.first + AS_WRITTEN.len()).for_each(|position| one(position, &mut bytes));
            }
        }
        self.others.iter().for_each(|position| one(*position, &mut bytes));
        wide.sort_unstable_by_key(|gap| gap.at);
        (bytes, wide)
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
        tape.find_levels();
        tape
    }
}

pub(super) fn key_bytes(key: &str) -> Vec<u8> {
    encoded(|out| out.str(key).map(drop))
}
