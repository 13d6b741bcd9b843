//! Erasing the profile, a level, a fact or a field. Without the player's confirmation nothing happens, and the call
//! reports what would be erased.

use std::sync::Arc;

use keblin_schema::condition::names::{Asked, Fact, On};
use keblin_schema::model::{At, Axis};
use keblin_schema::{AnyGame, Difficulty, Level, Value};

use super::journal::{Cause, Target};
use super::notice::Notice;
use super::phase::EventName;
use super::refusal::{Refused, Why};
use super::{Engine, Holder, Play, Stage};

/// What is to be erased.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Erase<G = AnyGame> {
    /// The whole profile, including the run.
    Profile,
    /// A level: its facts, and its values of every field with one per level. On one difficulty, or on all.
    Level(Level<G>, Option<Difficulty<G>>),
    /// One fact or value, by a resolved name; without a difficulty in the name, on all of them.
    Named(Asked),
    /// A field with all its values, as a position in [`Model::fields`](keblin_schema::Model::fields).
    Field(usize),
}

/// Something that was erased, or would be.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Erased {
    /// Its name for people: `best_crossing at reedgate, neap`.
    pub name: String,
    /// Its old value.
    pub before: Value,
}

impl<G: Copy> Erase<G> {
    /// Converts the names to any game, unchecked.
    pub(crate) fn of_any(&self) -> Erase {
        match self {
            Erase::Profile => Erase::Profile,
            Erase::Level(level, difficulty) => {
                Erase::Level(level.of_any(), difficulty.map(Difficulty::of_any))
            }
            Erase::Named(asked) => Erase::Named(asked.clone()),
            Erase::Field(field) => Erase::Field(*field),
        }
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Erases the given data if `yes` is true and returns what was erased, in declaration order. Values become their
    /// defaults, records unset, facts never. Erasing the profile leads to the title and discards the run without
    /// submitting its records. Then save with [`Slot::save_erased`](crate::store::Slot::save_erased), so that damage
    /// cannot bring the data back; a [`Keeper`](crate::Keeper) does so itself.
    ///
    /// # Errors
    /// [`Why::NotConfirmed`] if `yes` is false, with what would be erased.
    pub fn erase(&mut self, what: &Erase<G>, yes: bool) -> Result<Vec<Erased>, Refused>
    where
        G: Copy,
    {
        self.engine_mut().erase(&what.of_any(), yes)
    }
}

impl Engine {
    pub(crate) fn erase(&mut self, what: &Erase, yes: bool) -> Result<Vec<Erased>, Refused> {
        let targets = self.targets(what);
        let erased: Vec<Erased> = targets.iter().filter_map(|target| self.would_erase(*target)).collect();
        if !yes {
            let would = erased.into_iter().map(|erased| erased.name).collect();
            return Err(self.refusal(EventName::Erase, Why::NotConfirmed { would }));
        }
        for target in targets {
            self.put_default(target);
        }
        match what {
            Erase::Profile => {
                // Settings are not progress: device values stay.
                self.forget_all_but_values();
                (self.carried, self.areas) = (Arc::default(), Arc::default());
                self.stage = Stage::Title;
                self.supposed.clear();
            }
            Erase::Level(level, _) if self.state.furthest == Some(level.index()) => self.fall_back(),
            _ => {}
        }
        self.note_rules();
        self.save_erased(what);
        self.tell(Notice::Erased);
        Ok(erased)
    }

    fn targets(&self, what: &Erase) -> Vec<Target> {
        let schema = &self.schema;
        let all_facts = || {
            let levels = (0..schema.levels.len()).flat_map(|level| self.fact_targets(level, None, Fact::ALL));
            levels.collect::<Vec<_>>()
        };
        let cells = |cells: std::ops::Range<usize>| cells.map(Target::Cell);
        match what {
            Erase::Profile => cells(0..schema.saved_cells).chain(all_facts()).collect(),
            Erase::Field(field) => {
                schema.fields.get(*field).into_iter().flat_map(|def| cells(def.cells.clone())).collect()
            }
            Erase::Level(level, difficulty) => {
                let difficulty = difficulty.map(Difficulty::index);
                let facts = self.fact_targets(level.index(), difficulty, Fact::ALL);
                let fields = schema.fields.iter().filter(|field| field.per.contains(&Axis::Level));
                let values = fields.flat_map(|field| cells(field.cells.clone()));
                facts
                    .into_iter()
                    .chain(
                        values.filter(|cell| self.is_at(*cell, At::level(Some(level.index()), difficulty))),
                    )
                    .collect()
            }
            Erase::Named(Asked::Fact { level, on, fact }) => self.fact_targets(*level, on.one(), &[*fact]),
            Erase::Named(Asked::Field { field, at }) => {
                let def = schema.fields.get(*field);
                let values = def.into_iter().flat_map(|def| cells(def.cells.clone()));
                values.filter(|cell| self.is_at(*cell, *at)).collect()
            }
            Erase::Named(Asked::Total { fact, on: On::Any }) => {
                (0..schema.levels.len()).flat_map(|level| self.fact_targets(level, None, &[*fact])).collect()
            }
            Erase::Named(_) => Vec::new(),
        }
    }

    /// Lists some facts of a level, on one difficulty or on all.
    fn fact_targets(&self, level: usize, difficulty: Option<usize>, facts: &[Fact]) -> Vec<Target> {
        let apart = self.schema.level_facts_per_difficulty;
        let on: Vec<Option<usize>> = match difficulty.filter(|_| apart) {
            Some(one) => vec![Some(one)],
            None if apart => (0..self.schema.difficulties.len()).map(Some).collect(),
            None => vec![None],
        };
        let places = on.into_iter().map(|difficulty| At::level(Some(level), difficulty));
        places.flat_map(|at| facts.iter().map(move |fact| Target::Fact { at, fact: *fact })).collect()
    }

    /// Returns whether a cell is at a place, for the axes that the place gives.
    fn is_at(&self, target: Target, place: At) -> bool {
        let Target::Cell(cell) = target else { return false };
        let Some((_, at)) = self.schema.cell_owner(cell) else { return false };
        let fits = |said: Option<usize>, is: Option<usize>| said.is_none() || is.is_none() || said == is;
        let mut items = place.items.iter().zip(&at.items);
        fits(place.level, at.level)
            && fits(place.difficulty, at.difficulty)
            && items.all(|(said, is)| said.is_none() || said == is)
    }

    fn would_erase(&self, target: Target) -> Option<Erased> {
        let (before, default) = match target {
            Target::Cell(cell) => {
                (self.value_at(cell).clone(), self.schema.cell_owner(cell)?.0.default.clone())
            }
            Target::Fact { at, fact } => (self.fact_value(at, fact), never(fact)),
        };
        (before != default).then(|| Erased { name: target.text(&self.schema), before })
    }

    fn put_default(&mut self, target: Target) {
        let schema = Arc::clone(&self.schema);
        match target {
            Target::Cell(cell) => {
                if let Some((field, _)) = schema.cell_owner(cell) {
                    self.put(cell, field.default.clone(), &Cause::Erase);
                }
            }
            Target::Fact { at, fact } => self.put_fact(at, fact, never(fact), &Cause::Erase),
        }
    }

    /// If the furthest level was erased, the furthest entered one takes its place.
    fn fall_back(&mut self) {
        let entered = |level: &usize| {
            self.fact_targets(*level, None, &[Fact::Attempts]).into_iter().any(|target| match target {
                Target::Fact { at, fact } => self.fact_value(at, fact) != Value::Int(0),
                Target::Cell(_) => false,
            })
        };
        self.state.furthest = (0..self.schema.levels.len()).rev().find(entered);
    }
}

/// Returns the first value of a fact.
fn never(fact: Fact) -> Value {
    if fact == Fact::Finished { Value::Bool(false) } else { Value::Int(0) }
}
