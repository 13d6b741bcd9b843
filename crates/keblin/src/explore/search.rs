//! The search: all states that moves lead to, the nearest first, on all cores. The result is the same whatever their
//! number: states are numbered in the order of their predecessors and of the moves.

use std::collections::BTreeSet;
use std::mem::replace;
use std::num::NonZero;
use std::panic::resume_unwind;
use std::sync::Arc;
use std::thread;

use keblin_model::Moment;

use super::breach::{BreachCode, Unkept};
use super::found::{Found, Way};
use super::moves::Move;
use super::play::{Played, played};
use super::promises::{Before, Promises};
use super::reached::{Cell, Noted, cells_of};
use super::tell::{Key, Projection};
use crate::progress::Engine;

/// How many states are played on between two looks at the budget: many, so that no core waits long for another.
const BATCH: usize = 2048;

/// How far a search may go.
#[derive(Clone, Copy, Debug)]
pub(super) struct Budget {
    pub(super) states: usize,
    pub(super) steps: usize,
    pub(super) threads: usize,
}

/// What costs most is done in the first states, and then in one of so many.
const FIRST: u32 = 100;
const ONE_IN: u32 = 64;

/// A state that moves were played on, kept for as long as a state that follows it waits.
#[derive(Debug)]
struct Kept {
    state: u32,
    engine: Engine,
}

/// A state whose moves are not played yet. Only the state before it is in memory: the move is played again, because most
/// states that wait follow the same few.
#[derive(Debug)]
struct Waiting {
    state: u32,
    /// `None` for the first state.
    way: Option<(Arc<Kept>, u16)>,
}

/// A state whose moves were played.
struct Expanded {
    state: u32,
    nexts: Vec<Next>,
    /// `None` if no new state follows.
    kept: Option<Arc<Kept>>,
}

/// What one move of a state leads to.
struct Next {
    by: u16,
    key: Key,
    /// `None` if the state is known.
    is_new: Option<Noted>,
    moments: Vec<Moment>,
    /// The cells of the survival table that it was.
    cells: Vec<Cell>,
    saved: Option<Unkept>,
    broken: Vec<Unkept>,
}

/// The engines of a thread, which are used again and again.
#[derive(Clone)]
struct Engines {
    /// In the state whose moves are played.
    before: Engine,
    /// After a move.
    after: Engine,
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
        found.add(self.projection.key(start), None, Noted::of(self.projection, start));
        let engines = Engines { before: start.clone(), after: start.clone() };
        let mut engines = vec![engines; self.budget.threads.max(1)];
        let mut layer = vec![Waiting { state: 0, way: None }];
        while !layer.is_empty() && found.depth < self.budget.steps {
            let mut next_layer = Vec::new();
            let mut waiting = layer.into_iter();
            loop {
                let batch: Vec<Waiting> = waiting.by_ref().take(BATCH).collect();
                if batch.is_empty() {
                    break;
                }
                for expanded in self.expand(batch, &mut engines, &found) {
                    self.merge(&mut found, expanded, &mut next_layer);
                }
                let is_full = found.states() >= self.budget.states;
                if is_full || !(self.goes_on)(found.states(), found.depth, found.moves_played) {
                    return found;
                }
            }
            layer = next_layer;
            found.depth += 1;
        }
        found
    }

    /// Plays all moves of some states, in order.
    fn expand(&self, mut batch: Vec<Waiting>, engines: &mut [Engines], found: &Found) -> Vec<Expanded> {
        let share = batch.len().div_ceil(engines.len()).max(1);
        let work = |part: Vec<Waiting>, engines: &mut Engines| -> Vec<Expanded> {
            part.into_iter().map(|waiting| self.expanded(waiting, engines, found)).collect()
        };
        thread::scope(|scope| {
            let mut threads = Vec::new();
            for engines in engines {
                let rest = batch.split_off(share.min(batch.len()));
                let part = replace(&mut batch, rest);
                threads.push(scope.spawn(move || work(part, engines)));
            }
            let joined = threads.into_iter();
            joined.flat_map(|part| part.join().unwrap_or_else(|panic| resume_unwind(panic))).collect()
        })
    }

    /// Plays all moves of a state.
    fn expanded(&self, Waiting { state, way }: Waiting, engines: &mut Engines, found: &Found) -> Expanded {
        let Engines { before, after } = engines;
        if let Some((from, by)) = way
            && let Some(one) = self.moves.get(usize::from(by))
        {
            // It was possible before, so it is again.
            played(&from.engine, one, before, is_thorough(from.state));
        }
        let nexts = self.nexts(state, before, after, found);
        let leads_on = nexts.iter().any(|next| next.is_new.is_some());
        let kept = leads_on.then(|| Arc::new(Kept { state, engine: before.clone() }));
        Expanded { state, nexts, kept }
    }

    fn nexts(&self, state: u32, engine: &Engine, after: &mut Engine, found: &Found) -> Vec<Next> {
        let mut nexts = Vec::new();
        let before = Before::new(engine);
        for (by, one) in (0_u16..).zip(self.moves) {
            let stepped = match played(engine, one, after, is_thorough(state)) {
                Played::Done(stepped) => stepped,
                Played::Not => continue,
                Played::Refused(why) => {
                    let message = format!("`{}` is refused although its phase allows it: {why}", one.text());
                    nexts.push(Next {
                        by,
                        key: self.projection.key(engine),
                        is_new: None,
                        moments: Vec::new(),
                        cells: Vec::new(),
                        saved: None,
                        broken: vec![Unkept::new(BreachCode::RefusedAlthoughOk, one.text(), message)],
                    });
                    continue;
                }
            };
            let step = (&*after, &stepped);
            let broken = self.promises.broken(&before, one, step);
            let saved = (state < FIRST).then(|| self.promises.saved(&before, one, step)).flatten();
            let key = self.projection.key(after);
            let row = one.kind.row(engine.phase(), after.phase());
            let known = &found.reached.cells;
            let cells = row.map_or_else(Vec::new, |row| cells_of(self.projection, engine, row, known));
            let is_new = !found.keys.contains_key(&key);
            let is_new = is_new.then(|| Noted::of(self.projection, after));
            nexts.push(Next { by, key, is_new, moments: stepped.moments, cells, saved, broken });
        }
        nexts
    }

    fn merge(&self, found: &mut Found, expanded: Expanded, layer: &mut Vec<Waiting>) {
        let Expanded { state: from, nexts, kept } = expanded;
        let (mut to, mut is_whole) = (BTreeSet::new(), true);
        for Next { by, key, is_new, moments, cells, saved, broken } in nexts {
            found.moves_played += 1;
            found.reached.moments.extend(moments.into_iter().map(Moment::index));
            found.reached.cells.extend(cells);
            let is_first = |saved: &Unkept| found.saved.iter().all(|(_, _, one)| one.about != saved.about);
            found.saved.extend(saved.filter(is_first).map(|saved| (from, by, saved)));
            broken.into_iter().for_each(|broken| found.note(from, by, broken));
            let state = match (found.keys.get(&key), is_new) {
                (Some(known), _) => *known,
                (None, Some(_)) if found.states() >= self.budget.states => {
                    is_whole = false;
                    continue;
                }
                (None, Some(noted)) => {
                    let state = found.add(key, Some(Way { from, by }), noted);
                    layer.push(Waiting { state, way: kept.clone().map(|kept| (kept, by)) });
                    state
                }
                (None, None) => continue,
            };
            let gives_up = self.moves.get(usize::from(by)).is_none_or(Move::gives_up);
            to.extend((!gives_up && state != from).then_some(state));
        }
        found.expanded(to, is_whole);
    }
}

/// Whether what costs most is done too: chosen by the number of the state, so that it does not depend on the number of cores.
fn is_thorough(state: u32) -> bool {
    state < FIRST || state.is_multiple_of(ONE_IN)
}

/// Returns how many cores there are.
pub(super) fn cores() -> usize {
    thread::available_parallelism().map_or(1, NonZero::get)
}
