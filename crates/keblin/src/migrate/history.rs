//! The history of a save through a step: what is known of a value moves with it. An amount that the step has changed, or
//! computed, is a start value from then on.

use keblin_model::model::{FieldDef, Scope};
use keblin_model::versions::step::{Carrying, FieldStep};
use keblin_model::{Keep, Value};

use super::apply::Applying;
use super::places::now_of;
use crate::grammar::listed::{FactOf, Leaf};
use crate::snapshot::history::{Amount, Content, History, Past, Piece, as_number};
use crate::snapshot::{AREA, Snapshot};

impl Applying<'_> {
    /// Returns the history of a snapshot after the step; `None` if it had none before.
    pub(super) fn history(&self, after: &Snapshot) -> Option<History> {
        let before = self.before.history.as_deref()?;
        let mut moving = Moving {
            before,
            after: History {
                top: before.top,
                writers: before.writers.clone(),
                founder: before.founder,
                erased: before.erased,
                run: if after.state.run.is_some() { before.run } else { Default::default() },
                ..History::default()
            },
        };
        let same = |piece: Piece| (piece.clone(), piece);
        let whole =
            [Piece::Title, Piece::Run].into_iter().chain([Leaf::Played, Leaf::Furthest].map(Piece::Leaf));
        whole.map(same).for_each(|(from, to)| moving.carry(&from, to));
        for name in after.areas.keys().filter_map(|name| name.strip_prefix(AREA)) {
            moving.carry(&Piece::Area(name.into()), Piece::Area(name.into()));
        }
        self.fields_of_history(&mut moving, after);
        self.facts_of_history(&mut moving, after);
        Some(moving.after)
    }

    fn fields_of_history(&self, moving: &mut Moving<'_>, after: &Snapshot) {
        let places = self.places;
        for (field, of) in places.now.fields.iter().zip(&places.step.fields) {
            if field.scope != Scope::Profile {
                continue;
            }
            for (place, first) in field.cells.clone().step_by(field.places).enumerate() {
                let to = Piece::of_field(field, first);
                let now = after.state.cells.get(first..first + field.places).unwrap_or_default();
                match of {
                    FieldStep::Carried(carrying) => {
                        let sources = places.sources(field, place, carrying);
                        let old = places.old.fields.get(carrying.from);
                        match (&*sources, old) {
                            ([source], Some(old)) => {
                                let was = self.before.state.cells.get(*source..source + old.places);
                                let is_same = is_as_it_was(carrying, old, field) && was == Some(now);
                                let from = Piece::of_field(old, *source);
                                moving.value((&from, old), (to, field, now), is_same);
                            }
                            ([], _) => {}
                            _ => moving.starts_with(to, field, now),
                        }
                    }
                    FieldStep::Filled(_) => moving.starts_with(to, field, now),
                    _ => {}
                }
            }
        }
    }

    fn facts_of_history(&self, moving: &mut Moving<'_>, after: &Snapshot) {
        let places = self.places;
        for (index, facts) in after.state.facts.iter().enumerate() {
            let at = places.now.fact_place(index);
            let sources = places.facts(at.level.unwrap_or_default(), at.difficulty.unwrap_or(0));
            let [source] = &*sources else {
                for fact in [FactOf::Attempts, FactOf::Deaths].into_iter().filter(|_| !sources.is_empty()) {
                    moving.starts_at(Piece::of_fact(fact, index), 0, &fact.count(facts));
                }
                continue;
            };
            for fact in FactOf::ALL {
                moving.carry(&Piece::of_fact(*fact, *source), Piece::of_fact(*fact, index));
            }
            moving.carry(&Piece::Leaf(Leaf::Opened(*source)), Piece::Leaf(Leaf::Opened(index)));
        }
        for (index, unlock) in places.step.unlocks.iter().enumerate() {
            if let Some(from) = unlock.from {
                moving.carry(&Piece::Leaf(Leaf::Latched(from)), Piece::Leaf(Leaf::Latched(index)));
            }
        }
        for from in 0..places.old.moments.len() {
            if let Some(index) = now_of(&places.step.moments, from) {
                moving.carry(&Piece::Leaf(Leaf::Told(from)), Piece::Leaf(Leaf::Told(index)));
            }
        }
    }
}

/// A history that a step moves to another version.
struct Moving<'m> {
    before: &'m History,
    after: History,
}

impl Moving<'_> {
    fn carry(&mut self, from: &Piece, to: Piece) {
        if let Some(past) = self.before.pieces.get(from) {
            self.after.set(to, past.clone());
        }
    }

    /// An amount is there before anybody has changed it in this version. Of anything else nothing is known.
    fn starts_with(&mut self, to: Piece, field: &FieldDef, now: &[Value]) {
        if let (true, Some(now)) = (field.keep.is_amount(), now.first()) {
            self.starts_at(to, 0, now);
        }
    }

    fn starts_at(&mut self, to: Piece, erased: u64, now: &Value) {
        let amount = Amount { start: Some(as_number(now)), ..Amount::default() };
        self.after.set(to, Past { erased, content: Content::Amount(amount) });
    }

    /// Moves what is known of a value; `is_same` if the step does not change it.
    fn value(
        &mut self,
        (from, old): (&Piece, &FieldDef),
        (to, field, now): (Piece, &FieldDef, &[Value]),
        is_same: bool,
    ) {
        let Past { erased, content } = self.before.pieces.get(from).cloned().unwrap_or_default();
        let is_carried = |keep: Keep| keep.is_amount() && is_same && old.keep.is_amount();
        let content = match (field.keep, content) {
            (Keep::Latest, Content::Plain(written)) => Content::Plain(written),
            (keep, Content::Amount(amount)) if is_carried(keep) => Content::Amount(amount),
            (keep, _) if is_carried(keep) => Content::Value,
            (keep, _) if keep.is_amount() => {
                return now.first().into_iter().for_each(|now| self.starts_at(to.clone(), erased, now));
            }
            (keep, Content::Table(ids)) if keep == old.keep && field.places == old.places => {
                Content::Table(ids)
            }
            _ => Content::Value,
        };
        self.after.set(to, Past { erased, content });
    }
}

/// Returns whether a step leaves every value of a field as it is, whatever it is.
fn is_as_it_was(carrying: &Carrying, old: &FieldDef, field: &FieldDef) -> bool {
    let bounds = |field: &FieldDef| {
        let fixed = [&field.min, &field.max].map(|bound| match bound {
            None => Some(None),
            Some(bound) => bound.fixed().cloned().map(Some),
        });
        fixed.into_iter().collect::<Option<Vec<_>>>()
    };
    let is_plain = carrying.scale.is_none() && carrying.values.is_empty();
    is_plain
        && (old.kind, &old.default) == (field.kind, &field.default)
        && bounds(old).is_some()
        && bounds(old) == bounds(field)
}
