//! Unlocks that are bought: one event that asks the rule, takes the price and gives the unlock for good, or does nothing.

use std::cmp::Ordering;

use keblin_model::program::Comparison;
use keblin_model::{AnyGame, Name, OfGame, Unlock, Value};

use super::journal::Cause;
use super::notice::Notice;
use super::phase::EventName;
use super::refusal::{Refused, Why};
use super::standing::{Asks, Standing};
use super::{Engine, Holder, Play};

/// Something was bought.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Bought<G = AnyGame> {
    /// What.
    pub unlock: Unlock<G>,
    /// What was paid: the fields, and how much of each.
    pub paid: Vec<(Name, Value)>,
}

impl<G> OfGame<G> for Bought {
    type Of = Bought<G>;
    fn of_game(self) -> Bought<G> {
        Bought { unlock: self.unlock.of_game(), paid: self.paid }
    }
}

impl<G, P: Holder> Play<G, P> {
    /// Buys an unlock that costs something: takes the whole price and gives the unlock for good, or changes nothing.
    /// Returns `None` if the player has it already.
    ///
    /// # Errors
    /// [`Why::NotForSale`] for an unlock without `costs`; [`Why::CannotBuy`] with each part of its rule and its price
    /// that is not met.
    ///
    /// ```
    /// use keblin::{Progress, Schema};
    ///
    /// let text = "game = 'mill'\nversion = 1\n[fields.coppers]\ntype = 'int'\nscope = 'profile'\ndefault = 100\n\
    ///     [[unlocks]]\nid = 'iron_pole'\ncosts = { coppers = 80 }\n";
    /// let mut game = Progress::new(Schema::parse("progress.toml", text)?.schema);
    /// let pole = game.schema().unlock("iron_pole")?;
    /// assert!(game.buy(pole)?.is_some());
    /// assert!(game.is_unlocked(pole));
    /// assert_eq!(game.get(game.schema().field::<i64>("coppers")?), 20);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn buy(&mut self, unlock: Unlock<G>) -> Result<Option<Bought<G>>, Refused> {
        self.engine_mut().buy(unlock.of_any()).map(OfGame::of_game)
    }
}

impl Engine {
    pub(crate) fn buy(&mut self, unlock: Unlock) -> Result<Option<Bought>, Refused> {
        let (event, index) = (EventName::WriteProfile, unlock.index());
        self.ask(event)?;
        let Some(def) = self.schema.unlocks.get(index) else { return Ok(None) };
        let (name, costs) = (def.name.clone(), def.costs.clone());
        if costs.is_empty() {
            return Err(self.refusal(event, Why::NotForSale { unlock: name }));
        }
        if self.is_unlocked(unlock) {
            return Ok(None);
        }
        // The save that is still loading may have it already.
        if !self.is_ready() {
            let missing = vec!["the save has not arrived yet".to_string()];
            return Err(self.refusal(event, Why::CannotBuy { unlock: name, missing }));
        }
        let parts = self.why_not_unlocked(unlock);
        let missing: Vec<String> =
            parts.iter().filter(|part| !part.met).map(|part| part.text(&self.schema)).collect();
        if !missing.is_empty() {
            return Err(self.refusal(event, Why::CannotBuy { unlock: name, missing }));
        }
        // First the unlock, so that whatever the spending opens or closes sees that it is there.
        self.state.latched.get_mut(index).into_iter().for_each(|latched| *latched = true);
        self.rules.give(index);
        let mut paid = Vec::new();
        for (field, price) in costs {
            let Some(field) = self.schema.fields.get(field) else { continue };
            let (name, cell) = (field.name.clone(), field.cells.start);
            if let Some((rest, _)) = self.value_at(cell).plus(&price.negated()) {
                self.write(cell, rest, &Cause::Spend(price.clone()));
            }
            paid.push((name, price));
        }
        self.tell(Notice::Unlocked(unlock));
        self.changed();
        self.rules.unlock_changed(&self.schema, index);
        self.settle();
        Ok(Some(Bought { unlock, paid }))
    }

    /// Returns what an unlock costs, part by part.
    pub(super) fn price_parts(&self, unlock: usize) -> Vec<Standing> {
        let costs = self.schema.unlocks.get(unlock).map_or(&[][..], |unlock| &unlock.costs);
        let part = |(at, price): &(usize, Value)| {
            let field = self.schema.fields.get(*at)?;
            let held = self.value_at(field.cells.start).clone();
            let rest = held.plus(&price.negated()).map(|(rest, _)| rest)?;
            // Nothing is bought on credit, not even from a field that may be negative.
            let is_short = |min: &Value| rest.order(min) == Some(Ordering::Less);
            let short = rest.is_negative() || self.bound(&field.min, field).is_some_and(|min| is_short(&min));
            let asks = Asks::Number(Comparison::GreaterOrEqual, field.name.to_string());
            Some(Standing { asks, met: !short, held, needed: price.clone() })
        };
        costs.iter().filter_map(part).collect()
    }
}
