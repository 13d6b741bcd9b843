//! The search: all states that moves lead to, the nearest first, on all cores. The result is the same whatever their
//! number: states are numbered in the order of their predecessors and of the moves.

use std::collections::{BTreeSet, HashMap};
use std::num::NonZero;
use std::panic::resume_unwind;
use std::thread;

use super::breach::{BreachCode, Unkept};
use super::moves::Move;
use super::play::{Played, Stepped, played};
use super::promises::Promises;
use super::reached::{Cell, Noted, Reached, cells_of};
use super::tell::{Key, Projection};
use crate::progress::Engine;

/// How many states are played on between two looks at the budget.
const BATCH: usize = 256;

/// How far a search may go.
#[derive(Clone, Copy, Debug)]
pub(super) struct Budget {
    pub(super) states: usize,
    pub(super) steps: usize,
    pub(super) threads: usize,
}

/// What costs most is done in the first states, and then in one of so many.
const FIRST: usize = 100;
const ONE_IN: u32 = 64;

/// How a state was reached.
#[derive(Clone, Copy, Debug)]
pub(super) struct Way {
    pub(super) from: u32,
    pub(super) by: u16,
}

/// A move to a state that was there already, or is new.
#[derive(Clone, Copy, Debug)]
pub(super) struct Edge {
    pub(super) from: u32,
    pub(super) to: u32,
}

/// All that a search has found.
#[derive(Debug, Default)]
pub(super) struct Found {
    /// By state; the first one has none.
    pub(super) ways: Vec<Option<Way>>,
    /// Moves that do not give up what was reached.
    pub(super) edges: Vec<Edge>,
    /// By state: whether all its moves were played.
    pub(super) is_expanded: Vec<bool>,
    pub(super) keys: HashMap<Key, u32>,
    pub(super) moves_played: usize,
    pub(super) depth: usize,
    pub(super) reached: Reached,
    /// Whether something is compared with a value that no move gives.
    pub(super) leaves_out: bool,
    /// The first state and move of each event that is saved: whether the disk has it is tried apart.
    pub(super) saved: Vec<(u32, u16, Unkept)>,
    /// The first state and move that breaks each promise.
    pub(super) broken: Vec<(u32, u16, Unkept)>,
}

impl Found {
    /// Returns whether all states were reached, and all their moves were played.
    pub(super) fn is_exhausted(&self) -> bool {
        !self.leaves_out && self.is_expanded.iter().all(|expanded| *expanded)
    }

    /// Returns the moves that lead to a state.
    pub(super) fn path(&self, state: u32) -> Vec<u16> {
        let (mut path, mut at) = (Vec::new(), state);
        while let Some(Some(way)) = self.ways.get(at as usize) {
            path.push(way.by);
            at = way.from;
        }
        path.reverse();
        path
    }

    fn note(&mut self, from: u32, by: u16, broken: Unkept) {
        let is_known =
            |(_, _, known): &(u32, u16, Unkept)| (known.code, &known.about) == (broken.code, &broken.about);
        if !self.broken.iter().any(is_known) {
            self.broken.push((from, by, broken));
        }
    }
}

/// What one move of a state leads to.
struct Next {
    by: u16,
    key: Key,
    /// `None` if the state is known.
    stepped: Option<(Box<Stepped>, Noted)>,
    moments: Vec<usize>,
    /// The cells of the survival table that it was.
    cells: Vec<Cell>,
    saved: Option<Unkept>,
    broken: Vec<Unkept>,
}

/// A search of one question.
pub(super) struct Search<'s> {
    pub(super) projection: &'s Projection,
    pub(super) promises: &'s Promises,
    pub(super) moves: &'s [Move],
    pub(super) budget: Budget,
    /// Called after each batch with the states, the depth and the moves played; false ends the search.
    pub(super) goes_on: &'s (dyn Fn(usize, usize, usize) -> bool + Sync),
}

impl Search<'_> {
    pub(super) fn run(&self, start: &Engine) -> Found {
        let mut found = Found::default();
        found.add(self.projection.key(start), None);
        found.reached.note(Noted::of(self.projection, start), start);
        let mut layer = vec![(0_u32, start.clone())];
        while !layer.is_empty() && found.depth < self.budget.steps {
            let mut next_layer = Vec::new();
            let mut waiting = layer.into_iter();
            loop {
                let batch: Vec<(u32, Engine)> = waiting.by_ref().take(BATCH).collect();
                if batch.is_empty() {
                    break;
                }
                let expanded = self.expand(&batch, &found.keys, &found.reached.cells);
                for ((from, _), nexts) in batch.iter().zip(expanded) {
                    self.merge(&mut found, *from, nexts, &mut next_layer);
                }
                let is_full = found.ways.len() >= self.budget.states;
                if is_full || !(self.goes_on)(found.ways.len(), found.depth, found.moves_played) {
                    return found;
                }
            }
            layer = next_layer;
            found.depth += 1;
        }
        found
    }

    /// Plays all moves of some states.
    fn expand(
        &self,
        batch: &[(u32, Engine)],
        known: &HashMap<Key, u32>,
        survived: &BTreeSet<Cell>,
    ) -> Vec<Vec<Next>> {
        let share = batch.len().div_ceil(self.budget.threads.max(1)).max(1);
        thread::scope(|scope| {
            let work =
                |part: &[(u32, Engine)]| part.iter().map(|one| self.nexts(one, known, survived)).collect();
            let parts: Vec<_> = batch
                .chunks(share)
                .map(|part| scope.spawn(move || -> Vec<Vec<Next>> { work(part) }))
                .collect();
            parts
                .into_iter()
                .flat_map(|part| part.join().unwrap_or_else(|panic| resume_unwind(panic)))
                .collect()
        })
    }

    fn nexts(
        &self,
        (state, engine): &(u32, Engine),
        known: &HashMap<Key, u32>,
        survived: &BTreeSet<Cell>,
    ) -> Vec<Next> {
        let mut nexts = Vec::new();
        // Chosen by the number of the state, so that it does not depend on the number of cores.
        let thoroughly = known.len() < FIRST || state.is_multiple_of(ONE_IN);
        for (by, one) in (0_u16..).zip(self.moves) {
            let stepped = match played(engine, one, thoroughly) {
                Played::Done(stepped) => stepped,
                Played::Not => continue,
                Played::Refused(why) => {
                    let message = format!("`{}` is refused although its phase allows it: {why}", one.text());
                    let broken = vec![Unkept::new(BreachCode::RefusedAlthoughOk, one.text(), message)];
                    let key = self.projection.key(engine);
                    nexts.push(Next {
                        by,
                        key,
                        stepped: None,
                        moments: Vec::new(),
                        cells: Vec::new(),
                        saved: None,
                        broken,
                    });
                    continue;
                }
            };
            let broken = self.promises.broken(engine, one, &stepped);
            let is_first = known.len() < FIRST;
            let saved = is_first.then(|| self.promises.saved(engine, one, &stepped)).flatten();
            let key = self.projection.key(&stepped.engine);
            let moments = stepped.moments.iter().map(|moment| moment.index()).collect();
            let row = one.kind.row(engine.phase(), stepped.engine.phase());
            let cells = row.map_or_else(Vec::new, |row| cells_of(self.projection, engine, row, survived));
            let stepped = (!known.contains_key(&key)).then(|| {
                let noted = Noted::of(self.projection, &stepped.engine);
                (stepped, noted)
            });
            nexts.push(Next { by, key, stepped, moments, cells, saved, broken });
        }
        nexts
    }

    fn merge(&self, found: &mut Found, from: u32, nexts: Vec<Next>, layer: &mut Vec<(u32, Engine)>) {
        let mut is_whole = true;
        for Next { by, key, stepped, moments, cells, saved, broken } in nexts {
            found.moves_played += 1;
            found.reached.moments.extend(moments);
            found.reached.cells.extend(cells);
            if let Some(saved) =
                saved.filter(|saved| found.saved.iter().all(|(_, _, one)| one.about != saved.about))
            {
                found.saved.push((from, by, saved));
            }
            broken.into_iter().for_each(|broken| found.note(from, by, broken));
            let to = match (found.keys.get(&key), stepped) {
                (Some(known), _) => *known,
                (None, Some(_)) if found.ways.len() >= self.budget.states => {
                    is_whole = false;
                    continue;
                }
                (None, Some((stepped, noted))) => {
                    let to = found.add(key, Some(Way { from, by }));
                    found.reached.note(noted, &stepped.engine);
                    layer.push((to, stepped.engine));
                    to
                }
                (None, None) => continue,
            };
            let gives_up = self.moves.get(usize::from(by)).is_none_or(Move::gives_up);
            if !gives_up && to != from {
                found.edges.push(Edge { from, to });
            }
        }
        found.is_expanded.get_mut(from as usize).into_iter().for_each(|expanded| *expanded = is_whole);
    }
}

impl Found {
    fn add(&mut self, key: Key, way: Option<Way>) -> u32 {
        let state = u32::try_from(self.ways.len()).unwrap_or(u32::MAX);
        self.keys.insert(key, state);
        self.ways.push(way);
        self.is_expanded.push(false);
        state
    }
}

/// Returns how many cores there are.
pub(super) fn cores() -> usize {
    thread::available_parallelism().map_or(1, NonZero::get)
}
