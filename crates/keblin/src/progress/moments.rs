//! Moments: conditions that are reported once when they become true, even if a value jumps past the threshold.

use keblin_model::model::{Again, RuleId};

use super::notice::Notice;
use super::{Engine, Phase, Stage};

impl Engine {
    /// Evaluates a moment and reports it if it is due. `quiet` is after a death or a retry, whose effects are not
    /// reported.
    pub(super) fn ask_moment(&mut self, moment: usize, quiet: bool) {
        let Some(def) = self.schema.moments.get(moment) else { return };
        let Some(rule) = &def.when else { return };
        let again = def.again;
        let now = rule.program.holds(self, self.here().difficulty.unwrap_or(0));
        let before = self.rules.held.get_mut(moment).is_some_and(|held| std::mem::replace(held, now));
        let news = match again {
            Again::EachTime => now && !before && !quiet,
            // Whether it was reported before is known once the data arrives.
            _ if !self.is_ready() => false,
            _ => now && self.is_in_reach(again) && !self.state.told.get(moment).copied().unwrap_or(true),
        };
        if !news {
            return;
        }
        if again != Again::EachTime {
            self.state.told.get_mut(moment).into_iter().for_each(|told| *told = true);
        }
        if let Some(moment) = self.schema.moment_at(moment) {
            self.tell(Notice::Moment(moment));
        }
    }

    /// Returns whether there is a visit, a run or a profile for the moment's `again`.
    fn is_in_reach(&self, again: Again) -> bool {
        match again {
            Again::Level => matches!(self.phase(), Phase::Playing | Phase::Down),
            Again::Run => self.stage == Stage::Running,
            _ => true,
        }
    }

    /// Evaluates every moment, after a begin or a load.
    pub(super) fn note_moments(&mut self) {
        self.rules.held.resize(self.schema.moments.len(), false);
        for moment in 0..self.schema.moments.len() {
            self.ask_moment(moment, true);
        }
    }

    /// At the start of a visit or a run: allows its moments to be reported again, and evaluates them.
    pub(super) fn forget_told(&mut self, again: Again) {
        let of = self.schema.moments.iter().zip(&mut self.state.told).zip(0_u32..);
        for ((_, told), moment) in of.filter(|((moment, _), _)| moment.again == again) {
            *told = false;
            self.rules.ask_again(RuleId::Moment(moment));
        }
    }
}
