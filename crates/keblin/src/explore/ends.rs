//! What holds when a level, a run or a life ends: records take what was better, a death costs one life, and what counts is
//! saved.

use keblin_model::model::{At, AtZero, FeedAt, OnReset, Scope};
use keblin_model::value::keep::meet;
use keblin_model::{Difficulty, Keep, Kind, Level, Value};

use super::breach::{BreachCode, Unkept};
use super::moves::MoveKind;
use super::names::{expectation, fact_name, name_of};
use super::promises::Turn;
use crate::progress::Phase;

impl Turn<'_> {
    /// Values that were better than their records when they ended.
    pub(super) fn records(&self) -> Vec<Unkept> {
        let had_run = self.before.has_run() && self.before.phase() != Phase::Over;
        let ended = had_run && (self.by.kind == MoveKind::Replace || self.after.phase() == Phase::Over);
        // A second finish changes nothing.
        let finished = self.by.kind == MoveKind::Finish && self.before.phase() == Phase::Playing;
        if !ended && !finished {
            return Vec::new();
        }
        let here =
            At::level(self.before.level().map(Level::index), self.before.difficulty().map(Difficulty::index));
        let fed = self.model.fields.iter().filter_map(|field| {
            let feed = field.feed.as_ref()?;
            let (from, cell) = (self.model.fields.get(feed.from)?, self.model.cell(field, here)?);
            let (offered, held) = (self.before.value_at(from.cells.start), self.after.value_at(cell));
            let is_missed = field.keep.is_record()
                && *offered != from.default
                && meet(field.keep, held.alone(), offered).is_some();
            let message =
                |what: &str| format!("`{}` was {offered} {what}, but `{}` is {held}", from.name, field.name);
            let line = || expectation(&name_of(self.model, cell)?, field.kind, offered);
            let at = |moment| feed.at.contains(&moment);
            let of_run = from.scope.is_of_run() && from.survival.on_new_run == OnReset::Default;
            let broken = match is_missed {
                true if finished && at(FeedAt::Finish) => Unkept::new(
                    BreachCode::BestMissed,
                    field.name.as_str(),
                    message("when the level was finished"),
                ),
                true if ended && of_run && field.keep == Keep::Highest && from.scope == Scope::Run => {
                    Unkept::new(BreachCode::BestMissed, field.name.as_str(), message("when the run ended"))
                }
                true if finished && !ended && of_run && field.keep == Keep::Highest && self.is_last() => {
                    let what =
                        "when the last level was finished, and counts only if the run is lost or given up";
                    Unkept::new(BreachCode::BestWaits, field.name.as_str(), message(what))
                }
                _ => return None,
            };
            let holds =
                name_of(self.model, from.cells.start).and_then(|name| expectation(&name, from.kind, offered));
            Some(Unkept { holds: holds.into_iter().collect(), ..broken.fails(line()) })
        });
        fed.collect()
    }

    /// Returns the line that expects a record that was set.
    fn record(&self) -> Option<String> {
        let records = self.model.fields.iter().filter(|field| field.keep.is_record() && field.durable);
        records.into_iter().find_map(|field| {
            let is_new = |cell: &usize| self.before.value_at(*cell) != self.after.value_at(*cell);
            let cell = field.cells.clone().step_by(field.places.max(1)).find(is_new)?;
            expectation(&name_of(self.model, cell)?, field.kind, self.after.value_at(cell))
        })
    }

    /// Whether all levels that count are finished.
    fn is_last(&self) -> bool {
        let on = self.after.difficulty().map_or(0, Difficulty::index);
        let counted = self.model.levels.iter().enumerate().filter(|(_, level)| level.counted);
        counted
            .map(|(index, _)| self.model.fact_index(index, on))
            .all(|index| self.after.state().facts.get(index).is_some_and(|facts| facts.finished))
    }

    /// A death costs one life, and is reported once.
    pub(super) fn death(&self, told: usize) -> Option<Unkept> {
        let lives = self.model.lives.as_ref()?;
        let cell = self.model.fields.get(lives.field)?.cells.start;
        let [was, is] = [self.before, self.after].map(|engine| engine.value_at(cell).number());
        let restarts = lives.at_zero == AtZero::RestartLevel && was.is_some_and(|was| was <= 1);
        let costs_one = was.zip(is).is_none_or(|(was, is)| is == (was - 1).max(0)) || restarts;
        if costs_one && told == 1 {
            return None;
        }
        let message =
            format!("a death took the lives from {} to {}, and was reported {told} times", was?, is?);
        let name = name_of(self.model, cell)?;
        let line = match costs_one {
            true => Some("expect notice life_lost once".to_string()),
            false => expectation(&name, Kind::Int, &Value::Int((was? - 1).max(0))),
        };
        Some(Unkept::new(BreachCode::DeathMiscounted, name, message).fails(line))
    }

    /// What an event has changed for good, although no save is due.
    pub(super) fn unsaved(&self) -> Option<Unkept> {
        let lost = self.for_good()?;
        let message = format!(
            "a game that is killed after `{}` has lost what it changed: no save is due there; see `autosave`",
            self.by.text()
        );
        Some(self.killed(message, "kill", lost))
    }

    /// What an event has changed for good and a save has: the power may fail once it is saved.
    pub(super) fn saved(&self) -> Option<Unkept> {
        let lost = self.for_good()?;
        let message =
            format!("the power fails after `{}` was saved, and what it changed is lost", self.by.text());
        Some(self.killed(message, "kill at begin", lost))
    }

    fn killed(&self, message: String, kill: &str, lost: String) -> Unkept {
        let about = self.by.text().split(' ').next().unwrap_or_default().to_string();
        let then = vec![kill.to_string(), "launch".to_string()];
        Unkept { then, ..Unkept::new(BreachCode::KillLoses, about, message).fails(Some(lost)) }
    }

    /// Returns the line that expects what the end of a level, a run or a life has changed for good.
    fn for_good(&self) -> Option<String> {
        use MoveKind::{Die, EndRun, Finish};
        if !matches!(self.by.kind, Finish | Die | EndRun) {
            return None;
        }
        let (before, after) = (self.before.state(), self.after.state());
        let finished = before
            .facts
            .iter()
            .zip(&after.facts)
            .position(|(was, is)| was.finished != is.finished || was.stars != is.stars);
        let line = if let Some(index) = finished {
            let is = after.facts.get(index).copied().unwrap_or_default();
            let place = self.model.fact_place(index);
            match is.finished {
                true => format!("expect {}", fact_name(self.model, place, "finished")?),
                false => format!("expect {} == {}", fact_name(self.model, place, "stars")?, is.stars),
            }
        } else if let Some(unlock) = before.latched.iter().zip(&after.latched).position(|(was, is)| was != is)
        {
            format!("expect unlocked.{}", self.model.unlocks.get(unlock)?.name)
        } else if let Some(line) = self.record() {
            line
        } else {
            let lives = self.model.lives.as_ref().and_then(|lives| self.model.fields.get(lives.field))?;
            let [was, is] = [self.before, self.after].map(|engine| engine.value_at(lives.cells.start));
            if was == is || self.after.phase() == Phase::Over {
                return None;
            }
            expectation(&name_of(self.model, lives.cells.start)?, lives.kind, is)?
        };
        Some(line)
    }
}
