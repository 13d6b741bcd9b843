//! Several changes, all or none: what a game takes and what it gives in return belong together, whatever fails in
//! between.

use super::play::Lent;
use super::{Engine, Holder, Play};

impl<G, P: Holder> Play<G, P> {
    /// Makes several changes, all of them or none. If `change` returns an error or panics, everything is as it was
    /// before: values, phase, records, notices and journal. Nothing is saved in between.
    ///
    /// ```
    /// use keblin::{Field, Progress, Schema};
    ///
    /// # let text = "game = 'otter'\nversion = 1\n[fields]\ncoins = { type = 'int', scope = 'profile', min = 0 }\n\
    /// #     keys = { type = 'int', scope = 'profile' }\n";
    /// # let schema = Schema::parse("progress.toml", text)?.schema;
    /// let (coins, keys): (Field<i64>, Field<i64>) = (schema.field("coins")?, schema.field("keys")?);
    /// let mut game = Progress::new(schema);
    /// game.set(coins, 50);
    /// let bought = game.all_or_nothing(|game| {
    ///     game.add(keys, 1);
    ///     game.spend(coins, 80).map(drop)
    /// });
    /// assert!(bought.is_err(), "there are not enough coins");
    /// assert_eq!((game.get(coins), game.get(keys)), (50, 0), "and no key was given for nothing");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// The error of `change`.
    pub fn all_or_nothing<T, E>(
        &mut self,
        change: impl FnOnce(&mut Play<G, Lent>) -> Result<T, E>,
    ) -> Result<T, E> {
        let before = self.engine().duplicate();
        // The changes are made on a copy until they are complete; a panic leaves the original.
        let mut changing = Play::of(Lent(std::mem::replace(self.engine_mut(), before)));
        let done = change(&mut changing)?;
        *self.engine_mut() = changing.holder.0;
        Ok(done)
    }
}

impl Engine {
    /// Returns a copy of the engine with its journal.
    pub(crate) fn duplicate(&self) -> Engine {
        Engine { journal: self.journal.duplicate(), ..self.clone() }
    }
}
