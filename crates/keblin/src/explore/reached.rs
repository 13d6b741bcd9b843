//! What a search has reached: which levels and unlocks were open in each state, and the most of each level.

use std::collections::{BTreeSet, HashSet};

use keblin_model::Difficulty;
use keblin_model::survival::Row;

use super::tell::Projection;
use crate::progress::Engine;

/// Something to reach, as a position in the schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Goal {
    Level(usize),
    Unlock(usize),
}

/// A cell of the survival table: a field, as a position in the schema, and an event.
pub(super) type Cell = (usize, Row);

/// Returns the cells that an event is for fields with another value than their default, as far as they are not known.
pub(super) fn cells_of(
    projection: &Projection,
    before: &Engine,
    row: Row,
    known: &HashSet<Cell>,
) -> Vec<Cell> {
    let fields = projection.cone.fields.iter().filter(|field| !known.contains(&(**field, row)));
    let differs = |field: &&usize| {
        before
            .schema()
            .fields
            .get(**field)
            .is_some_and(|def| def.cells.clone().any(|cell| *before.value_at(cell) != def.default))
    };
    fields.filter(differs).map(|field| (*field, row)).collect()
}

/// What was reached.
#[derive(Debug, Default)]
pub(super) struct Reached {
    /// By state: the goals that were open or unlocked there.
    pub(super) goals: Bits,
    /// By state: the facts of its levels.
    pub(super) facts: Vec<u64>,
    /// By state: the difficulty.
    pub(super) difficulty: Vec<Option<u8>>,
    /// The cells of the survival table that happened to a value.
    pub(super) cells: HashSet<Cell>,
    /// Moments that were reported.
    pub(super) moments: BTreeSet<usize>,
    /// By level, the most of each.
    pub(super) levels: Vec<Best>,
}

/// What was reached in one level.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Best {
    pub(super) entered: bool,
    pub(super) finished: bool,
    pub(super) stars: u8,
}

impl Best {
    fn join(&mut self, other: Best) {
        self.entered |= other.entered;
        self.finished |= other.finished;
        self.stars = self.stars.max(other.stars);
    }
}

/// By state, a bit for each goal in the order of [`goals`].
#[derive(Clone, Debug, Default)]
pub(super) struct Bits {
    bits: Vec<u64>,
    words: usize,
}

impl Bits {
    /// Returns whether a state has the bit of a goal.
    pub(super) fn has(&self, state: usize, goal: usize) -> bool {
        let word = self.bits.get(state * self.words + goal / 64).copied().unwrap_or(0);
        word >> (goal % 64) & 1 == 1
    }

    /// Gives a state all bits.
    pub(super) fn fill(&mut self, state: usize) {
        let words = self.bits.get_mut(state * self.words..(state + 1) * self.words);
        words.into_iter().flatten().for_each(|word| *word = u64::MAX);
    }

    /// Gives a state the bits of another one; returns whether it had not all of them.
    pub(super) fn add(&mut self, state: usize, other: usize) -> bool {
        let mut has_changed = false;
        for place in 0..self.words {
            let more = self.bits.get(other * self.words + place).copied().unwrap_or(0);
            if let Some(word) =
                self.bits.get_mut(state * self.words + place).filter(|word| more & !**word != 0)
            {
                *word |= more;
                has_changed = true;
            }
        }
        has_changed
    }
}

/// Returns what a question asks to be reached, in a fixed order.
pub(super) fn goals(projection: &Projection) -> impl Iterator<Item = Goal> {
    let cone = &projection.cone;
    cone.levels
        .iter()
        .map(|level| Goal::Level(*level))
        .chain(cone.unlocks.iter().map(|one| Goal::Unlock(*one)))
}

/// Returns whether a level is open, or an unlock is unlocked.
pub(super) fn reached_in(engine: &Engine, goal: Goal) -> bool {
    match goal {
        Goal::Level(level) => engine.is_open_at(level, engine.difficulty().map(Difficulty::index)),
        Goal::Unlock(unlock) => engine.has_unlocked(unlock),
    }
}

/// What is noted of one state.
#[derive(Debug)]
pub(super) struct Noted {
    goals: Vec<u64>,
    facts: u64,
    difficulty: Option<u8>,
    levels: Vec<Best>,
}

impl Noted {
    pub(super) fn of(projection: &Projection, engine: &Engine) -> Noted {
        let mut words = vec![0_u64; goals(projection).count().div_ceil(64)];
        for (place, goal) in goals(projection).enumerate() {
            let word = words.get_mut(place / 64).filter(|_| reached_in(engine, goal));
            word.into_iter().for_each(|word| *word |= 1 << (place % 64));
        }
        let (model, state) = (engine.schema(), engine.state());
        let mut levels = vec![Best::default(); model.levels.len()];
        for (index, facts) in state.facts.iter().enumerate() {
            let level = model.fact_place(index).level.and_then(|level| levels.get_mut(level));
            let (entered, finished, stars) = (facts.attempts > 0, facts.finished, facts.stars);
            level.into_iter().for_each(|level| level.join(Best { entered, finished, stars }));
        }
        let difficulty = engine.difficulty().map(Difficulty::index);
        let difficulty = difficulty.and_then(|index| u8::try_from(index).ok());
        Noted { goals: words, facts: projection.facts_key(engine), difficulty, levels }
    }
}

impl Reached {
    pub(super) fn note(&mut self, noted: Noted) {
        self.goals.words = noted.goals.len();
        self.goals.bits.extend(noted.goals);
        self.facts.push(noted.facts);
        self.difficulty.push(noted.difficulty);
        self.levels.resize(noted.levels.len(), Best::default());
        self.levels.iter_mut().zip(noted.levels).for_each(|(held, level)| held.join(level));
    }
}
