//! Invariants: conditions that must always be true. A game that breaks one has a mistake in it; nothing is refused for
//! it, because that would only be another mistake.

use keblin_model::Name;

use super::{Engine, Holder, Play};

impl<G, P: Holder> Play<G, P> {
    /// Returns the invariants that are not true now, for a debug display.
    pub fn broken_invariants(&self) -> impl Iterator<Item = &Name> {
        self.engine().broken_invariants()
    }
}

impl Engine {
    pub(crate) fn broken_invariants(&self) -> impl Iterator<Item = &Name> {
        let all = self.schema.invariants.iter().zip(&self.rules.broken);
        all.filter(|(_, broken)| **broken).map(|(invariant, _)| &invariant.name)
    }

    /// Evaluates an invariant. If it has just become false, the game's logger gets a warning.
    pub(super) fn ask_invariant(&mut self, index: usize) {
        let Some(invariant) = self.schema.invariants.get(index) else { return };
        let Some(rule) = &invariant.holds else { return };
        let broken = !rule.program.holds(self, self.here().difficulty.unwrap_or(0));
        let was = self.rules.broken.get(index) == Some(&true);
        if broken && !was {
            let (game, name, rule) = (&self.schema.game, &invariant.name, rule.program.source());
            log::warn!("{game}: the invariant {name} is broken: `{rule}` is not true");
        }
        self.rules.broken.get_mut(index).into_iter().for_each(|held| *held = broken);
    }

    /// Evaluates every invariant, after a begin or a load.
    pub(super) fn note_invariants(&mut self) {
        self.rules.broken.resize(self.schema.invariants.len(), false);
        (0..self.schema.invariants.len()).for_each(|index| self.ask_invariant(index));
    }
}
