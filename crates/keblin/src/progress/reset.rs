//! Named resets: erasing what a declaration lists, value by value.

use std::sync::Arc;

use keblin_model::model::{Again, Extent};
use keblin_model::program::Fact;
use keblin_model::{Reset, Time};

use super::journal::Target;
use super::{Engine, Stage};

impl Engine {
    /// Erases what a reset lists.
    pub(super) fn forget_by(&mut self, reset: Reset) {
        let schema = Arc::clone(&self.schema);
        let Some(def) = schema.resets.get(reset.index()) else { return };
        let extent = schema.extent(def);
        let cells = extent.cells.iter().enumerate().filter(|(_, erased)| **erased);
        for (cell, _) in cells {
            self.put_default(Target::Cell(cell));
        }
        for index in 0..schema.fact_count() {
            for fact in Fact::ALL.iter().filter(|fact| extent.has_fact(index, **fact)) {
                self.put_default(Target::Fact { at: schema.fact_place(index), fact: *fact });
            }
            if extent.has_fact(index, Fact::Finished) {
                self.state.opened.get_mut(index).into_iter().for_each(|opened| *opened = false);
            }
        }
        // A level that was neither entered nor finished is not the furthest one.
        if self.state.furthest.is_some_and(|level| self.is_forgotten(&extent, level)) {
            self.fall_back();
        }
        let unlocks = self.state.latched.iter_mut().zip(&extent.unlocks);
        unlocks.for_each(|(latched, erased)| *latched &= !erased);
        for ((told, erased), moment) in self.state.told.iter_mut().zip(&extent.moments).zip(&schema.moments) {
            *told &= !(*erased && moment.again == Again::Profile);
        }
        if extent.played {
            self.state.played = Time::ZERO;
        }
        if extent.run {
            self.forget_run();
        }
        self.changed();
    }

    fn is_forgotten(&self, extent: &Extent, level: usize) -> bool {
        let mut of_level =
            (0..self.schema.fact_count()).filter(|index| self.schema.fact_place(*index).level == Some(level));
        let facts = [Fact::Finished, Fact::Attempts];
        of_level.all(|index| facts.iter().all(|fact| extent.has_fact(index, *fact)))
    }

    /// Drops the run without submitting its records.
    fn forget_run(&mut self) {
        self.state.run = None;
        self.areas = Arc::default();
        self.world_was_replaced();
        self.forget_unknown_run();
        self.forget_told(Again::Run);
        self.forget_told(Again::Level);
        self.stage = Stage::Title;
        self.paused = false;
        self.supposed.clear();
    }
}
