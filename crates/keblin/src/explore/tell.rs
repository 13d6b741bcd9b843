//! States are told apart by a projection: what the question depends on, and numbers only by the values around which
//! something changes.

use std::hash::{DefaultHasher, Hash, Hasher};
use std::ops::Range;

use keblin_model::program::Fact;
use keblin_model::{Model, Value};

use super::around::{Apart, Around};
use super::cone::Cone;
use crate::progress::Engine;
use crate::snapshot::{State, Visit};

/// A state as far as it is told apart.
pub(super) type Key = u128;

/// What tells a state apart, byte by byte: hashing it at once is faster than piece by piece.
struct Bytes(Vec<u8>);

impl Default for Bytes {
    fn default() -> Bytes {
        Bytes(Vec::with_capacity(256))
    }
}

impl Hasher for Bytes {
    fn write(&mut self, bytes: &[u8]) {
        self.0.extend_from_slice(bytes);
    }

    fn finish(&self) -> u64 {
        self.digest(0)
    }
}

impl Bytes {
    fn digest(&self, seed: u8) -> u64 {
        let mut hasher = DefaultHasher::new();
        hasher.write_u8(seed);
        hasher.write(&self.0);
        hasher.finish()
    }
}

/// The projection of a question.
#[derive(Debug)]
pub(super) struct Projection {
    pub(super) cone: Cone,
    pub(super) around: Around,
    /// The cells that matter, and how their values are told apart.
    values: Vec<(Range<usize>, Apart)>,
    /// By the position of facts: which of them matter.
    told: Vec<Told>,
    /// Whether copies of values matter.
    copies: bool,
    difficulty: bool,
}

/// Which facts of a level matter.
#[derive(Clone, Copy, Debug, Default)]
struct Told {
    finished: bool,
    stars: bool,
    attempts: bool,
    deaths: bool,
    /// Whether it was open.
    opened: bool,
}

impl Told {
    fn of(model: &Model, cone: &Cone, index: usize) -> Told {
        let Some(level) = model.fact_place(index).level else { return Told::default() };
        let has = |fact: Fact| cone.facts.contains(&(level, fact.as_str()));
        let latches = model.levels.get(level).is_some_and(|level| level.latch);
        Told {
            finished: has(Fact::Finished),
            stars: has(Fact::Stars),
            attempts: has(Fact::Attempts),
            deaths: has(Fact::Deaths),
            opened: latches && cone.levels.contains(&level),
        }
    }
}

impl Projection {
    pub(super) fn new(model: &Model, cone: Cone, around: Around) -> Projection {
        let (copies, difficulty) = (cone.has_values_of_a_run(model), cone.knows_difficulty(model));
        let told = (0..model.fact_count()).map(|index| Told::of(model, &cone, index)).collect();
        let fields = cone.fields.iter().filter_map(|index| Some((*index, model.fields.get(*index)?)));
        let values = fields.map(|(index, field)| (field.cells.clone(), around.apart(index))).collect();
        Projection { cone, around, values, told, copies, difficulty }
    }

    /// Returns what tells a state apart. Two that differ have the same key once in 2^64 at the most.
    pub(super) fn key(&self, engine: &Engine) -> Key {
        let mut told = Bytes::default();
        self.tell(engine, &mut told);
        let [one, other] = [0, 1].map(|seed| told.digest(seed));
        u128::from(one) << 64 | u128::from(other)
    }

    /// Returns what tells the facts of levels apart, and the values of the question.
    pub(super) fn facts_key(&self, engine: &Engine) -> u64 {
        let mut told = Bytes::default();
        self.tell_facts(engine.state(), &mut told);
        self.tell_values(&engine.state().cells, &mut told);
        told.digest(0)
    }

    fn tell(&self, engine: &Engine, into: &mut impl Hasher) {
        let state = engine.state();
        engine.phase().hash(into);
        if let Some(run) = &state.run {
            self.difficulty.then_some(run.difficulty).hash(into);
            for visit in [&run.visit, &run.save_point] {
                visit.is_some().hash(into);
                visit.iter().for_each(|visit| self.tell_visit(visit, into));
            }
        }
        self.difficulty.then_some(state.difficulty).hash(into);
        self.tell_values(&state.cells, into);
        self.tell_facts(state, into);
        for unlock in &self.cone.unlocks {
            (state.latched.get(*unlock) == Some(&true)).hash(into);
        }
        if self.cone.reads_furthest {
            state.furthest.hash(into);
        }
        self.around.tell_played(state.played, into);
    }

    fn tell_visit(&self, visit: &Visit, into: &mut impl Hasher) {
        visit.level.hash(into);
        visit.stay.hash(into);
        if self.copies || self.cone.reads_checkpoint {
            visit.checkpoint.hash(into);
        }
        if self.copies {
            self.tell_values(&visit.entry, into);
            visit.at_checkpoint.is_some().hash(into);
            visit.at_checkpoint.iter().for_each(|copy| self.tell_values(copy, into));
        }
    }

    fn tell_values(&self, cells: &[Value], into: &mut impl Hasher) {
        for (range, apart) in &self.values {
            // Copies have only the values of levels and runs.
            cells.get(range.clone()).into_iter().flatten().for_each(|value| apart.tell(value, into));
        }
    }

    fn tell_facts(&self, state: &State, into: &mut impl Hasher) {
        for (index, (facts, told)) in state.facts.iter().zip(&self.told).enumerate() {
            if told.finished {
                facts.finished.hash(into);
            }
            if told.stars {
                (facts.stars, facts.collected).hash(into);
            }
            if told.attempts {
                self.around.tell_count(facts.attempts, into);
            }
            if told.deaths {
                self.around.tell_count(facts.deaths, into);
            }
            if told.opened {
                (state.opened.get(index) == Some(&true)).hash(into);
            }
        }
    }
}
