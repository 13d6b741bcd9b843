//! Loading a held snapshot, late data, and erasing.

use std::sync::Arc;

use keblin::condition::names::Fact;
use keblin::model::{Again, Scope};
use keblin::{Keep, Value};

use super::Naive;

impl Naive {
    /// Returns what is saved now: a run that is over is not.
    pub(crate) fn held(&self) -> Naive {
        let mut held = self.clone();
        if held.stage == "over" {
            (held.run, held.visit, held.save) = (None, None, None);
            held.put_back(|field| field.survival.on_new_run.as_str());
            held.forget_told(&[Again::Run, Again::Level]);
        }
        held
    }

    /// Loads a held snapshot: the run is as it was, and everything else meets.
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
        for ((ours, theirs), moment) in self.told.iter_mut().zip(&held.told).zip(&self.schema.moments) {
            *ours = *theirs || (moment.again == Again::Profile && *ours);
        }
        self.given.iter_mut().zip(&held.given).for_each(|(ours, theirs)| *ours |= theirs);
        (self.run, self.visit, self.save) = (held.run, held.visit.clone(), held.save.clone());
        self.stage = if self.visit.is_some() { "running" } else { "title" };
        self.chosen = self.run.unwrap_or(self.chosen);
        self.visit.iter_mut().filter(|visit| visit.at == "down").for_each(|visit| visit.at = "playing");
        self.signals.clear();
        self.settle(true);
    }

    /// The data arrives, and it is a first launch.
    pub(crate) fn arrive(&mut self) {
        if std::mem::take(&mut self.is_late) {
            self.settle(true);
        }
    }

    /// Resets everything except device values to the first launch.
    pub(crate) fn erase_profile(&mut self) {
        let mut first = Naive::new(&self.schema, self.is_late);
        first.values.extend(self.values.split_off(&self.schema.saved_cells));
        let signals = std::mem::take(&mut self.signals);
        *self = Naive { signals, ..first };
        // Notices of the first launch are delivered again.
        self.told.fill(false);
        self.held.fill(false);
        self.moments.clear();
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

    /// Returns a level's facts, and its values of every field with one per level.
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
}
