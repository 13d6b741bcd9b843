//! All that a search has found: how each state was reached, what can follow it, and where something is out of reach.

use std::collections::HashMap;

use super::breach::Unkept;
use super::reached::{Bits, Noted, Reached};
use super::tell::Key;

/// How a state was reached.
#[derive(Clone, Copy, Debug)]
pub(super) struct Way {
    pub(super) from: u32,
    pub(super) by: u16,
}

/// All that a search has found.
#[derive(Debug, Default)]
pub(super) struct Found {
    /// By state, from the second one: the first one was not reached by a move.
    ways: Vec<Way>,
    /// The states that can follow, without giving up what was reached: first all of the first state, and so on.
    next: Vec<u32>,
    /// By state: where those that follow it end in `next`.
    ends: Vec<usize>,
    /// By state: whether all its moves were played.
    is_expanded: Vec<bool>,
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
    /// Returns how many states were told apart.
    pub(super) fn states(&self) -> usize {
        self.is_expanded.len()
    }

    /// Adds a state; returns its number.
    pub(super) fn add(&mut self, key: Key, way: Option<Way>, noted: Noted) -> u32 {
        let state = u32::try_from(self.states()).unwrap_or(u32::MAX);
        self.keys.insert(key, state);
        self.ways.extend(way);
        self.is_expanded.push(false);
        self.reached.note(noted);
        state
    }

    /// Notes which states can follow the next one in order, and whether all its moves were played.
    pub(super) fn expanded(&mut self, next: impl IntoIterator<Item = u32>, is_whole: bool) {
        self.next.extend(next);
        let expanded = self.is_expanded.get_mut(self.ends.len());
        expanded.into_iter().for_each(|expanded| *expanded = is_whole);
        self.ends.push(self.next.len());
    }

    /// Returns whether all states were reached, and all their moves were played.
    pub(super) fn is_exhausted(&self) -> bool {
        !self.leaves_out && self.is_expanded.iter().all(|expanded| *expanded)
    }

    /// Returns the moves that lead to a state.
    pub(super) fn path(&self, state: u32) -> Vec<u16> {
        let (mut path, mut at) = (Vec::new(), state);
        while let Some(way) = (at as usize).checked_sub(1).and_then(|place| self.ways.get(place)) {
            path.push(way.by);
            at = way.from;
        }
        path.reverse();
        path
    }

    pub(super) fn note(&mut self, from: u32, by: u16, broken: Unkept) {
        let is_known =
            |(_, _, known): &(u32, u16, Unkept)| (known.code, &known.about) == (broken.code, &broken.about);
        if !self.broken.iter().any(is_known) {
            self.broken.push((from, by, broken));
        }
    }

    /// Returns, by state, which goals are reached there or later, as far as that is known: a state whose moves were not all
    /// played may lead anywhere.
    pub(super) fn within_reach(&self) -> Bits {
        let mut within = self.reached.goals.clone();
        let unknown = self.is_expanded.iter().enumerate().filter(|(_, expanded)| !**expanded);
        unknown.for_each(|(state, _)| within.fill(state));
        // Most moves lead to states with higher numbers, so a few rounds from the last to the first are enough.
        let mut has_changed = true;
        while has_changed {
            has_changed = false;
            for (state, end) in self.ends.iter().enumerate().rev() {
                let begin =
                    state.checked_sub(1).and_then(|before| self.ends.get(before)).copied().unwrap_or(0);
                for next in self.next.get(begin..*end).into_iter().flatten() {
                    has_changed |= within.add(state, *next as usize);
                }
            }
        }
        within
    }

    /// Returns whether there was a state without a goal.
    pub(super) fn was_without(&self, goal: usize) -> bool {
        (0..self.states()).any(|state| !self.reached.goals.has(state, goal))
    }

    /// Returns the first state in which a goal is reached, on one difficulty or any.
    pub(super) fn first_with(&self, goal: usize, on: Option<u8>) -> Option<u32> {
        let is_there = |state: &usize| {
            let difficulty = self.reached.difficulty.get(*state).copied().flatten();
            self.reached.goals.has(*state, goal) && (on.is_none() || difficulty == on)
        };
        (0..self.states()).find(is_there).and_then(|state| u32::try_from(state).ok())
    }
}
