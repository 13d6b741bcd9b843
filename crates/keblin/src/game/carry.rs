//! A game's own struct, tied to fields by `#[derive(Carry)]`: its members are handed over before events and picked up after
//! them, so that no level copies values by hand.

use std::marker::PhantomData;
use std::ops::{Deref, DerefMut};

use keblin_schema::Game;
use keblin_schema::typed::{FieldType, Member};

use super::{FieldOf, HasProgress, Of};
use crate::progress::{Phase, Progress};

/// A struct of a game whose members are tied to fields. Derive it:
///
/// ```ignore
/// #[derive(Carry)]
/// #[carry(fen_post)]
/// struct Punt {
///     oil: i64,               // fen_post::fields::OIL
///     letters: u32,           // any whole number of Rust for an int
///     #[carry(field = boats)]
///     lives: u8,              // under another name
///     #[carry(skip)]
///     wake: Vec<[f32; 2]>,    // lives and goes with the struct
/// }
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

/// What members are tied to: fields, in one of two directions.
#[derive(Debug)]
pub struct Tie<'p, G> {
    way: Way<'p>,
    of: PhantomData<G>,
}

#[derive(Debug)]
enum Way<'p> {
    HandOver(&'p mut Progress),
    PickUp(&'p Progress),
}

impl<G: Game> Tie<'_, G> {
    /// Hands a member over or picks it up. Handed over is what is another value than picking it up would give, where the
    /// phase lets the field be written.
    pub fn member<F: FieldOf<G>, M: Member<F::Of>>(&mut self, field: F, member: &mut M) {
        let field = field.looked_up();
        match &mut self.way {
            Way::PickUp(progress) => *member = M::of(progress.get(field)),
            Way::HandOver(progress) => {
                let is_held = member.is(<F::Of as FieldType>::read(progress.value_at(field.cell())));
                let value = (!is_held && progress.takes(field.cell())).then(|| member.to_write());
                if let Some(value) = value.flatten() {
                    progress.set(field, value);
                }
            }
        }
    }
}

/// Progress with a struct of the game's own that was handed over. What is called on it finds the struct's values; when it
/// is dropped, at the end of the statement as a rule, the struct picks its members up.
#[derive(Debug)]
pub struct With<'a, G: Game, P: HasProgress, C: Carry<G>> {
    game: &'a mut Of<G, P>,
    own: &'a mut C,
}

impl<G: Game, P: HasProgress> Of<G, P> {
    /// Hands a struct over and lets something happen to it; then it picks its members up.
    ///
    /// ```ignore
    /// punt.oil -= 10;                      // the game's own code, on its own struct
    /// keeper.with(&mut punt).reach(BIRCH)?; // the checkpoint copies the oil there is now
    /// keeper.with(&mut punt).die();         // and the punt has the oil of the checkpoint again
    /// ```
    ///
    /// At the title there is nothing yet that a struct could hand over: what it holds then is what it was made with.
    /// There it only picks up.
    pub fn with<'a, C: Carry<G>>(&'a mut self, own: &'a mut C) -> With<'a, G, P, C> {
        if self.progress().phase() != Phase::Title {
            own.carry(&mut Tie { way: Way::HandOver(self.progress_mut()), of: PhantomData });
        }
        With { game: self, own }
    }

    /// Picks the members of a struct up, and hands nothing over: for one that was just made.
    pub fn pick_up<C: Carry<G>>(&self, own: &mut C) {
        own.carry(&mut Tie { way: Way::PickUp(self.progress()), of: PhantomData });
    }
}

impl<G: Game, P: HasProgress, C: Carry<G>> Deref for With<'_, G, P, C> {
    type Target = Of<G, P>;
    fn deref(&self) -> &Of<G, P> {
        self.game
    }
}

impl<G: Game, P: HasProgress, C: Carry<G>> DerefMut for With<'_, G, P, C> {
    fn deref_mut(&mut self) -> &mut Of<G, P> {
        self.game
    }
}

impl<G: Game, P: HasProgress, C: Carry<G>> Drop for With<'_, G, P, C> {
    fn drop(&mut self) {
        self.game.pick_up(self.own);
    }
}
