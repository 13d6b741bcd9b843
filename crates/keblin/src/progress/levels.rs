//! Levels: their facts, their ratings, their order.

use keblin_model::model::{At, StarsBy};
use keblin_model::order::sort_by;
use keblin_model::program::Fact;
use keblin_model::program::Facts;
use keblin_model::{AnyGame, Chapter, Difficulty, Level, Name, OfGame, Value};

use super::journal::Cause;
use super::phase::EventName;
use super::refusal::{Refused, Why};
use super::standing::Standing;
use super::visit::{Next, StarHeld};
use super::{Engine, Holder, Play};
use crate::snapshot::{LevelFacts, Stay};

/// A level on a level-select screen.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct LevelCard<G = AnyGame> {
    /// The level.
    pub level: Level<G>,
    /// Its chapter.
    pub chapter: Option<Chapter<G>>,
    /// Its place among the levels that count, from 1; `None` if it does not count.
    pub place: Option<usize>,
    /// Whether it can be entered on the given difficulty.
    pub open: bool,
    /// Its lock, part by part; empty if it is open from the start.
    pub lock: Vec<Standing<G>>,
    /// Whether it is being played or was left half-way.
    pub current: bool,
    /// Whether it was finished, its stars, attempts and deaths.
    pub facts: LevelFacts,
}

impl<G> LevelCard<G> {
    /// Returns the parts of its lock that are not met: why it is locked.
    pub fn missing(&self) -> impl Iterator<Item = &Standing<G>> {
        self.lock.iter().filter(|part| !part.met)
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Returns all levels in order, for a level-select screen. `difficulty` is the difficulty to show; `None` is that
    /// of the run, or the one last chosen.
    #[must_use]
    pub fn level_cards(&self, difficulty: Option<Difficulty<G>>) -> Vec<LevelCard<G>> {
        self.engine().level_cards(difficulty.map(Difficulty::of_any)).of_game()
    }

    /// Returns the facts of a level. `difficulty` is the difficulty to read; `None` is that of the run, or the one
    /// last chosen.
    ///
    /// # Panics
    /// If the level was looked up in a schema with more levels.
    #[must_use]
    pub fn facts(&self, level: Level<G>, difficulty: Option<Difficulty<G>>) -> LevelFacts {
        self.engine().facts(level.of_any(), difficulty.map(Difficulty::of_any))
    }

    /// Returns the furthest level that was entered, or was open after a finish; only erasing lowers it.
    #[must_use]
    pub fn furthest(&self) -> Option<Level<G>> {
        self.engine().furthest().of_game()
    }
}

impl Engine {
    pub(crate) fn level_cards(&self, difficulty: Option<Difficulty>) -> Vec<LevelCard> {
        let difficulty = difficulty.map(Difficulty::index).or(self.here().difficulty);
        // A finished level is no longer in progress, and a level is in progress only on the difficulty of its run.
        let visit = self.visit().filter(|visit| self.has_run() && visit.stay != Stay::Finished);
        let apart = self.schema.level_facts_per_difficulty;
        let current =
            visit.filter(|_| !apart || difficulty == self.here().difficulty).and_then(|visit| visit.level);
        let mut places = 1..;
        let levels = self.schema.levels.iter().enumerate();
        levels
            .filter_map(|(index, def)| {
                let level = self.schema.level_at(index)?;
                let place = if def.counted { places.next() } else { None };
                let chapter = def.chapter.and_then(|at| self.schema.chapter_at(at));
                let (lock, facts) = (self.lock_parts(index, difficulty), self.facts_at(index, difficulty));
                let open = self.is_open_at(index, difficulty);
                let current = current == Some(index);
                Some(LevelCard { level, chapter, place, open, lock, current, facts })
            })
            .collect()
    }

    pub(crate) fn facts(&self, level: Level, difficulty: Option<Difficulty>) -> LevelFacts {
        self.facts_at(self.known(level), difficulty.map(Difficulty::index).or(self.here().difficulty))
    }

    pub(crate) fn furthest(&self) -> Option<Level> {
        self.state.furthest.and_then(|index| self.schema.level_at(index))
    }

    /// Returns a level's position. Using a handle from another schema is a programming error.
    #[expect(clippy::panic, reason = "documented; a foreign handle would act on a wrong level silently")]
    pub(super) fn known(&self, level: Level) -> usize {
        if level.index() >= self.schema.levels.len() {
            panic!("a level handle was used with progress of another schema than it was looked up in");
        }
        level.index()
    }

    pub(super) fn facts_at(&self, level: usize, difficulty: Option<usize>) -> LevelFacts {
        let index = self.schema.fact_index(level, difficulty.unwrap_or(0));
        self.state.facts.get(index).copied().unwrap_or_default()
    }

    /// The furthest level that is open after a finish counts as reached.
    pub(super) fn reach_furthest(&mut self) {
        let open = self.schema.counted(None).rev().find(|level| self.rules.is_open(*level));
        self.state.furthest = self.state.furthest.max(open);
    }

    /// Returns the levels that may come after another one, those that are open first.
    pub(super) fn next_levels(&self, after: usize, difficulty: Option<usize>) -> Vec<Next> {
        let levels = self.schema.levels_after(after).into_iter();
        let next = |index| {
            Some(Next { level: self.schema.level_at(index)?, open: self.is_open_at(index, difficulty) })
        };
        let mut next: Vec<Next> = levels.filter_map(next).collect();
        sort_by(&mut next, |one, other| other.open.cmp(&one.open));
        next
    }

    /// Returns the rule stars of the current level, as they are now.
    pub(super) fn hold_stars(&self) -> Vec<StarHeld> {
        let here = self.here();
        let level = here.level.and_then(|level| self.schema.levels.get(level));
        let rules = level.into_iter().flat_map(|level| level.star_rules.iter().enumerate());
        let held = rules.map(|(place, rule)| StarHeld {
            id: level.and_then(|level| level.star_ids.get(place).cloned()),
            held: rule.program.holds(self, here.difficulty.unwrap_or(0)),
            parts: self.standings(rule, here.difficulty),
        });
        held.collect()
    }

    /// Notes a finish with its rating, by rules or from the game. Returns the best rating before and now.
    pub(super) fn note_finished(
        &mut self,
        given: Option<i64>,
        rules: &[StarHeld],
        refused: &mut Vec<Refused>,
    ) -> (u8, u8) {
        let here = self.here();
        let facts =
            here.level.map_or_else(LevelFacts::default, |level| self.facts_at(level, here.difficulty));
        self.put_fact(here, Fact::Finished, Value::Bool(true), &Cause::Finish);
        let rating = match given.map(|stars| self.rating(stars)) {
            Some(Ok(stars)) => stars,
            Some(Err(refusal)) => {
                refused.push(refusal);
                0
            }
            None => 0,
        };
        let best = if rules.is_empty() { facts.stars.max(rating) } else { self.collect(here, &facts, rules) };
        self.put_fact(here, Fact::Stars, Value::Int(i64::from(best)), &Cause::Finish);
        (facts.stars, best)
    }

    /// Returns the rating by rules: the best attempt, or all stars collected so far.
    fn collect(&mut self, here: At, facts: &LevelFacts, rules: &[StarHeld]) -> u8 {
        let bits = rules.iter().enumerate().filter(|(_, star)| star.held).map(|(index, _)| 1_u64 << index);
        let now: u64 = bits.sum();
        let count = |bits: u64| u8::try_from(bits.count_ones()).unwrap_or(u8::MAX);
        if self.schema.stars_by == StarsBy::BestAttempt {
            return facts.stars.max(count(now));
        }
        let collected = facts.collected | now;
        self.put_collected(here, collected);
        facts.stars.max(count(collected))
    }

    /// Returns a level's id, for messages.
    pub(super) fn level_name(&self, level: usize) -> Name {
        self.schema.levels.get(level).map_or_else(|| self.schema.game.clone(), |level| level.name.clone())
    }

    /// Checks a rating against the level.
    pub(super) fn rating(&self, stars: i64) -> Result<u8, Refused> {
        let here = self.here();
        let level = here.level.and_then(|level| self.schema.levels.get(level));
        let max = level.map_or(0, |level| level.stars);
        let by_rules = level.is_some_and(|level| !level.star_rules.is_empty());
        if let Some(stars) = u8::try_from(stars).ok().filter(|stars| *stars <= max && !by_rules) {
            return Ok(stars);
        }
        let level = here.level.map(|level| self.level_name(level));
        let difficulty = here.difficulty.and_then(|index| self.schema.difficulties.get(index)).cloned();
        Err(self.refusal(
            EventName::Finish,
            match by_rules {
                true => Why::StarsByRules { level, difficulty, stars },
                false => Why::Stars { level, difficulty, stars, max },
            },
        ))
    }

    pub(super) fn count_attempt(&mut self, cause: &Cause) -> u64 {
        self.count_fact(Fact::Attempts, cause)
    }

    /// Adds one to a count of the current level, and returns it.
    pub(super) fn count_fact(&mut self, fact: Fact, cause: &Cause) -> u64 {
        let here = self.here();
        let Some(level) = here.level else { return 0 };
        let facts = self.facts_at(level, here.difficulty);
        let count = if fact == Fact::Deaths { facts.deaths } else { facts.attempts };
        let count = count.saturating_add(1).min(i64::MAX.unsigned_abs());
        self.put_fact(here, fact, Value::Int(i64::try_from(count).unwrap_or(i64::MAX)), cause);
        count
    }

    /// Returns a fact as a value; unset if no level is given.
    pub(crate) fn fact_value(&self, at: At, fact: Fact) -> Value {
        let Some(level) = at.level else { return Value::Unset };
        let number = self.fact(self.schema.fact_index(level, at.difficulty.unwrap_or(0)), fact);
        if fact == Fact::Finished { Value::Bool(number != 0) } else { Value::Int(number) }
    }
}
