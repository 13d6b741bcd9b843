//! Erasing the profile, a level, a fact or a field. Without the player's confirmation nothing happens, and the call
//! reports what would be erased.

use std::sync::Arc;

use keblin_model::model::{At, Axis, Scope};
use keblin_model::names::Asked;
use keblin_model::program::{Fact, On};
use keblin_model::{AnyGame, Difficulty, Level, Reset, Value};

use super::journal::{Cause, Target};
use super::notice::Notice;
use super::parts::Part;
use super::phase::EventName;
use super::refusal::{Refused, Why};
use super::{Engine, Holder, Play, Stage};
use crate::grammar::listed::{FactOf, Leaf};
use crate::snapshot::Snapshot;
use crate::snapshot::history::Piece;

/// What is to be erased.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Erase<G = AnyGame> {
    /// The whole profile, including the run.
    Profile,
    /// A level: its facts, and its values of every field with one per level. On one difficulty, or on all.
    Level(Level<G>, Option<Difficulty<G>>),
    /// One fact of a level. On one difficulty, or on all.
    Fact(Level<G>, Option<Difficulty<G>>, Fact),
    /// One fact or value, or an unlock that latches, by a resolved name; without a difficulty in the name, on all of
    /// them.
    Named(Asked),
    /// What a declared reset erases.
    Reset(Reset<G>),
    /// A field with all its values, as a position in [`Model::fields`](keblin_model::Model::fields).
    Field(usize),
}

/// Something that was erased, or would be.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Erased {
    /// Its name for people: `best_crossing at reedgate, neap`.
    pub name: String,
    /// Its old value; `true` for a pin.
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
            Erase::Fact(level, difficulty, fact) => {
                Erase::Fact(level.of_any(), difficulty.map(Difficulty::of_any), *fact)
            }
            Erase::Named(asked) => Erase::Named(asked.clone()),
            Erase::Reset(reset) => Erase::Reset(reset.of_any()),
            Erase::Field(field) => Erase::Field(*field),
        }
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Erases the given data if `yes` is true and returns everything that went: the run, the furthest level and time
    /// played, then fields in declaration order, then facts, unlocks and moments. Values become their
    /// defaults, records unset, facts never. Erasing the profile leads to the title and discards the run without
    /// submitting its records. Then save with [`Slot::save_erased`](crate::store::Slot::save_erased), so that damage
    /// cannot bring the data back; a [`Keeper`](crate::Keeper) does so itself.
    ///
    /// # Errors
    /// [`Why::NotConfirmed`] if `yes` is false, with what would be erased. [`Why::NotErasable`] for something that is
    /// derived, with what to erase instead.
    pub fn erase(&mut self, what: &Erase<G>, yes: bool) -> Result<Vec<Erased>, Refused>
    where
        G: Copy,
    {
        // A pin is a copy of the whole profile.
        let pins = if matches!(what, Erase::Profile) { self.holder.pins() } else { Vec::new() };
        let pins = pins.into_iter().map(|pin| format!("pin {pin}"));
        match self.engine_mut().erase(&what.of_any(), yes) {
            Ok(mut erased) => {
                erased.extend(pins.map(|name| Erased { name, before: Value::Bool(true) }));
                Ok(erased)
            }
            Err(mut refused) => {
                if let Why::NotConfirmed { would } = refused.why.as_mut() {
                    would.extend(pins);
                }
                Err(refused)
            }
        }
    }
}

impl Engine {
    pub(crate) fn erase(&mut self, what: &Erase, yes: bool) -> Result<Vec<Erased>, Refused> {
        if let Erase::Named(asked) = what
            && let Some((what, instead)) = self.not_erasable(asked)
        {
            return Err(self.refusal(EventName::Erase, Why::NotErasable { what, instead }));
        }
        let mut after = self.clone();
        after.forget(what);
        let erased = what_went(&self.snapshot(), &after.snapshot());
        if !yes {
            let would = erased.into_iter().map(|erased| erased.name).collect();
            return Err(self.refusal(EventName::Erase, Why::NotConfirmed { would }));
        }
        self.forget(what);
        self.note_rules();
        self.save_erased(what);
        self.tell(Notice::Erased);
        Ok(erased)
    }

    fn forget(&mut self, what: &Erase) {
        for target in self.targets(what) {
            self.put_default(target);
        }
        match what {
            Erase::Profile => {
                // Settings are not progress: device values stay.
                self.forget_all_but_values();
                (self.carried, self.areas, self.title) = (Arc::default(), Arc::default(), None);
                self.world_was_replaced();
                self.stage = Stage::Title;
                self.supposed.clear();
            }
            Erase::Level(level, difficulty) => {
                for target in
                    self.fact_targets(level.index(), difficulty.map(Difficulty::index), &[Fact::Finished])
                {
                    let Target::Fact { at, .. } = target else { continue };
                    let index = self.schema.fact_index(level.index(), at.difficulty.unwrap_or(0));
                    self.state.opened.get_mut(index).into_iter().for_each(|opened| *opened = false);
                }
                if self.state.furthest == Some(level.index()) {
                    self.fall_back();
                }
            }
            Erase::Reset(reset) => self.forget_by(*reset),
            Erase::Named(Asked::Unlocked(unlock)) => {
                self.state.latched.get_mut(*unlock).into_iter().for_each(|latched| *latched = false);
            }
            _ => {}
        }
    }

    /// Returns what a name is, and what to erase instead, if erasing it could do nothing.
    fn not_erasable(&self, asked: &Asked) -> Option<(&'static str, &'static str)> {
        match asked {
            Asked::Fact { .. } | Asked::Field { .. } | Asked::Total { on: On::All, chapter: None, .. } => {
                None
            }
            Asked::Unlocked(unlock)
                if self.schema.unlocks.get(*unlock).is_some_and(|unlock| unlock.latch) =>
            {
                None
            }
            Asked::Total { .. } => Some((
                "a total of all levels",
                "erase the fact of one level, such as `levels.ID.stars`, or on all difficulties, such as `totals.all.stars`",
            )),
            Asked::Sum { .. } => Some(("a total of a field", "erase the field, or one of its values")),
            Asked::Entry { .. } | Asked::Member { .. } => Some(("part of a value", "erase the field")),
            Asked::Unlocked(_) => Some(("an unlock that does not latch", "erase what its rule asks for")),
            Asked::Furthest => Some(("the furthest level", "erase that level, or the profile")),
            Asked::Played => Some(("time played", "erase the profile")),
            _ => Some(("where the player is", "erase the profile, or end the run")),
        }
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
            Erase::Fact(level, difficulty, fact) => {
                self.fact_targets(level.index(), difficulty.map(Difficulty::index), &[*fact])
            }
            Erase::Named(Asked::Fact { level, on, fact }) => self.fact_targets(*level, on.one(), &[*fact]),
            Erase::Named(Asked::Field { field, at }) => {
                let def = schema.fields.get(*field);
                let values = def.into_iter().flat_map(|def| cells(def.cells.clone()));
                values.filter(|cell| self.is_at(*cell, *at)).collect()
            }
            Erase::Named(Asked::Total { fact, on: On::All, chapter: None }) => {
                (0..schema.levels.len()).flat_map(|level| self.fact_targets(level, None, &[*fact])).collect()
            }
            Erase::Reset(_) | Erase::Named(_) => Vec::new(),
        }
    }

    /// Returns what an erasure takes of the pieces that have a history of their own.
    pub(crate) fn pieces_of(&self, what: &Erase) -> Vec<Piece> {
        let schema = &self.schema;
        let mut pieces: Vec<Piece> = Vec::new();
        for target in self.targets(what) {
            match target {
                Target::Cell(cell) => pieces.extend(schema.field_at(cell).and_then(|field| {
                    let first = cell - (cell - field.cells.start) % field.places;
                    (field.scope == Scope::Profile).then(|| Piece::of_field(field, first))
                })),
                Target::Fact { at, fact } => {
                    let (level, on) = (at.level.unwrap_or_default(), at.difficulty.unwrap_or(0));
                    pieces.extend(pieces_of_fact(schema.fact_index(level, on), fact));
                }
            }
        }
        match what {
            Erase::Level(level, _) if self.state.furthest == Some(level.index()) => {
                pieces.push(Piece::Leaf(Leaf::Furthest));
            }
            Erase::Named(Asked::Unlocked(unlock)) => pieces.push(Piece::Leaf(Leaf::Latched(*unlock))),
            Erase::Reset(reset) => pieces.extend(self.pieces_of_reset(*reset)),
            _ => {}
        }
        pieces.dedup();
        pieces
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

    pub(super) fn put_default(&mut self, target: Target) {
        let schema = Arc::clone(&self.schema);
        match target {
            Target::Cell(cell) => {
                if let Some((field, _)) = schema.cell_owner(cell) {
                    self.put(cell, field.default.clone(), &Cause::Erase);
                    self.forget_unknown_of(cell);
                }
            }
            Target::Fact { at, fact } => self.put_fact(at, fact, never(fact), &Cause::Erase),
        }
    }

    /// If the furthest level was erased, the furthest entered one takes its place.
    pub(super) fn fall_back(&mut self) {
        let entered = |level: &usize| {
            self.fact_targets(*level, None, &[Fact::Attempts]).into_iter().any(|target| match target {
                Target::Fact { at, fact } => self.fact_value(at, fact) != Value::Int(0),
                Target::Cell(_) => false,
            })
        };
        self.state.furthest = self.schema.counted(None).rev().find(entered);
    }
}

/// Returns what an erasure takes away, with the old values. A copy that a death restores is part of its value.
fn what_went(before: &Snapshot, after: &Snapshot) -> Vec<Erased> {
    let went = Part::that_differ(before, after).into_iter().filter(|part| !part.is_copy());
    went.map(|part| Erased { name: part.text(&before.schema), before: part.value(before) }).collect()
}

/// Returns what an erasure takes of a fact. With the finish goes whether the level was open.
pub(super) fn pieces_of_fact(index: usize, fact: Fact) -> Vec<Piece> {
    match fact {
        Fact::Finished => {
            vec![Piece::of_fact(FactOf::Finished, index), Piece::Leaf(Leaf::Opened(index))]
        }
        Fact::Stars => vec![FactOf::Stars, FactOf::Collected]
            .into_iter()
            .map(|fact| Piece::of_fact(fact, index))
            .collect(),
        Fact::Attempts => vec![Piece::of_fact(FactOf::Attempts, index)],
        Fact::Deaths => vec![Piece::of_fact(FactOf::Deaths, index)],
    }
}

/// Returns the first value of a fact.
fn never(fact: Fact) -> Value {
    if fact == Fact::Finished { Value::Bool(false) } else { Value::Int(0) }
}
