//! What was reached stays: facts, unlocks and open levels; a locked level stays locked, and an invariant true.

use keblin_schema::Difficulty;

use super::breach::{BreachCode, Unkept};
use super::moves::MoveKind;
use super::names::fact_name;
use super::promises::{Promises, Turn};
use crate::progress::Engine;
use crate::snapshot::State;

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

    pub(super) fn rules(&self, promises: &Promises) -> Vec<Unkept> {
        let mut found = Vec::new();
        if self.by.kind == MoveKind::Reset || (!promises.reads_words && self.is_the_same_to_rules()) {
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
        for (index, level) in self.model.levels.iter().enumerate() {
            if level.lock.is_none() || (self.is_of_runs() && promises.of_a_run.get(index) == Some(&true)) {
                continue;
            }
            for on in 0..difficulties {
                let open = |engine: &Engine| {
                    engine.is_open_at(index, (!self.model.difficulties.is_empty()).then_some(on))
                };
                if open(self.before) && !open(self.after) {
                    found.push(self.shut(index, on));
                    break;
                }
            }
        }
        found
    }

    /// Whether nothing has changed that rules mostly read.
    fn is_the_same_to_rules(&self) -> bool {
        let (before, after) = (self.before.state(), self.after.state());
        let facts =
            |state: &State| state.facts.iter().map(|facts| (facts.finished, facts.stars)).collect::<Vec<_>>();
        before.cells == after.cells
            && before.latched == after.latched
            && before.difficulty == after.difficulty
            && facts(before) == facts(after)
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
        let were: Vec<_> = self.before.broken_invariants().collect();
        let now = self.after.broken_invariants().filter(|name| !were.contains(name));
        let broken = |name| {
            let message = format!("`{}` breaks the invariant {name}", self.by.text());
            Unkept::new(BreachCode::InvariantBroken, format!("{name}"), message)
        };
        now.map(broken).collect()
    }
}
