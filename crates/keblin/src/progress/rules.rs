//! Rules: bounds, locks, unlocks and moments. Whether a level can be entered and an unlock is given, and why not: the
//! look and the door ask here. What opens or turns true is told once, by asking again the rules that name what has
//! changed, and no others.

use keblin_schema::condition::names::Fact;
use keblin_schema::model::RuleId;
use keblin_schema::{Difficulty, Level, OfGame, Unlock};

use super::notice::Notice;
use super::refusal::Why;
use super::standing::Standing;
use super::{Engine, Holder, Play};
use crate::snapshot::Schema;

/// How locks, unlocks and moments stood when they were last asked, and which rules are to be asked again.
#[derive(Clone, Debug, Default)]
pub(super) struct Rules {
    open: Vec<bool>,
    given: Vec<bool>,
    /// By moment: whether it held.
    pub(super) held: Vec<bool>,
    again: Vec<RuleId>,
    /// A death or a retry is at work, and what it makes true is no news to moments that are told each time.
    pub(super) quiet: bool,
    asked: u64,
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

    /// An event of the run has changed the phase, the level, the checkpoint or the furthest level.
    fn moved(&mut self, schema: &Schema) {
        schema.watch.of_words().for_each(|(_, rule)| self.ask_again(rule));
    }

    /// Whether something that a rule names has changed.
    #[inline]
    pub(super) fn are_due(&self) -> bool {
        !self.again.is_empty()
    }

    /// The furthest level that stands open on the difficulty in question, as last asked: nothing that its rule names has
    /// changed since.
    pub(super) fn furthest_open(&self) -> Option<usize> {
        self.open.iter().rposition(|open| *open)
    }

    pub(super) fn is_given(&self, unlock: usize) -> bool {
        self.given.get(unlock).copied().unwrap_or(false)
    }
}

/// What opened.
#[derive(Default)]
pub(super) struct Opened {
    pub(super) levels: Vec<Level>,
    pub(super) unlocks: Vec<Unlock>,
}

impl<G, P: Holder> Play<G, P> {
    /// Why a level cannot be entered, part by part, or could be; empty for a level without a lock. `difficulty` is the
    /// one in question; `None` is that of the run, or the one last chosen.
    ///
    /// # Panics
    /// If the level was looked up in a schema with more levels.
    #[must_use]
    pub fn why_locked(&self, level: Level<G>, difficulty: Option<Difficulty<G>>) -> Vec<Standing<G>> {
        self.engine().why_locked(level.of_any(), difficulty.map(Difficulty::of_any)).of_game()
    }

    /// Whether a level can be entered on a difficulty; `None` is that of the run, or the one last chosen.
    ///
    /// # Panics
    /// If the level was looked up in a schema with more levels.
    #[must_use]
    pub fn is_open(&self, level: Level<G>, difficulty: Option<Difficulty<G>>) -> bool {
        self.engine().is_open(level.of_any(), difficulty.map(Difficulty::of_any))
    }

    /// Whether an unlock is given: its rule holds, or it latches and held once.
    #[must_use]
    pub fn is_unlocked(&self, unlock: Unlock<G>) -> bool {
        self.engine().is_unlocked(unlock.of_any())
    }

    /// Why an unlock is not given, part by part, or is.
    #[must_use]
    pub fn why_not_unlocked(&self, unlock: Unlock<G>) -> Vec<Standing<G>> {
        self.engine().why_not_unlocked(unlock.of_any()).of_game()
    }

    /// How often a lock or an unlock was asked since this progress was made because something that it names has
    /// changed.
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
        rule.map_or_else(Vec::new, |rule| self.standings(rule, self.here().difficulty))
    }

    pub(crate) fn rules_asked(&self) -> u64 {
        self.rules.asked
    }

    pub(super) fn is_open_at(&self, level: usize, difficulty: Option<usize>) -> bool {
        let rule = self.schema.levels.get(level).and_then(|level| level.unlock.as_ref());
        rule.is_none_or(|rule| rule.program.holds(self, difficulty.unwrap_or(0)))
    }

    pub(super) fn lock_parts(&self, level: usize, difficulty: Option<usize>) -> Vec<Standing> {
        let rule = self.schema.levels.get(level).and_then(|level| level.unlock.as_ref());
        rule.map_or_else(Vec::new, |rule| self.standings(rule, difficulty))
    }

    /// Why a level cannot be entered now, if it cannot.
    pub(super) fn locked(&self, level: usize) -> Option<Why> {
        let difficulty = self.here().difficulty;
        if self.is_open_at(level, difficulty) {
            return None;
        }
        let parts = self.lock_parts(level, difficulty);
        let missing = parts.iter().filter(|part| !part.met).map(|part| part.text(&self.schema)).collect();
        Some(Why::Locked { level: self.level_name(level), missing })
    }

    /// Asks everything: what a begin, a restore or a made-up state opens is not news. Moments that are told once may be.
    pub(super) fn note_rules(&mut self) {
        self.hold_bounds();
        self.rules.again.clear();
        self.rules.given = self.state.latched.clone();
        // Unlocks may wait for each other, so they are asked until nothing more is given; each round gives one, or
        // ends.
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
        let difficulty = self.here().difficulty;
        self.rules.open =
            (0..self.schema.levels.len()).map(|level| self.is_open_at(level, difficulty)).collect();
        self.note_moments();
    }

    fn gives(&self, unlock: usize) -> bool {
        let latched = self.state.latched.get(unlock).copied().unwrap_or(false);
        let rule = self.schema.unlocks.get(unlock).and_then(|unlock| unlock.when.as_ref());
        latched || rule.is_some_and(|rule| rule.program.holds(self, self.here().difficulty.unwrap_or(0)))
    }

    /// At the end of an event that may have changed the phase, the level, the checkpoint or the furthest level.
    pub(super) fn moved(&mut self) -> Opened {
        self.rules.moved(&self.schema);
        self.settle()
    }

    /// Asks the rules again that name what has changed, until nothing more opens, and tells what did.
    pub(super) fn settle(&mut self) -> Opened {
        let quiet = self.rules.quiet;
        let mut opened = Opened::default();
        if self.rules.again.is_empty() {
            return opened;
        }
        // Rules that take each other back and forth would never come to rest; each is asked so often at most.
        let rules = self.schema.levels.len() + self.schema.unlocks.len() + self.schema.fields.len();
        let mut left = rules.pow(2) + self.schema.moments.len() + 1;
        while let (Some(rule), true) = (self.next_rule(), left > 0) {
            left -= 1;
            self.rules.asked += 1;
            match rule {
                RuleId::Bounds(field) => self.hold_bounds_of(field as usize),
                RuleId::Lock(level) => self.ask_level(level as usize, &mut opened),
                RuleId::Unlock(unlock) => self.ask_unlock(unlock as usize, &mut opened),
                RuleId::Moment(moment) => self.ask_moment(moment as usize, quiet),
                _ => {}
            }
        }
        self.rules.again.clear();
        opened
    }

    /// The next rule to ask again, in declared order.
    fn next_rule(&mut self) -> Option<RuleId> {
        let (index, _) = self.rules.again.iter().enumerate().min_by_key(|(_, rule)| **rule)?;
        Some(self.rules.again.swap_remove(index))
    }

    fn ask_level(&mut self, level: usize, opened: &mut Opened) {
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
        for rule in self.schema.watch.of_unlock(unlock) {
            self.rules.ask_again(rule);
        }
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
