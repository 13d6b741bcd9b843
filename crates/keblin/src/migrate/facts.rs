//! Everything that is kept without being a field: the facts of levels, unlocks, moments, the difficulty, the furthest
//! level.

use keblin_model::Value;
use keblin_model::program::Fact;
use keblin_model::program::Type;

use super::apply::{Applying, too_large};
use super::fates::said;
use super::places::{Places, now_of};
use super::{Became, StepFault};
use crate::snapshot::{LevelFacts, State};

impl Applying<'_> {
    /// Converts what is kept by name and is not a field: difficulty, furthest, time in play, unlocks, moments.
    pub(super) fn named(&mut self, state: &mut State) {
        let (Places { step, old, now }, before) = (self.places, &self.before.state);
        (state.played, state.made) = (before.played, before.made);
        (state.entry_at, state.checkpoint_at) = (before.entry_at, before.checkpoint_at);
        state.difficulty = self.difficulty(before.difficulty, "difficulty").or(state.difficulty);
        state.furthest = before.furthest.and_then(|furthest| {
            // If the level was removed, the one before it was reached as well.
            (0..=furthest).rev().find_map(|level| now_of(&step.levels, level))
        });
        // What was once unlocked is not taken back, even if the declaration no longer promises that for new unlocks.
        for (index, (unlock, of)) in now.unlocks.iter().zip(&step.unlocks).enumerate() {
            let held = of.from.is_some_and(|from| before.latched.get(from) == Some(&true));
            let filled = !held
                && of.fill.as_ref().is_some_and(|fill| {
                    let (view, difficulty) = self.asked();
                    fill.holds(view, difficulty)
                });
            if let Some(latched) = state.latched.get_mut(index) {
                *latched = held || filled;
            }
            let place = format!("unlocked.{}", unlock.name);
            if filled {
                self.tell(place, None, Became::Filled { now: Value::Bool(true) });
            } else if held {
                let was = of.from.and_then(|from| old.unlocks.get(from));
                let was = was.and_then(|was| Self::was(was.name.as_str(), unlock.name.as_str()));
                self.tell(place, was, Became::Carried);
            }
        }
        for (index, unlock) in old.unlocks.iter().enumerate() {
            let is_gone = step.unlocks.iter().all(|of| of.from != Some(index));
            if is_gone && before.latched.get(index) == Some(&true) {
                let fate = Became::Dropped { before: Value::Bool(true) };
                self.tell(format!("unlocked.{}", unlock.name), None, fate);
            }
        }
        for (told, from) in state.told.iter_mut().zip(&step.moments) {
            *told = from.is_some_and(|from| before.told.get(from) == Some(&true));
        }
        for (index, moment) in old.moments.iter().enumerate() {
            if now_of(&step.moments, index).is_none() && before.told.get(index) == Some(&true) {
                let fate = Became::Dropped { before: Value::Bool(true) };
                self.tell(format!("told.{}", moment.name), None, fate);
            }
        }
    }

    /// Converts an old difficulty; a removed one becomes the first.
    pub(super) fn difficulty(&mut self, before: Option<usize>, place: &str) -> Option<usize> {
        let Places { step, old, now } = self.places;
        let first = (!now.difficulties.is_empty()).then(|| step.facts.at.unwrap_or_default());
        let Some(held) = before else { return first };
        let found = now_of(&step.difficulties, held);
        if let (None, Some(id)) = (found, old.difficulties.get(held)) {
            let before = Value::text(id.as_str());
            let chosen = first.and_then(|first| now.difficulties.get(first));
            let fate = match chosen {
                Some(now) => Became::Changed { before, now: Value::text(now.as_str()) },
                None => Became::Dropped { before },
            };
            self.tell(place.to_string(), None, fate);
        }
        found.or(first)
    }

    pub(super) fn facts(&mut self, state: &mut State) -> Result<(), StepFault> {
        let (Places { step, old, now }, before) = (self.places, &self.before.state);
        let difficulties = if now.level_facts_per_difficulty { now.difficulties.len().max(1) } else { 1 };
        let mut used = vec![false; before.facts.len()];
        for level in 0..now.levels.len() {
            for difficulty in 0..difficulties {
                let index = now.fact_index(level, difficulty);
                let mut made = LevelFacts::default();
                let mut was = None;
                for source in self.places.facts(level, difficulty) {
                    let Some(facts) = before.facts.get(source) else { continue };
                    used.get_mut(source).into_iter().for_each(|used| *used = true);
                    let collected = self.collected(level, facts);
                    together(&mut made, &LevelFacts { collected, ..*facts });
                    self.tell_lost_stars(level, source, facts);
                    let was_open = before.opened.get(source) == Some(&true);
                    let latches = now.levels.get(level).is_some_and(|level| level.latch);
                    state.opened.get_mut(index).into_iter().for_each(|open| *open |= was_open && latches);
                    was = Some(Places::facts_text(old, source));
                }
                if made != LevelFacts::default() {
                    let place = Places::facts_text(now, index);
                    let was = was.and_then(|was| Self::was(&was, &place));
                    self.tell(place, was, Became::Carried);
                }
                state.facts.get_mut(index).into_iter().for_each(|facts| *facts = made);
            }
        }
        for (index, facts) in before.facts.iter().enumerate() {
            if used.get(index) == Some(&false) && *facts != LevelFacts::default() {
                let place = Places::facts_text(old, index);
                for (name, value) in said(facts) {
                    self.tell(format!("{place}.{name}"), None, Became::Dropped { before: value });
                }
            }
        }
        for (fact, index, program) in &step.facts.fills {
            let (view, difficulty) = self.asked();
            let place = format!("{}.{}", Places::facts_text(self.places.now, *index), fact.as_str());
            let Some(value) = program.outcome(view, difficulty, fact_type(*fact)) else {
                return Err(too_large(now.version, place));
            };
            let Some(facts) = state.facts.get_mut(*index) else { continue };
            let most = now.levels.get(*index / difficulties).map_or(u8::MAX, |level| level.stars);
            let fitted = match value.number() {
                Some(stars) if *fact == Fact::Stars => Value::Int(stars.min(most.into())),
                _ => value.clone(),
            };
            if raise(facts, *fact, &fitted) {
                let fate = match fitted == value {
                    true => Became::Filled { now: fitted },
                    false => Became::Clamped { before: value, now: fitted },
                };
                self.tell(place, None, fate);
            }
        }
        // A level that was finished was reached.
        let finished = now.counted(None).rev().find(|level| {
            (0..difficulties)
                .any(|on| state.facts.get(now.fact_index(*level, on)).is_some_and(|facts| facts.finished))
        });
        state.furthest = state.furthest.max(finished);
        Ok(())
    }

    /// Reports which collected stars of old facts have no place in the new level.
    fn tell_lost_stars(&mut self, level: usize, source: usize, facts: &LevelFacts) {
        let Places { step, old, .. } = self.places;
        let places = step.stars.get(level).map_or(&[][..], Vec::as_slice);
        let lost = (0..64).filter(|star| facts.collected >> star & 1 == 1 && !places.contains(&Some(*star)));
        let def = old.fact_place(source).level.and_then(|level| old.levels.get(level));
        for star in lost {
            let id = def.and_then(|def| def.star_ids.get(star));
            let id = id.map_or_else(|| (star + 1).to_string(), ToString::to_string);
            let place = format!("{}.stars.{id}", Places::facts_text(old, source));
            self.tell(place, None, Became::Dropped { before: Value::Bool(true) });
        }
    }

    /// Returns which stars of a new level are collected, from the facts of the old one.
    fn collected(&self, level: usize, facts: &LevelFacts) -> u64 {
        let places = self.places.step.stars.get(level).map_or(&[][..], Vec::as_slice);
        let held = |from: Option<usize>| from.is_some_and(|from| facts.collected >> from & 1 == 1);
        let stars = places.iter().enumerate().filter(|(_, from)| held(**from));
        stars.fold(0, |collected, (star, _)| collected | 1 << star)
    }
}

/// Combines the facts of several difficulties.
fn together(made: &mut LevelFacts, facts: &LevelFacts) {
    made.finished |= facts.finished;
    made.stars = made.stars.max(facts.stars);
    made.collected |= facts.collected;
    made.attempts = made.attempts.saturating_add(facts.attempts);
    made.deaths = made.deaths.saturating_add(facts.deaths);
}

fn fact_type(fact: Fact) -> Type {
    if fact == Fact::Finished { Type::Bool } else { Type::Int }
}

/// Sets a fact if it is higher than the current one; returns whether it was.
fn raise(facts: &mut LevelFacts, fact: Fact, value: &Value) -> bool {
    let number = value.number().and_then(|number| u64::try_from(number).ok());
    let before = *facts;
    match (fact, value, number) {
        (Fact::Finished, Value::Bool(yes), _) => facts.finished |= yes,
        (Fact::Stars, _, Some(stars)) => {
            facts.stars = facts.stars.max(u8::try_from(stars).unwrap_or(u8::MAX));
        }
        (Fact::Attempts, _, Some(count)) => facts.attempts = facts.attempts.max(count),
        (Fact::Deaths, _, Some(count)) => facts.deaths = facts.deaths.max(count),
        _ => {}
    }
    *facts != before
}
