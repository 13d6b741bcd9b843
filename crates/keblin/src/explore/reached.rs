//! What a search has reached: which levels and unlocks were open in each state, and from which states they never will be.

use std::collections::BTreeSet;

use keblin_schema::survival::Row;

use super::search::Found;
use super::tell::Projection;
use crate::progress::Engine;

/// Something to reach, as a position in the schema.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Goal {
    Level(usize),
    Unlock(usize),
}

/// A cell of the survival table: a field, as a position in the schema, and an event.
pub(super) type Cell = (usize, &'static str);

/// Returns the cells that an event is for fields with another value than their default, as far as they are not known.
pub(super) fn cells_of(
    projection: &Projection,
    before: &Engine,
    row: Row,
    known: &BTreeSet<Cell>,
) -> Vec<Cell> {
    let fields = projection.cone.fields.iter().filter(|field| !known.contains(&(**field, row.as_str())));
    let differs = |field: &&usize| {
        before
            .schema()
            .fields
            .get(**field)
            .is_some_and(|def| def.cells.clone().any(|cell| *before.value_at(cell) != def.default))
    };
    fields.filter(differs).map(|field| (*field, row.as_str())).collect()
}

/// What was reached.
#[derive(Debug, Default)]
pub(super) struct Reached {
    /// By state, then by goal in the order of [`goals`]: whether it was open or unlocked there.
    bits: Vec<u64>,
    words: usize,
    /// By state: the facts of its levels.
    pub(super) facts: Vec<u64>,
    /// By state: the difficulty.
    pub(super) difficulty: Vec<Option<u8>>,
    /// The cells of the survival table that happened to a value.
    pub(super) cells: BTreeSet<Cell>,
    /// Moments that were reported.
    pub(super) moments: BTreeSet<usize>,
    /// Levels that were finished.
    pub(super) finished: BTreeSet<usize>,
    /// Levels that were entered.
    pub(super) entered: BTreeSet<usize>,
    /// The most stars of each level.
    pub(super) stars: Vec<u8>,
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
        Goal::Level(level) => {
            engine.is_open_at(level, engine.difficulty().map(keblin_schema::Difficulty::index))
        }
        Goal::Unlock(unlock) => engine.has_unlocked(unlock),
    }
}

/// What is noted of one state.
#[derive(Debug)]
pub(super) struct Noted {
    bits: Vec<u64>,
    facts: u64,
    difficulty: Option<u8>,
}

impl Noted {
    pub(super) fn of(projection: &Projection, engine: &Engine) -> Noted {
        let mut bits = vec![0_u64; goals(projection).count().div_ceil(64)];
        for (place, goal) in goals(projection).enumerate() {
            let word = bits.get_mut(place / 64).filter(|_| reached_in(engine, goal));
            word.into_iter().for_each(|word| *word |= 1 << (place % 64));
        }
        let difficulty = engine.difficulty().map(keblin_schema::Difficulty::index);
        let difficulty = difficulty.and_then(|index| u8::try_from(index).ok());
        Noted { bits, facts: projection.facts_key(engine), difficulty }
    }
}

impl Reached {
    pub(super) fn note(&mut self, noted: Noted, engine: &Engine) {
        self.words = noted.bits.len();
        self.bits.extend(noted.bits);
        self.facts.push(noted.facts);
        self.difficulty.push(noted.difficulty);
        let state = engine.state();
        self.stars.resize(engine.schema().levels.len(), 0);
        for (index, facts) in state.facts.iter().enumerate() {
            let Some(level) = engine.schema().fact_place(index).level else { continue };
            if facts.finished {
                self.finished.insert(level);
            }
            if facts.attempts > 0 {
                self.entered.insert(level);
            }
            self.stars.get_mut(level).into_iter().for_each(|most| *most = facts.stars.max(*most));
        }
    }

    /// Returns whether a goal was reached in a state.
    pub(super) fn has(&self, state: usize, goal: usize) -> bool {
        let word = self.bits.get(state * self.words + goal / 64).copied().unwrap_or(0);
        word >> (goal % 64) & 1 == 1
    }
}

impl Found {
    /// Returns the states from which a goal is never reached, as far as that is known: all states that can follow were
    /// played on.
    pub(super) fn dead(&self, goal: usize) -> Vec<u32> {
        let states = self.ways.len();
        let mut before: Vec<Vec<u32>> = vec![Vec::new(); states];
        for edge in &self.edges {
            before.get_mut(edge.to as usize).into_iter().for_each(|before| before.push(edge.from));
        }
        let mut alive = vec![false; states];
        let starts = (0..states)
            .filter(|state| self.reached.has(*state, goal) || self.is_expanded.get(*state) != Some(&true));
        let mut left: Vec<usize> = starts.collect();
        left.iter().for_each(|state| alive.get_mut(*state).into_iter().for_each(|alive| *alive = true));
        while let Some(state) = left.pop() {
            for from in before.get(state).into_iter().flatten().map(|from| *from as usize) {
                if let Some(alive) = alive.get_mut(from).filter(|alive| !**alive) {
                    *alive = true;
                    left.push(from);
                }
            }
        }
        let dead = alive.iter().enumerate().filter(|(_, alive)| !**alive);
        dead.filter_map(|(state, _)| u32::try_from(state).ok()).collect()
    }

    /// Returns whether there was a state without a goal.
    pub(super) fn was_without(&self, goal: usize) -> bool {
        (0..self.ways.len()).any(|state| !self.reached.has(state, goal))
    }

    /// Returns the first state in which a goal is reached, on one difficulty or any.
    pub(super) fn first_with(&self, goal: usize, on: Option<u8>) -> Option<u32> {
        let is_there = |state: &usize| {
            let difficulty = self.reached.difficulty.get(*state).copied().flatten();
            self.reached.has(*state, goal) && (on.is_none() || difficulty == on)
        };
        (0..self.ways.len()).find(is_there).and_then(|state| u32::try_from(state).ok())
    }
}
