//! States are told apart by a projection: what the question depends on, and numbers only by the values around which
//! something changes.

use std::hash::{DefaultHasher, Hash, Hasher};

use keblin_schema::Model;
use keblin_schema::condition::names::Fact;

use super::around::Around;
use super::cone::Cone;
use crate::progress::Engine;
use crate::snapshot::{State, Visit};

/// A state as far as it is told apart.
pub(super) type Key = u128;

/// The projection of a question.
#[derive(Debug)]
pub(super) struct Projection {
    pub(super) cone: Cone,
    pub(super) around: Around,
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
        Projection { cone, around, told, copies, difficulty }
    }

    /// Returns what tells a state apart. Two that differ have the same key once in 2^64 at the most.
    pub(super) fn key(&self, engine: &Engine) -> Key {
        let [one, other] = [0_u8, 1].map(|seed| {
            let mut into = DefaultHasher::new();
            seed.hash(&mut into);
            self.tell(engine, &mut into);
            into.finish()
        });
        u128::from(one) << 64 | u128::from(other)
    }

    /// Returns what tells the facts of levels apart, and the values of the question.
    pub(super) fn facts_key(&self, engine: &Engine) -> u64 {
        let mut into = DefaultHasher::new();
        self.tell_facts(engine.state(), &mut into);
        self.tell_values(engine.schema(), &engine.state().cells, &mut into);
        into.finish()
    }

    fn tell(&self, engine: &Engine, into: &mut impl Hasher) {
        let (schema, state) = (engine.schema(), engine.state());
        engine.phase().hash(into);
        if let Some(run) = &state.run {
            self.difficulty.then_some(run.difficulty).hash(into);
            for visit in [&run.visit, &run.save_point] {
                visit.is_some().hash(into);
                visit.iter().for_each(|visit| self.tell_visit(schema, visit, into));
            }
        }
        self.difficulty.then_some(state.difficulty).hash(into);
        self.tell_values(schema, &state.cells, into);
        self.tell_facts(state, into);
        for unlock in &self.cone.unlocks {
            state.latched.get(*unlock).hash(into);
        }
        if self.cone.reads_furthest {
            state.furthest.hash(into);
        }
        self.around.tell_played(state.played, into);
    }

    fn tell_visit(&self, schema: &Model, visit: &Visit, into: &mut impl Hasher) {
        visit.level.hash(into);
        (visit.stay.as_str()).hash(into);
        if self.copies || self.cone.reads_checkpoint {
            visit.checkpoint.hash(into);
        }
        if self.copies {
            self.tell_values(schema, &visit.entry, into);
            visit.at_checkpoint.is_some().hash(into);
            visit.at_checkpoint.iter().for_each(|copy| self.tell_values(schema, copy, into));
        }
    }

    fn tell_values(&self, schema: &Model, cells: &[keblin_schema::Value], into: &mut impl Hasher) {
        for index in &self.cone.fields {
            let Some(field) = schema.fields.get(*index) else { continue };
            // Copies have only the values of levels and runs.
            let held = cells.get(field.cells.clone()).into_iter().flatten();
            held.for_each(|value| self.around.tell_apart(*index, value, into));
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
                state.opened.get(index).hash(into);
            }
        }
    }
}
