//! Named resets: erasing what a declaration lists, value by value.

use std::sync::Arc;

use keblin_model::model::{Again, Extent, Scope};
use keblin_model::program::Fact;
use keblin_model::{Reset, Time};

use super::erase::pieces_of_fact;
use super::journal::Target;
use super::{Engine, Stage};
use crate::grammar::listed::Leaf;
use crate::snapshot::history::Piece;

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

    /// Returns what a reset takes of the pieces that have a history of their own.
    pub(super) fn pieces_of_reset(&self, reset: Reset) -> Vec<Piece> {
        let schema = &self.schema;
        let Some(def) = schema.resets.get(reset.index()) else { return Vec::new() };
        let extent = schema.extent(def);
        let is_erased = |at: usize| extent.cells.get(at) == Some(&true);
        let fields = schema.fields.iter().filter(|field| field.scope == Scope::Profile);
        let mut pieces: Vec<Piece> = fields
            .flat_map(|field| field.cells.clone().step_by(field.places).map(move |first| (field, first)))
            .filter(|(_, first)| is_erased(*first))
            .map(|(field, first)| Piece::of_field(field, first))
            .collect();
        for index in 0..schema.fact_count() {
            let facts = Fact::ALL.iter().filter(|fact| extent.has_fact(index, **fact));
            pieces.extend(facts.flat_map(|fact| pieces_of_fact(index, *fact)));
        }
        let erased = |all: &[bool], leaf: fn(usize) -> Leaf| {
            let erased = all.iter().enumerate().filter(|(_, erased)| **erased);
            erased.map(|(index, _)| Piece::Leaf(leaf(index))).collect::<Vec<Piece>>()
        };
        pieces.extend(erased(&extent.unlocks, Leaf::Latched));
        pieces.extend(erased(&extent.moments, Leaf::Told));
        pieces.extend(
            self.state
                .furthest
                .and_then(|level| self.is_forgotten(&extent, level).then_some(Piece::Leaf(Leaf::Furthest))),
        );
        pieces.extend(extent.played.then_some(Piece::Leaf(Leaf::Played)));
        pieces.extend(extent.run.then_some(Piece::Run));
        pieces
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
