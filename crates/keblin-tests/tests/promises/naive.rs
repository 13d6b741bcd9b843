//! A second engine, written to be obviously right and not fast: maps by name, clones as copies, every rule evaluated
//! after every event. It knows the declaration and `docs/events.md`, and nothing about the library's code.

/// The events of a run.
mod events;

/// Loading, late data, and erasing.
mod back;

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use keblin::condition::names::Fact;
use keblin::model::{Again, Bound, CheckpointLasts, FeedAt, FieldDef, Resume, Scope};
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
    /// With save points, the earlier visit with the last checkpoint.
    save: Option<Visit>,
    held: Vec<bool>,
    told: Vec<bool>,
    /// By unlock.
    pub(crate) given: Vec<bool>,
    /// The signals that were fed: whether each is armed, and whether it was fed true since the last tick.
    signals: BTreeMap<&'static str, (bool, bool)>,
    /// Whether the data is still loading: notices that are delivered once wait.
    is_late: bool,
    pub(crate) moments: Vec<usize>,
}

impl Naive {
    /// Starts a first launch; `is_late` if that is unknown before [`Naive::arrive`].
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
            save: None,
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

    /// Raises a fact of the current level to at least a number, or by one.
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

    /// Called after every event: bounds, then moments. `quiet` is after an event that resets values.
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

    /// Resets values of a visit and a run, each by its own word.
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

    fn records(&mut self, at: FeedAt) {
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
        self.records(FeedAt::RunEnd);
        self.stage = "over";
        self.save = None;
        self.drop_copies();
    }

    fn drop_copies(&mut self) {
        self.visit.iter_mut().for_each(|visit| (visit.entry, visit.copy) = (Values::new(), None));
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

    /// Quits and opens again.
    pub(crate) fn reopen(&mut self) {
        self.is_late = false;
        self.signals.clear();
        if self.stage == "over" {
            (self.run, self.visit, self.save) = (None, None, None);
            self.put_back(|field| field.survival.on_new_run.as_str());
            self.forget_told(&[Again::Run, Again::Level]);
        }
        self.stage = "title";
        if self.schema.resume == Resume::Checkpoint && matches!(self.at(), "playing" | "down" | "left") {
            self.put_back_after_death();
        }
        self.settle(true);
    }

    /// Keeps the checkpoint of a visit that ends or restarts.
    fn keep(&mut self) {
        let lasts = self.schema.checkpoint_lasts == CheckpointLasts::Run;
        if let Some(visit) = self.visit.as_ref().filter(|visit| lasts && visit.copy.is_some()) {
            self.save = Some(visit.clone());
        }
    }

    fn put_back_after_death(&mut self) {
        let Some(visit) = &self.visit else { return };
        let Some(save) = self.save.take_if(|_| visit.copy.is_none()) else {
            return self.put_back(|field| field.survival.on_death.as_str());
        };
        self.visit = Some(Visit { at: visit.at, ..save });
        self.forget_told(&[Again::Level]);
        self.put_back(|field| match field.scope {
            Scope::Level => "checkpoint",
            _ => field.survival.on_death.as_str(),
        });
    }
}
