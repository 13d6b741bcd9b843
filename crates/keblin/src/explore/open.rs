//! What was reached stays: facts, unlocks and open levels; a locked level stays locked, and an invariant true.

use keblin_model::Difficulty;

use super::breach::{BreachCode, Unkept};
use super::moves::MoveKind;
use super::names::fact_name;
use super::promises::{Promises, Turn};
use crate::progress::Engine;
use crate::snapshot::LevelFacts;

impl Turn<'_> {
    pub(super) fn facts(&self) -> Vec<Unkept> {
        let mut found = Vec::new();
        let (before, after) = (self.before.state(), self.after.state());
        if before.facts == after.facts && before.latched == after.latched || self.by.kind == MoveKind::Reset {
            return found;
        }
        let mut lost = |name: Option<String>, line: &dyn Fn(&str) -> String| {
            let Some(name) = name else { return };
            let message = format!("`{name}` is lost by `{}`", self.by.text());
            found.push(Unkept::new(BreachCode::FactLost, &name, message).no_longer(Some(line(&name))));
        };
        for (index, (was, is)) in before.facts.iter().zip(&after.facts).enumerate() {
            let place = self.model.fact_place(index);
            if was.finished && !is.finished {
                lost(fact_name(self.model, place, "finished"), &|name| format!("expect {name}"));
            }
            if was.stars > is.stars || was.collected & !is.collected != 0 {
                lost(fact_name(self.model, place, "stars"), &|name| {
                    format!("expect {name} == {}", was.stars)
                });
            }
            if was.deaths > is.deaths {
                lost(fact_name(self.model, place, "deaths"), &|name| {
                    format!("expect {name} == {}", was.deaths)
                });
            }
            if was.attempts > is.attempts {
                lost(fact_name(self.model, place, "attempts"), &|name| {
                    format!("expect {name} == {}", was.attempts)
                });
            }
        }
        for (index, (was, is)) in before.latched.iter().zip(&after.latched).enumerate() {
            let unlock = self.model.unlocks.get(index).filter(|_| *was && !*is);
            lost(unlock.map(|unlock| format!("unlocked.{}", unlock.name)), &|name| format!("expect {name}"));
        }
        found
    }

    /// A level that is entered was open.
    pub(super) fn entered(&self) -> Option<Unkept> {
        if self.by.kind != MoveKind::Enter {
            return None;
        }
        let (level, on) = (self.after.level()?.index(), self.before.difficulty().map(Difficulty::index));
        if self.before.is_open_at(level, on) {
            return None;
        }
        let name = self.model.levels.get(level).map_or("?", |level| level.name.as_str());
        let message = "it can be entered although it is locked";
        let broken = Unkept::new(BreachCode::LockedEntered, name, message);
        let holds = vec![format!("expect locked {name}")];
        Some(Unkept { holds, ..broken.fails(Some(format!("expect level != \"{name}\""))) })
    }

    pub(super) fn rules(&self, promises: &Promises, are_values_same: bool) -> Vec<Unkept> {
        let mut found = Vec::new();
        let is_the_same = are_values_same && !promises.reads_words && self.are_facts_same();
        if self.by.kind == MoveKind::Reset || is_the_same {
            return found;
        }
        for (index, unlock) in self.model.unlocks.iter().enumerate() {
            let given = |engine: &Engine| engine.has_unlocked(index);
            let is_excused = self.is_of_runs() && promises.unlock_of_a_run.get(index) == Some(&true);
            if !unlock.latch && given(self.before) && !given(self.after) && !is_excused {
                let message = format!(
                    "`{}` takes the unlock {} away again: its rule can fall; add `latch = true` if it is for good",
                    self.by.text(),
                    unlock.name
                );
                let line = format!("expect unlocked.{}", unlock.name);
                let about = format!("unlocked.{}", unlock.name);
                found.push(Unkept::new(BreachCode::RuleFalls, about, message).no_longer(Some(line)));
            }
        }
        let difficulties = self.model.difficulties.len().max(1);
        let were_open = self.was_open.get_or_init(|| {
            let places =
                (0..self.model.levels.len()).flat_map(|level| (0..difficulties).map(move |on| (level, on)));
            places.map(|(level, on)| self.is_open(self.before, level, on)).collect()
        });
        for (level, were_open) in were_open.chunks(difficulties).enumerate() {
            let has_lock = self.model.levels.get(level).is_some_and(|level| level.lock.is_some());
            if !has_lock || (self.is_of_runs() && promises.of_a_run.get(level) == Some(&true)) {
                continue;
            }
            let shut = |(on, was_open): (usize, &bool)| {
                (*was_open && !self.is_open(self.after, level, on)).then_some(on)
            };
            found.extend(were_open.iter().enumerate().find_map(shut).map(|on| self.shut(level, on)));
        }
        found
    }

    fn is_open(&self, engine: &Engine, level: usize, on: usize) -> bool {
        engine.is_open_at(level, (!self.model.difficulties.is_empty()).then_some(on))
    }

    /// Whether no fact has changed that rules mostly read.
    fn are_facts_same(&self) -> bool {
        let (before, after) = (self.before.state(), self.after.state());
        let same =
            |(was, is): (&LevelFacts, &LevelFacts)| (was.finished, was.stars) == (is.finished, is.stars);
        before.latched == after.latched
            && before.difficulty == after.difficulty
            && before.facts.iter().zip(&after.facts).all(same)
    }

    fn shut(&self, level: usize, on: usize) -> Unkept {
        let name = self.model.levels.get(level).map_or("?", |level| level.name.as_str());
        let facts =
            self.before.state().facts.get(self.model.fact_index(level, on)).copied().unwrap_or_default();
        let (code, what) = match facts.finished {
            true => (BreachCode::FinishedShut, "the finished level"),
            false => (BreachCode::RuleFalls, "the level"),
        };
        let message = format!(
            "`{}` shuts {what} {name}: its rule can fall; add `latch = true` if it is open for good",
            self.by.text()
        );
        let difficulty = self.model.difficulties.get(on).map_or(String::new(), |id| format!(" {id}"));
        let mut broken = Unkept::new(code, name, message);
        if facts.finished {
            let place = self.model.fact_place(self.model.fact_index(level, on));
            broken
                .holds
                .extend(fact_name(self.model, place, "finished").map(|name| format!("expect {name}")));
        }
        broken.no_longer(Some(format!("expect open {name}{difficulty}")))
    }

    pub(super) fn invariants(&self) -> Vec<Unkept> {
        let now = self.after.broken_invariants();
        let now = now.filter(|name| self.before.broken_invariants().all(|known| known != *name));
        let broken = |name| {
            let message = format!("`{}` breaks the invariant {name}", self.by.text());
            Unkept::new(BreachCode::InvariantBroken, format!("{name}"), message)
        };
        now.map(broken).collect()
    }
}
