//! Levels, unlocks and moments: their names, and their rules, with whether they ask for more than before.

use super::names::names_of;
use super::{Change, Class, Found, What};
use crate::condition::Comparison;
use crate::model::{LevelDef, Model, MomentDef, Rule, RuleAsks, RulePart, StarsBy, UnlockDef};
use crate::versions::normal::costs_text;

/// Returns whether a rule asks for more than another: for everything that one asked for, or a higher number of it,
/// and for something more. Some stricter rules are not recognised.
fn is_stricter(before: Option<&Rule>, now: Option<&Rule>) -> bool {
    let (before, now) = match (before, now) {
        (None, now) => return now.is_some(),
        (Some(_), None) => return false,
        (Some(before), Some(now)) => (&before.parts, &now.parts),
    };
    let same = |a: &RulePart, b: &RulePart| a.program.source() == b.program.source();
    let keeps = |part: &RulePart| now.iter().any(|other| same(part, other) || asks_more(part, other));
    let is_new = |part: &RulePart| !before.iter().any(|other| same(part, other));
    before.iter().all(keeps) && now.iter().any(is_new)
}

/// Returns whether a part asks for a higher number of the same thing.
fn asks_more(before: &RulePart, now: &RulePart) -> bool {
    let (RuleAsks::Number(before), RuleAsks::Number(now)) = (&before.asks, &now.asks) else { return false };
    let number = |program: &crate::condition::Program| program.source().parse::<i64>().ok();
    let (Some(held), Some(needed)) = (number(&before.needed), number(&now.needed)) else { return false };
    let is_same = before.held.source() == now.held.source() && before.comparison == now.comparison;
    is_same
        && match now.comparison {
            Comparison::Greater | Comparison::GreaterOrEqual => needed > held,
            Comparison::Less | Comparison::LessOrEqual => needed < held,
            _ => false,
        }
}

impl Found<'_> {
    /// Adds a rule, if it differs.
    pub(super) fn rule(&mut self, what: &What, key: &'static str, before: Option<&Rule>, now: Option<&Rule>) {
        let text =
            |rule: Option<&Rule>| rule.map(|rule| rule.program.source().to_string()).unwrap_or_default();
        let is_stricter = is_stricter(before, now);
        let (before, now) = (text(before), text(now));
        if before != now {
            self.add(Class::Rule, what, Change::Key { key, before, now, is_stricter });
        }
    }

    /// Compares levels and their checkpoints.
    pub(super) fn levels(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.levels, |level| &level.name);
        self.names(&ids(before), &ids(now), "levels", &What::Declaration, What::Level);
        for (index, level) in before.levels.iter().enumerate() {
            if let Some(same) = now.levels.iter().find(|other| other.name == level.name) {
                self.level(level, same);
                self.place_of_level(&What::Level(level.name.clone()), level, same);
                self.stars(index, level, same);
            }
        }
    }

    fn level(&mut self, before: &LevelDef, now: &LevelDef) {
        let what = What::Level(before.name.clone());
        let checkpoint = |id| What::Checkpoint { level: before.name.clone(), id };
        self.names(&before.checkpoints, &now.checkpoints, "checkpoints", &what, checkpoint);
        self.rule(&what, "unlock", before.unlock.as_ref(), now.unlock.as_ref());
        self.latch(&what, before.latch, now.latch);
        let order = |level: &LevelDef| level.checkpoint_order.as_str().to_string();
        self.key(Class::Rule, &what, "checkpoint_order", order(before), order(now));
    }

    /// Compares the stars of a level. Their number and conditions are balance: they change no save. Which ones a
    /// player has collected is saved: by id, or by position if they have no ids.
    fn stars(&mut self, index: usize, before: &LevelDef, now: &LevelDef) {
        let what = What::Level(before.name.clone());
        self.key(Class::Rule, &what, "stars", before.stars.to_string(), now.stars.to_string());
        if self.before.collects_by_id(index) {
            let star = |id| What::Star { level: before.name.clone(), id };
            self.names(&before.star_ids, &now.star_ids, "stars", &what, star);
        } else if self.before.stars_by == StarsBy::Each && now.moved_stars(before) {
            self.add(Class::Shape, &what, Change::Order { of: "stars" });
        }
        let is_named = !before.star_ids.is_empty() && !now.star_ids.is_empty();
        for (place, old) in before.star_rules.iter().enumerate() {
            let id = before.star_ids.get(place).filter(|_| is_named);
            let place = id.map_or(Some(place), |id| now.star_ids.iter().position(|other| other == id));
            if let Some(new) = place.and_then(|place| now.star_rules.get(place)) {
                self.rule(&what, "stars", Some(old), Some(new));
            }
        }
        let by_rules = |level: &LevelDef| if level.star_rules.is_empty() { "the game" } else { "rules" };
        self.key(Class::Rule, &what, "stars are given by", by_rules(before).into(), by_rules(now).into());
    }

    /// Compares unlocks.
    pub(super) fn unlocks(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.unlocks, |unlock| &unlock.name);
        self.names(&ids(before), &ids(now), "unlocks", &What::Declaration, What::Unlock);
        for unlock in &before.unlocks {
            let Some(same) = now.unlocks.iter().find(|other| other.name == unlock.name) else { continue };
            let what = What::Unlock(unlock.name.clone());
            self.rule(&what, "when", unlock.when.as_ref(), same.when.as_ref());
            self.latch(&what, unlock.latch, same.latch);
            let costs = |model: &Model, unlock: &UnlockDef| match unlock.costs.is_empty() {
                true => String::new(),
                false => costs_text(model, unlock),
            };
            self.key(Class::Rule, &what, "costs", costs(before, unlock), costs(now, same));
        }
    }

    /// Compares whether something latches. What no longer does can be lost.
    fn latch(&mut self, what: &What, before: bool, now: bool) {
        if before != now {
            let (old, new) = (before.to_string(), now.to_string());
            let change = Change::Key { key: "latch", before: old, now: new, is_stricter: before };
            self.add(Class::Rule, what, change);
        }
    }

    /// Compares moments.
    pub(super) fn moments(&mut self) {
        let (before, now) = (self.before, self.now);
        let ids = |model: &Model| names_of(&model.moments, |moment| &moment.name);
        self.names(&ids(before), &ids(now), "moments", &What::Declaration, What::Moment);
        for moment in &before.moments {
            let Some(same) = now.moments.iter().find(|other| other.name == moment.name) else { continue };
            let what = What::Moment(moment.name.clone());
            self.rule(&what, "when", moment.when.as_ref(), same.when.as_ref());
            // The scope of `again` decides where a save records that it was reported.
            let again = |moment: &MomentDef| moment.again.as_str().to_string();
            self.key(Class::Shape, &what, "again", again(moment), again(same));
        }
    }
}
