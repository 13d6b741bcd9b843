//! The events of a run, each as in `docs/events.md`.

use keblin::Value;
use keblin::condition::names::Fact;
use keblin::model::{AfterLast, Again, AtZero, CheckpointOrder, FeedAt};

use super::{Naive, Visit};

impl Naive {
    pub(crate) fn begin(&mut self, difficulty: Option<usize>, replacing: bool) -> bool {
        let has_run = self.stage != "over" && self.run.is_some();
        if has_run && !replacing {
            return false;
        }
        if has_run {
            self.end();
        }
        self.signals.clear();
        self.chosen = difficulty.unwrap_or(self.chosen);
        (self.run, self.visit, self.stage) = (Some(self.chosen), None, "running");
        self.save = None;
        self.put_back(|field| field.survival.on_new_run.as_str());
        self.forget_told(&[Again::Run, Again::Level]);
        self.settle(true);
        true
    }

    pub(crate) fn resume(&mut self) -> bool {
        let waits = matches!(self.at(), "playing" | "down" | "left");
        if !(self.phase() == "title" && self.run.is_some() || self.phase() == "map" && waits) {
            return false;
        }
        self.signals.clear();
        (self.stage, self.chosen) = ("running", self.difficulty());
        self.visit.iter_mut().filter(|_| waits).for_each(|visit| visit.at = "playing");
        self.settle(true);
        true
    }

    pub(crate) fn enter(&mut self, level: usize) -> bool {
        let here = self.phase() == "playing" && self.visit.as_ref().is_some_and(|visit| visit.level == level);
        if !matches!(self.phase(), "map" | "playing") || here || !self.is_open(level) {
            return false;
        }
        if self.phase() == "map" {
            self.signals.clear();
        }
        self.put_back(|field| field.survival.on_level.as_str());
        self.hold_bounds();
        self.forget_told(&[Again::Level]);
        self.keep();
        self.visit = Some(Visit { level, at: "playing", checkpoint: None, entry: self.copies(), copy: None });
        self.furthest = self.furthest.max(Some(level));
        self.count(Fact::Attempts, None);
        self.settle(false);
        true
    }

    pub(crate) fn reach(&mut self, level: usize, checkpoint: usize) -> bool {
        if self.phase() != "playing" {
            return true;
        }
        let (copies, latest) =
            (self.copies(), self.schema.levels[level].checkpoint_order == CheckpointOrder::Latest);
        let visit = self.visit.as_mut().unwrap();
        if visit.level != level {
            return false;
        }
        let passes = |held: usize| held == checkpoint || (!latest && held > checkpoint);
        if !visit.checkpoint.is_some_and(passes) {
            (visit.checkpoint, visit.copy) = (Some(checkpoint), Some(copies));
            self.save = None;
        }
        self.settle(false);
        true
    }

    fn start_again(&mut self, at: &'static str) {
        self.put_back(|field| field.survival.on_retry.as_str());
        self.keep();
        let visit = self.visit.as_mut().unwrap();
        (visit.at, visit.checkpoint, visit.copy) = (at, None, None);
        self.forget_told(&[Again::Level]);
    }

    pub(crate) fn die(&mut self) {
        if self.phase() != "playing" {
            return;
        }
        self.count(Fact::Deaths, None);
        let lives = self.schema.lives.clone();
        let lives = lives.map(|lives| (self.schema.fields[lives.field].clone(), lives.at_zero));
        let left = lives.as_ref().map_or(1, |(field, _)| {
            let left = (self.values[&field.cells.start].number().unwrap() - 1).max(0);
            self.values.insert(field.cells.start, Value::Int(left));
            left
        });
        match lives {
            Some((_, AtZero::EndRun)) if left == 0 => self.end(),
            Some((field, _)) if left == 0 => {
                self.start_again("down");
                self.values.insert(field.cells.start, field.default);
            }
            _ => {
                self.put_back_after_death();
                self.visit.as_mut().unwrap().at = "down";
            }
        }
        self.settle(true);
    }

    pub(crate) fn respawn(&mut self) -> bool {
        let possible = matches!(self.phase(), "playing" | "down");
        self.visit.iter_mut().filter(|_| possible).for_each(|visit| visit.at = "playing");
        self.settle(false);
        possible
    }

    pub(crate) fn retry(&mut self) -> bool {
        let left = self.phase() == "map" && self.at() == "left";
        let possible = left || matches!(self.phase(), "playing" | "down");
        if possible {
            self.start_again("playing");
            self.count(Fact::Attempts, None);
            self.settle(true);
        }
        possible
    }

    pub(crate) fn finish(&mut self, stars: i64) -> bool {
        if self.phase() != "playing" {
            return matches!(self.phase(), "map" | "over") && self.at() == "finished";
        }
        let level = self.visit.as_ref().unwrap().level;
        let fits = (0..=i64::from(self.schema.levels[level].stars)).contains(&stars);
        self.count(Fact::Finished, Some(1));
        self.count(Fact::Stars, Some(if fits { stars } else { 0 }));
        self.records(FeedAt::Finish);
        self.keep();
        self.visit.iter_mut().for_each(|visit| visit.at = "finished");
        self.drop_copies();
        self.settle(false);
        let open = (0..self.schema.levels.len()).rev().find(|level| self.is_open(*level));
        self.furthest = self.furthest.max(open);
        if level + 1 == self.schema.levels.len() && self.schema.after_last == AfterLast::EndRun {
            self.end();
            self.settle(false);
        }
        true
    }

    pub(crate) fn leave(&mut self) -> bool {
        let leaves = matches!(self.phase(), "playing" | "down");
        self.visit.iter_mut().filter(|_| leaves).for_each(|visit| visit.at = "left");
        self.settle(false);
        self.phase() != "title"
    }

    pub(crate) fn end_run(&mut self) -> bool {
        let possible = self.phase() != "title" || self.run.is_some();
        if possible && self.phase() != "over" {
            self.end();
            self.settle(false);
        }
        possible
    }

    /// Feeds a signal; returns whether it fires.
    pub(crate) fn feed(&mut self, signal: &'static str, on: bool) -> bool {
        let (armed, fed) = self.signals.entry(signal).or_insert((true, false));
        let acts = on && *armed;
        (*armed, *fed) = (*armed && !acts, *fed || on);
        acts
    }

    pub(crate) fn tick(&mut self, nanos: i64) {
        let in_play = self.phase() == "playing";
        self.signals
            .values_mut()
            .for_each(|(armed, fed)| (*armed, *fed) = (*armed || in_play && !*fed, false));
        if self.phase() != "playing" {
            return;
        }
        for field in self.schema.clone().fields.iter().filter(|field| field.counts_playing) {
            let by = Value::Time(keblin::Time::from_nanos(nanos));
            let grown = self.values[&field.cells.start].plus(&by).unwrap().0;
            self.values.insert(field.cells.start, self.clamped(field, &grown));
        }
        self.settle(false);
    }
}
