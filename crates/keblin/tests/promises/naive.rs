//! A second engine, written to be obviously right and not fast: maps by name, clones for copies, every rule asked after
//! every event. It knows the declaration and `docs/events.md`, and nothing of how the library does it.

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use keblin::condition::names::Fact;
use keblin::model::{AfterLast, Again, AtZero, Bound, CheckpointOrder, FieldDef, RecordAt, Resume, Scope};
use keblin::{Keep, Schema, Value};

type Values = BTreeMap<usize, Value>;

#[derive(Clone, Debug)]
pub(crate) struct Visit {
    pub(crate) level: usize,
    at: &'static str,
    pub(crate) checkpoint: Option<usize>,
    entry: Values,
    copy: Option<Values>,
}

#[derive(Clone)]
pub(crate) struct Naive {
    schema: Arc<Schema>,
    pub(crate) values: Values,
    pub(crate) facts: HashMap<(usize, usize, Fact), i64>,
    pub(crate) furthest: Option<usize>,
    chosen: usize,
    stage: &'static str,
    run: Option<usize>,
    pub(crate) visit: Option<Visit>,
    held: Vec<bool>,
    told: Vec<bool>,
    /// By unlock.
    pub(crate) given: Vec<bool>,
    /// The signals that were fed: whether each may act, and whether it was fed true since the last tick.
    signals: BTreeMap<&'static str, (bool, bool)>,
    /// Whether the data is on its way: what is told once waits.
    is_late: bool,
    pub(crate) moments: Vec<usize>,
}

impl Naive {
    /// Of a first launch; `is_late` if that is not known before [`Naive::arrive`].
    pub(crate) fn new(schema: &Arc<Schema>, is_late: bool) -> Naive {
        let fields = schema.fields.iter();
        let values = fields.flat_map(|field| field.cells.clone().map(|cell| (cell, field.default.clone())));
        let untold = vec![false; schema.moments.len()];
        let mut naive = Naive {
            schema: Arc::clone(schema),
            values: values.collect(),
            facts: HashMap::new(),
            furthest: None,
            chosen: 0,
            stage: "title",
            run: None,
            visit: None,
            held: untold.clone(),
            told: untold,
            given: vec![false; schema.unlocks.len()],
            signals: BTreeMap::new(),
            is_late,
            moments: Vec::new(),
        };
        naive.settle(true);
        naive
    }

    pub(crate) fn apart(&self) -> usize {
        if self.schema.level_facts_per_difficulty { self.schema.difficulties.len() } else { 1 }
    }

    fn at(&self) -> &'static str {
        self.visit.as_ref().map_or("", |visit| visit.at)
    }

    pub(crate) fn phase(&self) -> &'static str {
        match (self.stage, self.at()) {
            ("running", at @ ("playing" | "down")) => at,
            ("running", _) => "map",
            (stage, _) => stage,
        }
    }

    pub(crate) fn difficulty(&self) -> usize {
        self.run.unwrap_or(self.chosen)
    }

    pub(crate) fn is_open(&self, level: usize) -> bool {
        let rule = self.schema.levels[level].unlock.as_ref();
        rule.is_none_or(|rule| rule.program.holds(self, self.difficulty()))
    }

    /// Lets a fact of the level being played grow to at least a number, or by one.
    fn count(&mut self, fact: Fact, least: Option<i64>) {
        let key = (self.visit.as_ref().unwrap().level, self.difficulty() % self.apart(), fact);
        let held = self.facts.entry(key).or_default();
        *held = least.map_or(*held + 1, |least| least.max(*held));
    }

    fn clamped(&self, field: &FieldDef, value: &Value) -> Value {
        let now = |bound: &Option<Bound>| match bound.as_ref()? {
            Bound::Follows(program) => program.outcome(self, self.difficulty(), field.holds().into()),
            fixed => fixed.fixed().cloned(),
        };
        let raised = now(&field.min).filter(|min| value < min).unwrap_or_else(|| value.clone());
        now(&field.max).filter(|max| raised > *max).unwrap_or(raised)
    }

    fn hold_bounds(&mut self) {
        let schema = Arc::clone(&self.schema);
        let plain = || schema.fields.iter().filter(|field| !field.keep.is_record());
        let outside = |naive: &Naive| {
            let held = plain()
                .map(|field| (field.cells.start, naive.clamped(field, &naive.values[&field.cells.start])));
            held.into_iter().find(|(cell, held)| *held != naive.values[cell])
        };
        while let Some((cell, held)) = outside(self) {
            self.values.insert(cell, held);
        }
    }

    /// After every event: bounds, then moments. `quiet` is after what puts values back.
    fn settle(&mut self, quiet: bool) {
        self.hold_bounds();
        let given = self.schema.unlocks.iter().zip(&self.given).map(|(unlock, given)| {
            unlock.latch && *given || unlock.when.as_ref().unwrap().program.holds(self, self.difficulty())
        });
        self.given = given.collect();
        let phase = self.phase();
        for (index, moment) in self.schema.clone().moments.iter().enumerate() {
            let now = moment.when.as_ref().unwrap().program.holds(self, self.difficulty());
            let before = std::mem::replace(&mut self.held[index], now);
            let news = match moment.again {
                Again::EachTime => !before && !quiet,
                _ if self.is_late => false,
                Again::Level => !self.told[index] && matches!(phase, "playing" | "down"),
                Again::Run => !self.told[index] && self.stage == "running",
                _ => !self.told[index],
            };
            if now && news {
                self.told[index] = true;
                self.moments.push(index);
            }
        }
    }

    fn forget_told(&mut self, again: &[Again]) {
        for (moment, told) in self.schema.moments.iter().zip(&mut self.told) {
            *told &= !again.contains(&moment.again);
        }
    }

    /// Values of a visit and a run, each by its own word.
    fn put_back(&mut self, word: impl Fn(&FieldDef) -> &'static str) {
        let visit = self.visit.clone();
        let copies = visit.as_ref().map(|visit| (&visit.entry, visit.copy.as_ref().unwrap_or(&visit.entry)));
        for field in self.schema.clone().fields.iter().filter(|field| field.scope.is_of_run()) {
            for cell in field.cells.clone() {
                let copied = match (word(field), copies) {
                    ("stays", _) => continue,
                    ("checkpoint", Some((_, copy))) => copy.get(&cell),
                    ("entry", Some((entry, _))) => entry.get(&cell),
                    _ => None,
                };
                self.values.insert(cell, copied.unwrap_or(&field.default).clone());
            }
        }
    }

    fn copies(&self) -> Values {
        self.values.range(..self.schema.copied_cells).map(|(cell, value)| (*cell, value.clone())).collect()
    }

    fn offer(&mut self, field: &FieldDef, cell: usize, value: Value) {
        let held = &self.values[&cell];
        let better = if field.keep == Keep::Highest { value > *held } else { value < *held };
        if better || *held == Value::Unset {
            self.values.insert(cell, value);
        }
    }

    fn records(&mut self, at: RecordAt) {
        let here =
            keblin::model::At::level(self.visit.as_ref().map(|visit| visit.level), Some(self.difficulty()));
        for field in &self.schema.clone().fields {
            let Some(feed) = field.feed.as_ref().filter(|feed| feed.at.contains(&at)) else { continue };
            let offered = self.values[&self.schema.fields[feed.from].cells.start].clone();
            match self.schema.cell(field, here) {
                Some(cell) if self.clamped(field, &offered) == offered => self.offer(field, cell, offered),
                _ => {}
            }
        }
    }

    fn end(&mut self) {
        self.records(RecordAt::RunEnd);
        self.stage = "over";
        self.drop_copies();
    }

    fn drop_copies(&mut self) {
        self.visit.iter_mut().for_each(|visit| (visit.entry, visit.copy) = (Values::new(), None));
    }

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
        }
        self.settle(false);
        true
    }

    fn start_again(&mut self, at: &'static str) {
        self.put_back(|field| field.survival.on_retry.as_str());
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
                self.put_back(|field| field.survival.on_death.as_str());
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
        self.records(RecordAt::Finish);
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

    /// Feeds a signal; whether it acts.
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

    pub(crate) fn set(&mut self, cell: usize, value: Value) -> bool {
        let field = self.schema.cell_owner(cell).unwrap().0.clone();
        let clamped = self.clamped(&field, &value);
        let possible = match field.scope {
            Scope::Level => self.phase() == "playing",
            Scope::Run => matches!(self.phase(), "map" | "playing"),
            _ => true,
        };
        if !possible || (field.keep.is_record() && clamped != value) {
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
        let loses = self.schema.cell_owner(cell).unwrap().0.keep == Keep::Sum && amount.is_negative();
        self.values[&cell].plus(amount).filter(|_| !loses).is_some_and(|(sum, _)| self.set(cell, sum))
    }

    pub(crate) fn spend(&mut self, cell: usize, amount: &Value) -> bool {
        let field = self.schema.cell_owner(cell).unwrap().0.clone();
        let rest = self.values[&cell].plus(&amount.negated()).filter(|(_, over)| !over);
        let Some((rest, _)) = rest.filter(|_| !amount.is_negative() && field.keep != Keep::Sum) else {
            return false;
        };
        self.clamped(&field, &rest) <= rest && self.set(cell, rest)
    }

    /// What is saved of this instant: a run that is over is not.
    pub(crate) fn held(&self) -> Naive {
        let mut held = self.clone();
        if held.stage == "over" {
            (held.run, held.visit) = (None, None);
            held.put_back(|field| field.survival.on_new_run.as_str());
            held.forget_told(&[Again::Run, Again::Level]);
        }
        held
    }

    /// Back to an instant that was held: the run is as it was, everything else meets.
    pub(crate) fn load(&mut self, held: &Naive) {
        for field in &self.schema.clone().fields {
            for cell in field.cells.clone() {
                let value = held.values[&cell].clone();
                match (field.scope, field.keep) {
                    (Scope::Level | Scope::Run, _) => drop(self.values.insert(cell, value)),
                    (Scope::Profile, Keep::Highest | Keep::Lowest) if value != Value::Unset => {
                        self.offer(field, cell, value);
                    }
                    (Scope::Profile, Keep::Sum) if value > self.values[&cell] => {
                        self.values.insert(cell, value);
                    }
                    _ => {}
                }
            }
        }
        for (key, count) in &held.facts {
            let ours = self.facts.entry(*key).or_default();
            *ours = (*ours).max(*count);
        }
        self.furthest = self.furthest.max(held.furthest);
        self.told.iter_mut().zip(&held.told).for_each(|(ours, theirs)| *ours |= theirs);
        self.given.iter_mut().zip(&held.given).for_each(|(ours, theirs)| *ours |= theirs);
        (self.run, self.visit) = (held.run, held.visit.clone());
        self.stage = if self.visit.is_some() { "running" } else { "title" };
        self.chosen = self.run.unwrap_or(self.chosen);
        self.visit.iter_mut().filter(|visit| visit.at == "down").for_each(|visit| visit.at = "playing");
        self.signals.clear();
        self.settle(true);
    }

    /// The data is there, and it is the first launch.
    pub(crate) fn arrive(&mut self) {
        if std::mem::take(&mut self.is_late) {
            self.settle(true);
        }
    }

    /// Everything that is not of the device is as on the first launch.
    pub(crate) fn erase_profile(&mut self) {
        let mut first = Naive::new(&self.schema, self.is_late);
        first.values.extend(self.values.split_off(&self.schema.saved_cells));
        let signals = std::mem::take(&mut self.signals);
        *self = Naive { signals, ..first };
        // What is told on the first launch is told again.
        (self.told.fill(false), self.held.fill(false), self.moments.clear());
        self.settle(true);
    }

    pub(crate) fn erase_field(&mut self, field: usize) {
        let field = self.schema.fields[field].clone();
        self.values.extend(field.cells.map(|cell| (cell, field.default.clone())));
        self.settle(true);
    }

    pub(crate) fn erase_fact(&mut self, level: usize, fact: Fact) {
        self.facts.retain(|(of, _, erased), _| *of != level || *erased != fact);
        self.settle(true);
    }

    /// A level's facts, and its values of every field that has one for each level.
    pub(crate) fn erase_level(&mut self, level: usize) {
        let schema = Arc::clone(&self.schema);
        self.facts.retain(|(of, _, _), _| *of != level);
        for cell in 0..schema.cell_count {
            let (field, at) = schema.cell_owner(cell).unwrap();
            if at.level == Some(level) {
                self.values.insert(cell, field.default.clone());
            }
        }
        if self.furthest == Some(level) {
            let entered = |level: &usize| {
                self.facts
                    .iter()
                    .any(|((of, _, fact), count)| of == level && *fact == Fact::Attempts && *count > 0)
            };
            self.furthest = (0..schema.levels.len()).rev().find(entered);
        }
        self.settle(true);
    }

    /// Quit, opened again.
    pub(crate) fn reopen(&mut self) {
        self.is_late = false;
        self.signals.clear();
        if self.stage == "over" {
            (self.run, self.visit) = (None, None);
            self.put_back(|field| field.survival.on_new_run.as_str());
            self.forget_told(&[Again::Run, Again::Level]);
        }
        self.stage = "title";
        if self.schema.resume == Resume::Checkpoint && matches!(self.at(), "playing" | "down" | "left") {
            self.put_back(|field| field.survival.on_death.as_str());
        }
        self.settle(true);
    }
}
