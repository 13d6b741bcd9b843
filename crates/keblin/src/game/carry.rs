//! A game's own struct, tied to fields by `#[derive(Carry)]`. Its members are written to the fields before events and
//! read back after them, so that no level copies values by hand.
//!
//! A member is written only if the game changed it since it was last read. So a new struct, or one that missed an
//! event, never replaces the player's values with the zeros of a default or with old values.

use std::marker::PhantomData;
use std::ops::{Deref, DerefMut};

use keblin_model::Value;
use keblin_model::typed::{FieldType, Member};

use crate::progress::journal::Cause;
use crate::progress::{Engine, FieldOf, Holder, Play};

/// A struct of a game whose members are tied to fields. Derive it:
///
/// ```
/// # keblin::schema!(fen_post, "../../demo/progress.toml");
/// use keblin::Carry;
///
/// #[derive(Carry)]
/// #[carry(fen_post)]
/// struct Punt {
///     oil: i64,               // fen_post::fields::OIL
///     letters: u32,           // any whole number of Rust for an int
///     #[carry(field = boats)]
///     lives: u8,              // another name than the field's
///     #[carry(skip)]
///     wake: Vec<[f32; 2]>,    // not saved
/// }
/// # fn main() {}
/// ```
///
/// A member whose type does not fit its field does not compile.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not tied to the fields of this game",
    note = "write `#[derive(keblin::Carry)]` and `#[carry(MODULE)]` above it, with the module that `schema!` made"
)]
pub trait Carry<G> {
    /// Ties every member to its field.
    fn carry(&mut self, tie: &mut Tie<'_, G>);
}

/// A struct of a game with the values it last read. It dereferences to the struct; [`Play::carry`] makes one.
#[derive(Clone, Debug)]
pub struct Carried<C> {
    own: C,
    /// The values of its fields when they were last read, member by member.
    picked_up: Vec<Value>,
}

impl<C> Carried<C> {
    /// Returns the struct itself.
    #[must_use]
    pub fn into_inner(self) -> C {
        self.own
    }
}

impl<C> Deref for Carried<C> {
    type Target = C;
    fn deref(&self) -> &C {
        &self.own
    }
}

impl<C> DerefMut for Carried<C> {
    fn deref_mut(&mut self) -> &mut C {
        &mut self.own
    }
}

/// Ties members to fields, and copies values in one of two directions.
#[derive(Debug)]
pub struct Tie<'p, G> {
    way: Way<'p>,
    of: PhantomData<G>,
}

#[derive(Debug)]
enum Way<'p> {
    /// To the fields, with the values that the remaining members last read.
    HandOver(&'p mut Engine, std::slice::Iter<'p, Value>),
    PickUp(&'p Engine, &'p mut Vec<Value>),
}

impl<G> Tie<'_, G> {
    /// Writes or reads one member. A member is written only if it changed since it was last read and the current
    /// phase allows writing the field.
    pub fn member<F: FieldOf<G>, M: Member<F::Of>>(&mut self, field: F, member: &mut M) {
        match &mut self.way {
            Way::PickUp(engine, picked_up) => {
                let cell = engine.checked(field.of_any());
                engine.note_read(cell);
                *member = M::of(F::Of::read(engine.value_at(cell)));
                picked_up.push(engine.value_at(cell).clone());
            }
            Way::HandOver(engine, picked_up) => {
                let cell = engine.checked(field.of_any());
                let as_it_was =
                    picked_up.next().is_none_or(|value| member.is(<F::Of as FieldType>::read(value)));
                if as_it_was || !engine.takes(cell) {
                    return;
                }
                if let Some(value) = member.to_write().and_then(|value| F::Of::write(value, engine.schema()))
                {
                    engine.write(cell, value, &Cause::Set);
                }
            }
        }
    }
}

/// Progress with a game's struct whose members were written to their fields. Calls on it use the struct's values.
/// When it is dropped, usually at the end of the statement, the struct reads its members back.
#[derive(Debug)]
pub struct With<'a, G, P: Holder, C: Carry<G>> {
    game: &'a mut Play<G, P>,
    own: &'a mut Carried<C>,
}

impl<G, P: Holder> Play<G, P> {
    /// Ties a struct to its fields. Its members are read at once, whatever values it had.
    pub fn carry<C: Carry<G>>(&self, own: C) -> Carried<C> {
        let mut carried = Carried { own, picked_up: Vec::new() };
        self.pick_up(&mut carried);
        carried
    }

    /// Reads the members of a struct from the fields, and writes nothing.
    pub fn pick_up<C: Carry<G>>(&self, own: &mut Carried<C>) {
        let Carried { own, picked_up } = own;
        picked_up.clear();
        own.carry(&mut Tie { way: Way::PickUp(self.engine(), picked_up), of: PhantomData });
    }

    /// Writes the changed members of a struct, lets events happen, and then reads all members back.
    ///
    /// ```
    /// # keblin::schema!(fen_post, "../../demo/progress.toml");
    /// # use fen_post::{checkpoints::reedgate::OSIER, levels::REEDGATE};
    /// # #[derive(Default, keblin::Carry)]
    /// # #[carry(fen_post)]
    /// # struct Punt { oil: i64 }
    /// # let mut game = fen_post::Progress::new();
    /// let mut punt = game.carry(Punt::default()); // has the declared oil, not that of `Default`
    /// game.with(&mut punt).begin(None)?;
    /// game.with(&mut punt).enter(REEDGATE)?;
    /// punt.oil -= 10; // the game's own code changes its own struct
    /// game.with(&mut punt).reach(OSIER)?; // the checkpoint copies the current oil
    /// punt.oil -= 20;
    /// game.with(&mut punt).die(); // the punt has the oil of the checkpoint again
    /// assert_eq!(punt.oil, 50);
    /// # Ok::<(), keblin::Refused>(())
    /// ```
    pub fn with<'a, C: Carry<G>>(&'a mut self, own: &'a mut Carried<C>) -> With<'a, G, P, C> {
        let Carried { own: members, picked_up } = own;
        members.carry(&mut Tie { way: Way::HandOver(self.engine_mut(), picked_up.iter()), of: PhantomData });
        With { game: self, own }
    }
}

impl<G, P: Holder, C: Carry<G>> Deref for With<'_, G, P, C> {
    type Target = Play<G, P>;
    fn deref(&self) -> &Play<G, P> {
        self.game
    }
}

impl<G, P: Holder, C: Carry<G>> DerefMut for With<'_, G, P, C> {
    fn deref_mut(&mut self) -> &mut Play<G, P> {
        self.game
    }
}

impl<G, P: Holder, C: Carry<G>> Drop for With<'_, G, P, C> {
    fn drop(&mut self) {
        self.game.pick_up(self.own);
    }
}
