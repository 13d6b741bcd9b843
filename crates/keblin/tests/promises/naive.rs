//! A second engine, written to be obviously right and not fast: maps by name, clones for copies, every rule asked after
//! every event. It knows the declaration and `docs/events.md`, and nothing of how the library does it.

use std::collections::BTreeMap;
use std::sync::Arc;

use keblin::condition::names::Fact;
use keblin::condition::{Facts, Word};
use keblin::model::{
    AfterLast, Again, AtZero, Bound, CheckpointOrder, FieldDef, RecordAt, Resume, Schema, Scope,
};
use keblin::survival::{OnDeath, OnReset, OnRetry};
use keblin::{Keep, Value};

type Values = BTreeMap<usize, Value>;

#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct LevelFact {
    pub(crate) finished: bool,
    pub(crate) stars: i64,
    pub(crate) attempts: i64,
    pub(crate) deaths: i64,
}

#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum At {
    Playing,
    Down,
    Left,
    Finished,
}

#[derive(Clone, Debug)]
pub(crate) struct Visit {
    pub(crate) level: usize,
    pub(crate) at: At,
    pub(crate) checkpoint: Option<usize>,
    entry: Values,
    copy: Option<Values>,
}

#[derive(Clone, Debug)]
pub(crate) struct Run {
    difficulty: usize,
    pub(crate) visit: Option<Visit>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Stage {
    Title,
    Running,
    Over,
}

#[derive(Clone)]
pub(crate) struct Naive {
    schema: Arc<Schema>,
    pub(crate) values: Values,
    pub(crate) facts: BTreeMap<(usize, usize), LevelFact>,
    pub(crate) furthest: Option<usize>,
    chosen: usize,
    stage: Stage,
    pub(crate) run: Option<Run>,
    pub(crate) played: i64,
    held: Vec<bool>,
    told: Vec<bool>,
    /// Moments told since they were last taken.
    pub(crate) moments: Vec<usize>,
}

/// What conditions ask. `0` is the cell, the rest is by index, as the library numbers its declaration.
impl Facts for Naive {
    fn cell(&self, cell: usize) -> &Value {
        &self.values[&cell]
    }
    fn fact(&self, index: usize, fact: Fact) -> i64 {
        let apart = self.apart();
        let facts = self.fact_at(index / apart, index % apart);
        match fact {
            Fact::Finished => i64::from(facts.finished),
            Fact::Stars => facts.stars,
            Fact::Attempts => facts.attempts,
            _ => facts.deaths,
        }
    }
    fn word(&self, _: Word) -> Option<&str> {
        None
    }
    fn unlocked(&self, _: usize) -> bool {
        false
    }
    fn played_nanos(&self) -> i64 {
        self.played
    }
}

impl Naive {
    pub(crate) fn new(schema: &Arc<Schema>) -> Naive {
        let mut values = Values::new();
        for field in &schema.fields {
            field.cells.clone().for_each(|cell| drop(values.insert(cell, field.default.clone())));
        }
        let moments = schema.moments.len();
        let mut naive = Naive {
            schema: Arc::clone(schema),
            values,
            facts: BTreeMap::new(),
            furthest: None,
            chosen: 0,
            stage: Stage::Title,
            run: None,
            played: 0,
            held: vec![false; moments],
            told: vec![false; moments],
            moments: Vec::new(),
        };
        naive.settle(true);
        naive
    }

    fn apart(&self) -> usize {
        if self.schema.level_facts_per_difficulty { self.schema.difficulties.len() } else { 1 }
    }

    fn fact_at(&self, level: usize, difficulty: usize) -> LevelFact {
        self.facts.get(&(level, difficulty % self.apart())).copied().unwrap_or_default()
    }

    pub(crate) fn visit(&self) -> Option<&Visit> {
        self.run.as_ref()?.visit.as_ref()
    }

    fn visit_mut(&mut self) -> Option<&mut Visit> {
        self.run.as_mut()?.visit.as_mut()
    }

    pub(crate) fn phase(&self) -> &'static str {
        match (self.stage, self.visit().map(|visit| visit.at)) {
            (Stage::Title, _) => "title",
            (Stage::Over, _) => "over",
            (_, Some(At::Playing)) => "playing",
            (_, Some(At::Down)) => "down",
            _ => "map",
        }
    }

    pub(crate) fn difficulty(&self) -> usize {
        self.run.as_ref().map_or(self.chosen, |run| run.difficulty)
    }

    fn has_run(&self) -> bool {
        self.stage != Stage::Over && self.run.is_some()
    }

    pub(crate) fn is_open(&self, level: usize) -> bool {
        let rule = self.schema.levels[level].unlock.as_ref();
        rule.is_none_or(|rule| rule.program.holds(self, self.difficulty()))
    }

    fn fact_mut(&mut self) -> Option<&mut LevelFact> {
        let key = (self.visit()?.level, self.difficulty() % self.apart());
        Some(self.facts.entry(key).or_default())
    }

    /// The bound of a field as it is now.
    fn bound(&self, bound: &Option<Bound>, field: &FieldDef) -> Option<Value> {
        match bound.as_ref()? {
            Bound::Fixed(value) => Some(value.clone()),
            Bound::Follows(program) => program.outcome(self, self.difficulty(), field.holds().into()),
            _ => None,
        }
    }

    fn clamped(&self, field: &FieldDef, value: &Value) -> Value {
        let (min, max) = (self.bound(&field.min, field), self.bound(&field.max, field));
        let raised = min.filter(|min| value < min).unwrap_or_else(|| value.clone());
        max.filter(|max| raised > *max).unwrap_or(raised)
    }

    fn hold_bounds(&mut self) {
        for _ in 0..self.schema.fields.len() {
            for field in self.schema.clone().fields.iter().filter(|field| !field.keep.is_record()) {
                for cell in field.cells.clone() {
                    let held = self.clamped(field, &self.values[&cell]);
                    self.values.insert(cell, held);
                }
            }
        }
    }

    /// After every event: bounds, then moments. `quiet` is after what puts values back.
    fn settle(&mut self, quiet: bool) {
        self.hold_bounds();
        for (index, moment) in self.schema.clone().moments.iter().enumerate() {
            let now = moment.when.as_ref().unwrap().program.holds(self, self.difficulty());
            let before = std::mem::replace(&mut self.held[index], now);
            let reached = match moment.again {
                Again::EachTime => now && !before && !quiet,
                Again::Level => now && !self.told[index] && matches!(self.phase(), "playing" | "down"),
                Again::Run => now && !self.told[index] && self.stage == Stage::Running,
                _ => now && !self.told[index],
            };
            if reached {
                self.told[index] = true;
                self.moments.push(index);
            }
        }
    }

    fn forget_told(&mut self, again: Again) {
        for (index, moment) in self.schema.clone().moments.iter().enumerate() {
            self.told[index] &= moment.again != again;
        }
    }

    /// Values of a visit and a run, each by its own word.
    fn put_back(&mut self, from: impl Fn(&FieldDef) -> &'static str) {
        let visit = self.visit().cloned();
        for field in self.schema.clone().fields.iter().filter(|field| field.scope.is_of_run()) {
            for cell in field.cells.clone() {
                let default = || field.default.clone();
                let value = match (from(field), &visit) {
                    ("stays", _) => continue,
                    ("checkpoint", Some(visit)) => visit
                        .copy
                        .as_ref()
                        .unwrap_or(&visit.entry)
                        .get(&cell)
                        .cloned()
                        .unwrap_or_else(default),
                    ("entry", Some(visit)) => visit.entry.get(&cell).cloned().unwrap_or_else(default),
                    _ => default(),
                };
                self.values.insert(cell, value);
            }
        }
    }

    fn copies(&self) -> Values {
        let of_run = |cell: &usize| *cell < self.schema.copied_cells;
        self.values
            .iter()
            .filter(|(cell, _)| of_run(cell))
            .map(|(cell, value)| (*cell, value.clone()))
            .collect()
    }

    fn offer(&mut self, field: &FieldDef, cell: usize, value: Value) {
        let held = &self.values[&cell];
        let better = match field.keep {
            _ if *held == Value::Unset => true,
            Keep::Highest => value > *held,
            _ => value < *held,
        };
        if better {
            self.values.insert(cell, value);
        }
    }

    fn records(&mut self, at: RecordAt) {
        let here = keblin::model::At::level(self.visit().map(|visit| visit.level), Some(self.difficulty()));
        for field in &self.schema.clone().fields {
            let Some(feed) = field.feed.as_ref().filter(|feed| feed.at.contains(&at)) else { continue };
            let offered = self.values[&self.schema.fields[feed.from].cells.start].clone();
            if let Some(cell) =
                self.schema.cell(field, here).filter(|_| self.clamped(field, &offered) == offered)
            {
                self.offer(field, cell, offered);
            }
        }
    }

    fn end(&mut self) {
        self.records(RecordAt::RunEnd);
        self.stage = Stage::Over;
        if let Some(visit) = self.visit_mut() {
            (visit.entry, visit.copy) = (Values::new(), None);
        }
    }

    /// The outcomes of all events: whether it was accepted.
    pub(crate) fn begin(&mut self, difficulty: Option<usize>, replacing: bool) -> bool {
        if self.has_run() && !replacing {
            return false;
        }
        if self.has_run() {
            self.end();
        }
        self.chosen = difficulty.unwrap_or(self.chosen);
        self.run = Some(Run { difficulty: self.chosen, visit: None });
        self.put_back(|field| reset(field.survival.on_new_run));
        self.stage = Stage::Running;
        self.forget_told(Again::Run);
        self.forget_told(Again::Level);
        self.settle(true);
        true
    }

    pub(crate) fn resume(&mut self) -> bool {
        let waits = matches!(self.visit().map(|visit| visit.at), Some(At::Playing | At::Down | At::Left));
        let possible = match self.phase() {
            "title" => self.run.is_some(),
            "map" => waits,
            _ => false,
        };
        if possible {
            self.stage = Stage::Running;
            self.chosen = self.difficulty();
            if let Some(visit) = self.visit_mut().filter(|_| waits) {
                visit.at = At::Playing;
            }
            self.settle(true);
        }
        possible
    }

    pub(crate) fn enter(&mut self, level: usize) -> bool {
        let here = self.phase() == "playing" && self.visit().is_some_and(|visit| visit.level == level);
        if !matches!(self.phase(), "map" | "playing") || here || !self.is_open(level) {
            return false;
        }
        self.put_back(|field| reset(field.survival.on_level));
        self.hold_bounds();
        self.forget_told(Again::Level);
        let visit = Visit { level, at: At::Playing, checkpoint: None, entry: self.copies(), copy: None };
        self.run.as_mut().unwrap().visit = Some(visit);
        self.furthest = self.furthest.max(Some(level));
        self.fact_mut().unwrap().attempts += 1;
        self.settle(false);
        true
    }

    pub(crate) fn reach(&mut self, level: usize, checkpoint: usize) -> bool {
        if self.phase() != "playing" {
            return true;
        }
        let copies = self.copies();
        let order = self.schema.levels[level].checkpoint_order;
        let visit = self.visit_mut().unwrap();
        if visit.level != level {
            return false;
        }
        let passed = visit.checkpoint.is_some_and(|held| match order {
            CheckpointOrder::Latest => held == checkpoint,
            _ => held >= checkpoint,
        });
        if !passed {
            (visit.checkpoint, visit.copy) = (Some(checkpoint), Some(copies));
        }
        self.settle(false);
        true
    }

    fn to_start(&mut self, at: At) {
        self.put_back(|field| match field.survival.on_retry {
            OnRetry::Stays => "stays",
            OnRetry::Entry => "entry",
            OnRetry::Default => "default",
        });
        let visit = self.visit_mut().unwrap();
        (visit.at, visit.checkpoint, visit.copy) = (at, None, None);
        self.forget_told(Again::Level);
    }

    pub(crate) fn die(&mut self) {
        if self.phase() != "playing" {
            return;
        }
        self.fact_mut().unwrap().deaths += 1;
        let lives =
            self.schema.lives.clone().map(|lives| (self.schema.fields[lives.field].clone(), lives.at_zero));
        let mut left = 1;
        if let Some((field, _)) = &lives {
            left = (self.values[&field.cells.start].number().unwrap() - 1).max(0);
            self.values.insert(field.cells.start, Value::Int(left));
        }
        match lives {
            Some((_, AtZero::EndRun)) if left == 0 => self.end(),
            Some((field, _)) if left == 0 => {
                self.to_start(At::Down);
                self.values.insert(field.cells.start, field.default);
            }
            _ => {
                self.put_back(on_death);
                self.visit_mut().unwrap().at = At::Down;
            }
        }
        self.settle(true);
    }

    pub(crate) fn respawn(&mut self) -> bool {
        let possible = matches!(self.phase(), "playing" | "down");
        if possible {
            self.visit_mut().unwrap().at = At::Playing;
            self.settle(false);
        }
        possible
    }

    pub(crate) fn retry(&mut self) -> bool {
        let left = self.phase() == "map" && self.visit().is_some_and(|visit| visit.at == At::Left);
        if !left && !matches!(self.phase(), "playing" | "down") {
            return false;
        }
        self.to_start(At::Playing);
        self.fact_mut().unwrap().attempts += 1;
        self.settle(true);
        true
    }

    pub(crate) fn finish(&mut self, stars: i64) -> bool {
        if self.phase() != "playing" {
            return matches!(self.phase(), "map" | "over")
                && self.visit().is_some_and(|visit| visit.at == At::Finished);
        }
        let level = self.visit().unwrap().level;
        let fits = (0..=i64::from(self.schema.levels[level].stars)).contains(&stars);
        let facts = self.fact_mut().unwrap();
        facts.finished = true;
        facts.stars = facts.stars.max(if fits { stars } else { 0 });
        self.records(RecordAt::Finish);
        let visit = self.visit_mut().unwrap();
        (visit.at, visit.entry, visit.copy) = (At::Finished, Values::new(), None);
        self.settle(false);
        self.furthest =
            self.furthest.max((0..self.schema.levels.len()).rev().find(|level| self.is_open(*level)));
        if level + 1 == self.schema.levels.len() && self.schema.after_last == AfterLast::EndRun {
            self.end();
            self.settle(false);
        }
        true
    }

    pub(crate) fn leave(&mut self) -> bool {
        if matches!(self.phase(), "playing" | "down") {
            self.visit_mut().unwrap().at = At::Left;
            self.settle(false);
        }
        self.phase() != "title"
    }

    pub(crate) fn end_run(&mut self) -> bool {
        match (self.phase(), self.run.is_some()) {
            ("title", false) => return false,
            ("over", _) => {}
            _ => {
                self.end();
                self.settle(false);
            }
        }
        true
    }

    pub(crate) fn tick(&mut self, nanos: i64) {
        if self.phase() != "playing" {
            return;
        }
        self.played += nanos;
        for field in self.schema.clone().fields.iter().filter(|field| field.counts_playing) {
            let grown = self.values[&field.cells.start]
                .plus(&Value::Time(keblin::Time::from_nanos(nanos)))
                .unwrap()
                .0;
            self.values.insert(field.cells.start, self.clamped(field, &grown));
        }
        self.settle(false);
    }

    fn may_write(&self, field: &FieldDef) -> bool {
        match field.scope {
            Scope::Level => self.phase() == "playing",
            Scope::Run => matches!(self.phase(), "map" | "playing"),
            _ => true,
        }
    }

    pub(crate) fn set(&mut self, cell: usize, value: Value) -> bool {
        let field = self.schema.cell_owner(cell).unwrap().0.clone();
        let clamped = self.clamped(&field, &value);
        if !self.may_write(&field) || (field.keep.is_record() && clamped != value) {
            return false;
        }
        match field.keep {
            Keep::Highest | Keep::Lowest => self.offer(&field, cell, value),
            Keep::Sum if clamped <= self.values[&cell] => {}
            _ => drop(self.values.insert(cell, clamped)),
        }
        self.settle(false);
        true
    }

    pub(crate) fn add(&mut self, cell: usize, amount: &Value) -> bool {
        let field = self.schema.cell_owner(cell).unwrap().0.clone();
        let sum = self.values[&cell].plus(amount);
        let only_gains = field.keep == Keep::Sum && amount.is_negative();
        sum.filter(|_| !only_gains).is_some_and(|(sum, _)| self.set(cell, sum))
    }

    pub(crate) fn spend(&mut self, cell: usize, amount: &Value) -> bool {
        let field = self.schema.cell_owner(cell).unwrap().0.clone();
        let Some((rest, over)) = self.values[&cell].plus(&amount.negated()) else { return false };
        let too_much = self.bound(&field.min, &field).is_some_and(|min| rest < min);
        let refused = over || too_much || amount.is_negative() || field.keep == Keep::Sum;
        !refused && self.may_write(&field) && self.set(cell, rest)
    }

    /// Quit, opened again.
    pub(crate) fn reopen(&mut self) {
        if self.stage == Stage::Over {
            self.run = None;
            self.put_back(|field| reset(field.survival.on_new_run));
            self.forget_told(Again::Run);
            self.forget_told(Again::Level);
        }
        self.stage = Stage::Title;
        let waits = matches!(self.visit().map(|visit| visit.at), Some(At::Playing | At::Down | At::Left));
        if self.schema.resume == Resume::Checkpoint && waits {
            self.put_back(on_death);
        }
        self.held.iter_mut().for_each(|held| *held = false);
        self.settle(true);
    }
}

fn reset(word: OnReset) -> &'static str {
    if word == OnReset::Stays { "stays" } else { "default" }
}

fn on_death(field: &FieldDef) -> &'static str {
    match field.survival.on_death {
        OnDeath::Stays => "stays",
        OnDeath::Checkpoint => "checkpoint",
        OnDeath::Entry => "entry",
        OnDeath::Default => "default",
    }
}
