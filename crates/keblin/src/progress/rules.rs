//! Rules: bounds, locks, unlocks and moments. Whether a level can be entered and an unlock is unlocked, and why not:
//! the level select and the door ask here. Whatever opens or becomes true is reported once. Only rules that name a
//! changed value are evaluated again.

use keblin_model::model::RuleId;
use keblin_model::program::Fact;
use keblin_model::{Difficulty, Level, OfGame, Unlock};

use super::notice::Notice;
use super::refusal::Why;
use super::standing::Standing;
use super::{Engine, Holder, Play};
use crate::snapshot::Schema;

/// The results of locks, unlocks and moments when they were last evaluated, and which rules to evaluate again.
#[derive(Clone, Debug, Default)]
pub(super) struct Rules {
    pub(super) open: Vec<bool>,
    pub(super) given: Vec<bool>,
    /// By moment: whether it was true.
    pub(super) held: Vec<bool>,
    /// By invariant: whether it was not true.
    pub(super) broken: Vec<bool>,
    pub(super) again: Vec<RuleId>,
    /// During a death or a retry, whose effects are not reported by `each_time` moments.
    pub(super) quiet: bool,
    pub(super) asked: u64,
}

impl Rules {
    pub(super) fn ask_again(&mut self, rule: RuleId) {
        if !self.again.contains(&rule) {
            self.again.push(rule);
        }
    }

    #[inline]
    pub(super) fn cell_changed(&mut self, schema: &Schema, cell: usize) {
        schema.watch.of_cell(cell).iter().for_each(|rule| self.ask_again(*rule));
    }

    pub(super) fn fact_changed(&mut self, schema: &Schema, level: usize, fact: Fact) {
        schema.watch.of_fact(level, fact).for_each(|rule| self.ask_again(rule));
    }

    pub(super) fn time_passed(&mut self, schema: &Schema) {
        schema.watch.of_played().iter().for_each(|rule| self.ask_again(*rule));
    }

    /// Notes that an event changed the phase, the level, the checkpoint or the furthest level.
    fn moved(&mut self, schema: &Schema) {
        schema.watch.of_words().for_each(|(_, rule)| self.ask_again(rule));
    }

    /// Returns whether something that a rule names has changed.
    #[inline]
    pub(super) fn are_due(&self) -> bool {
        !self.again.is_empty()
    }

    /// Returns whether a level is open on the current difficulty, as last evaluated: nothing that its rule names has
    /// changed since.
    pub(super) fn is_open(&self, level: usize) -> bool {
        self.open.get(level).copied().unwrap_or(false)
    }

    pub(super) fn give(&mut self, unlock: usize) {
        self.given.get_mut(unlock).into_iter().for_each(|given| *given = true);
    }

    /// Notes that an unlock was given.
    pub(super) fn unlock_changed(&mut self, schema: &Schema, unlock: usize) {
        schema.watch.of_unlock(unlock).for_each(|rule| self.ask_again(rule));
    }

    pub(super) fn is_given(&self, unlock: usize) -> bool {
        self.given.get(unlock).copied().unwrap_or(false)
    }
}

/// What an event opened.
#[derive(Default)]
pub(super) struct Opened {
    pub(super) levels: Vec<Level>,
    pub(super) unlocks: Vec<Unlock>,
}

impl<G, P: Holder> Play<G, P> {
    /// Returns why a level cannot be entered, or could be, part by part; empty for a level without a lock.
    /// `difficulty` is the difficulty to check; `None` is that of the run, or the one last chosen.
    ///
    /// # Panics
    /// If the level was looked up in a schema with more levels.
    #[must_use]
    pub fn why_locked(&self, level: Level<G>, difficulty: Option<Difficulty<G>>) -> Vec<Standing<G>> {
        self.engine().why_locked(level.of_any(), difficulty.map(Difficulty::of_any)).of_game()
    }

    /// Returns whether a level can be entered on a difficulty; `None` is that of the run, or the one last chosen.
    ///
    /// # Panics
    /// If the level was looked up in a schema with more levels.
    #[must_use]
    pub fn is_open(&self, level: Level<G>, difficulty: Option<Difficulty<G>>) -> bool {
        self.engine().is_open(level.of_any(), difficulty.map(Difficulty::of_any))
    }

    /// Returns whether an unlock is unlocked: its rule is true, or it latches and its rule was true once.
    #[must_use]
    pub fn is_unlocked(&self, unlock: Unlock<G>) -> bool {
        self.engine().is_unlocked(unlock.of_any())
    }

    /// Returns why an unlock is not unlocked, or is, part by part.
    #[must_use]
    pub fn why_not_unlocked(&self, unlock: Unlock<G>) -> Vec<Standing<G>> {
        self.engine().why_not_unlocked(unlock.of_any()).of_game()
    }

    /// Returns how often a lock or an unlock was evaluated because something that it names had changed, since this
    /// progress was made.
    #[must_use]
    pub fn rules_asked(&self) -> u64 {
        self.engine().rules_asked()
    }
}

impl Engine {
    pub(crate) fn why_locked(&self, level: Level, difficulty: Option<Difficulty>) -> Vec<Standing> {
        self.lock_parts(self.known(level), difficulty.map(Difficulty::index).or(self.here().difficulty))
    }

    pub(crate) fn is_open(&self, level: Level, difficulty: Option<Difficulty>) -> bool {
        self.is_open_at(self.known(level), difficulty.map(Difficulty::index).or(self.here().difficulty))
    }

    pub(crate) fn is_unlocked(&self, unlock: Unlock) -> bool {
        self.rules.is_given(unlock.index())
    }

    pub(crate) fn why_not_unlocked(&self, unlock: Unlock) -> Vec<Standing> {
        let rule = self.schema.unlocks.get(unlock.index()).and_then(|unlock| unlock.when.as_ref());
        let mut parts = rule.map_or_else(Vec::new, |rule| self.standings(rule, self.here().difficulty));
        // What was bought costs nothing more.
        if !self.is_unlocked(unlock) {
            parts.extend(self.price_parts(unlock.index()));
        }
        parts
    }

    /// Returns whether the unlock at a position is unlocked.
    #[cfg(feature = "testing")]
    pub(crate) fn has_unlocked(&self, unlock: usize) -> bool {
        self.rules.is_given(unlock)
    }

    pub(crate) fn rules_asked(&self) -> u64 {
        self.rules.asked
    }

    pub(crate) fn is_open_at(&self, level: usize, difficulty: Option<usize>) -> bool {
        let was_open = self.schema.levels.get(level).is_some_and(|level| level.latch)
            && self.state.opened.get(self.schema.fact_index(level, difficulty.unwrap_or(0))) == Some(&true);
        was_open || self.is_met_at(level, difficulty)
    }

    /// Returns whether the rule of a level is true on a difficulty.
    fn is_met_at(&self, level: usize, difficulty: Option<usize>) -> bool {
        let rule = self.schema.levels.get(level).and_then(|level| level.lock.as_ref());
        rule.is_none_or(|rule| rule.program.holds(self, difficulty.unwrap_or(0)))
    }

    pub(super) fn lock_parts(&self, level: usize, difficulty: Option<usize>) -> Vec<Standing> {
        let rule = self.schema.levels.get(level).and_then(|level| level.lock.as_ref());
        rule.map_or_else(Vec::new, |rule| self.standings(rule, difficulty))
    }

    /// Returns why a level cannot be entered now, if so.
    pub(super) fn locked(&self, level: usize) -> Option<Why> {
        let difficulty = self.here().difficulty;
        if self.is_open_at(level, difficulty) {
            return None;
        }
        let parts = self.lock_parts(level, difficulty);
        let missing = parts.iter().filter(|part| !part.met).map(|part| part.text(&self.schema)).collect();
        Some(Why::Locked { level: self.level_name(level), missing })
    }

    /// Evaluates everything without reporting it, after a begin, a load or a made-up state. Moments that are reported
    /// once may still be.
    pub(super) fn note_rules(&mut self) {
        self.hold_bounds();
        self.rules.again.clear();
        self.rules.given = self.state.latched.clone();
        // Unlocks may wait for each other, so they are evaluated until nothing more is unlocked; each round unlocks
        // one, or is the last.
        for _ in 0..=self.schema.unlocks.len() {
            let now: Vec<bool> = (0..self.schema.unlocks.len()).map(|unlock| self.gives(unlock)).collect();
            if now == self.rules.given {
                break;
            }
            self.rules.given = now;
        }
        for (index, unlock) in self.schema.unlocks.iter().enumerate() {
            if let Some(latched) = self.state.latched.get_mut(index) {
                *latched |= unlock.latch && self.rules.is_given(index);
            }
        }
        (0..self.schema.levels.len()).for_each(|level| self.latch_level(level));
        let difficulty = self.here().difficulty;
        self.rules.open =
            (0..self.schema.levels.len()).map(|level| self.is_open_at(level, difficulty)).collect();
        self.note_moments();
        self.note_invariants();
    }

    fn gives(&self, unlock: usize) -> bool {
        let latched = self.state.latched.get(unlock).copied().unwrap_or(false);
        let rule = self.schema.unlocks.get(unlock).and_then(|unlock| unlock.when.as_ref());
        let is_bought = self.schema.unlocks.get(unlock).is_some_and(|unlock| !unlock.costs.is_empty());
        latched
            || !is_bought
                && rule.is_some_and(|rule| rule.program.holds(self, self.here().difficulty.unwrap_or(0)))
    }

    /// Called at the end of an event that may have changed the phase, the level, the checkpoint or the furthest
    /// level.
    pub(super) fn moved(&mut self) -> Opened {
        self.rules.moved(&self.schema);
        self.settle()
    }

    /// Evaluates the rules that name a changed value, until nothing more opens, and reports what did.
    pub(super) fn settle(&mut self) -> Opened {
        let quiet = self.rules.quiet;
        let mut opened = Opened::default();
        if self.rules.again.is_empty() {
            return opened;
        }
        // Rules that undo each other would never settle, so each is evaluated a limited number of times.
        let rules = self.schema.levels.len() + self.schema.unlocks.len() + self.schema.fields.len();
        let mut left = rules.pow(2) + self.schema.moments.len() + self.schema.invariants.len() + 1;
        while let (Some(rule), true) = (self.next_rule(), left > 0) {
            left -= 1;
            self.rules.asked += 1;
            match rule {
                RuleId::Bounds(field) => self.hold_bounds_of(field as usize),
                RuleId::Lock(level) => self.ask_level(level as usize, &mut opened),
                RuleId::Unlock(unlock) => self.ask_unlock(unlock as usize, &mut opened),
                RuleId::Moment(moment) => self.ask_moment(moment as usize, quiet),
                RuleId::Invariant(invariant) => self.ask_invariant(invariant as usize),
            }
        }
        self.rules.again.clear();
        opened
    }

    /// Returns the next rule to evaluate, in declared order.
    fn next_rule(&mut self) -> Option<RuleId> {
        let (index, _) = self.rules.again.iter().enumerate().min_by_key(|(_, rule)| **rule)?;
        Some(self.rules.again.swap_remove(index))
    }

    /// Notes that a level that latches is open, on each difficulty.
    fn latch_level(&mut self, level: usize) {
        if self.schema.levels.get(level).is_none_or(|level| !level.latch) {
            return;
        }
        let all =
            if self.schema.level_facts_per_difficulty { self.schema.difficulties.len().max(1) } else { 1 };
        for difficulty in 0..all {
            // Kept together, a level is open on the difficulty that is played.
            let asked = if all == 1 { self.here().difficulty } else { Some(difficulty) };
            let index = self.schema.fact_index(level, difficulty);
            // A finished level was open, also before it was declared to latch.
            let was = self.state.facts.get(index).is_some_and(|facts| facts.finished);
            let now = was || self.is_met_at(level, asked);
            let held = self.state.opened.get_mut(index);
            held.into_iter().for_each(|held| *held |= now);
        }
    }

    fn ask_level(&mut self, level: usize, opened: &mut Opened) {
        self.latch_level(level);
        let difficulty = self.here().difficulty;
        let now = self.is_open_at(level, difficulty);
        let before = self.rules.open.get_mut(level).is_some_and(|open| std::mem::replace(open, now));
        let Some(level) = self.schema.level_at(level).filter(|_| now && !before) else { return };
        let apart = difficulty.filter(|_| self.schema.level_facts_per_difficulty);
        let difficulty = apart.and_then(|index| self.schema.difficulty_at(index));
        self.tell(Notice::Opened { level, difficulty });
        opened.levels.push(level);
    }

    fn ask_unlock(&mut self, unlock: usize, opened: &mut Opened) {
        let now = self.gives(unlock);
        let before = self.rules.given.get_mut(unlock).is_some_and(|given| std::mem::replace(given, now));
        if now == before {
            return;
        }
        self.changed();
        self.rules.unlock_changed(&self.schema, unlock);
        if !now {
            return;
        }
        let latches = self.schema.unlocks.get(unlock).is_some_and(|unlock| unlock.latch);
        self.state.latched.get_mut(unlock).into_iter().for_each(|latched| *latched |= latches);
        if let Some(unlock) = self.schema.unlock_at(unlock) {
            self.tell(Notice::Unlocked(unlock));
            opened.unlocks.push(unlock);
        }
    }
}
