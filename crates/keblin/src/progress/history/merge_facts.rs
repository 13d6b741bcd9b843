//! Merging what is kept without being a field: facts of levels, unlocks, time played.

use keblin_model::Value;
use keblin_model::model::Again;

use super::merge::Joining;
use crate::grammar::listed::{FactOf, Leaf};
use crate::snapshot::LevelFacts;
use crate::snapshot::State;
use crate::snapshot::history::{Content, Past, Piece, like};

impl Joining<'_> {
    pub(super) fn facts(&mut self) {
        for index in 0..self.state.facts.len() {
            let of = |state: &State| state.facts.get(index).copied().unwrap_or_default();
            let (ours, theirs) = (of(self.ours), of(self.theirs));
            let is_listed = self.listed.facts.get(index) != Some(&false);
            if ours == theirs && !is_listed && self.a.founder == self.b.founder {
                continue;
            }
            let mut both = LevelFacts {
                finished: ours.finished || theirs.finished,
                stars: ours.stars.max(theirs.stars),
                collected: ours.collected | theirs.collected,
                ..ours
            };
            for fact in [FactOf::Attempts, FactOf::Deaths] {
                let (one, other) = (fact.count(&ours), fact.count(&theirs));
                let total = self.amount(Piece::of_fact(fact, index), &one, &other, &Value::Int(0));
                fact.put_count(&mut both, &total);
            }
            self.state.facts.get_mut(index).into_iter().for_each(|facts| *facts = both);
            for fact in FactOf::ALL {
                self.settle(Leaf::Fact(*fact, index));
            }
        }
    }

    /// Gives a piece that is kept by its rule to the side that has erased it more often, if there is one.
    fn settle(&mut self, leaf: Leaf) {
        let piece = Piece::Leaf(leaf);
        match self.erased_by(&piece) {
            Some(side) => self.take_amount(leaf, side, &Value::Int(0)),
            None if self.history.pieces.contains_key(&piece) => {}
            None => {
                let erased = self.a.erased(&piece);
                self.history.set(piece, Past { erased, content: Content::Value });
            }
        }
    }

    pub(super) fn rest(&mut self) {
        let (ours, theirs) = (self.ours, self.theirs);
        let played = [ours, theirs].map(|of| Value::Int(of.played.as_nanos()));
        let [one, other] = &played;
        let total = self.amount(Piece::Leaf(Leaf::Played), one, other, &Value::Int(0));
        if let Value::Time(played) = like(&Value::Time(ours.played), &total) {
            self.state.played = played;
        }
        self.state.furthest = ours.furthest.max(theirs.furthest);
        self.state.made = ours.made.max(theirs.made);
        let either = |one: &[bool], other: &[bool], to: &mut [bool]| {
            to.iter_mut().zip(one.iter().zip(other)).for_each(|(to, (one, other))| *to = *one || *other);
        };
        either(&ours.latched, &theirs.latched, &mut self.state.latched);
        either(&ours.opened, &theirs.opened, &mut self.state.opened);
        for (index, moment) in self.schema.moments.iter().enumerate() {
            if moment.again == Again::Profile {
                let told = [ours, theirs].iter().any(|of| of.told.get(index) == Some(&true));
                self.state.told.get_mut(index).into_iter().for_each(|held| *held = told);
            }
        }
        for leaf in std::mem::take(&mut self.listed.others) {
            self.settle(leaf);
        }
    }
}
