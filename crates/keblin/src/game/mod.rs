//! A game's own names. The macro [`schema!`](crate::schema) reads a declaration while the game is compiled and makes a
//! constant of every name in it, and a `Progress`, a `Keeper` and a `Play` of that game, which take no others: a misspelt
//! name, a value of the wrong type, a missing place on an axis, or a name of another game does not compile.

/// Events and erasures in a game's names.
mod events;

/// A game's own struct, tied to fields.
pub mod carry;

/// A keeper that is reached from anywhere.
pub mod installed;

/// What `schema!` writes into a game.
#[doc(hidden)]
pub mod made;

use std::sync::Arc;

use crate::progress::{Alone, Engine, Game, Play, ProgressOf};
use crate::save::ReadError;
use crate::snapshot::Snapshot;
use crate::store::{Keeper, KeeperOf, OpenError, Saving, Slot};

pub use carry::{Carried, Carry, With};
pub use installed::{InstallError, Installed, InstalledGuard};

impl<G: Game> Play<G, Alone> {
    /// Progress of this game without a save: every value as declared.
    #[must_use]
    #[expect(
        clippy::new_without_default,
        reason = "progress without a save is a first run, which nobody asks for by default"
    )]
    pub fn new() -> ProgressOf<G> {
        Play::of_engine(Engine::new(Arc::clone(G::schema())))
    }

    /// Progress of this game as it was saved, at the title.
    ///
    /// # Panics
    /// If the snapshot is of another game.
    #[must_use]
    pub fn restored(snapshot: Snapshot) -> ProgressOf<G> {
        assert!(snapshot.schema().game == G::schema().game, "a snapshot of another game");
        Play::of_engine(Engine::restored(snapshot))
    }
}

impl<G: Game> Play<G, Saving> {
    /// Opens a slot of this game to be played. The keeper has the slot until it is closed or dropped.
    ///
    /// # Errors
    /// As [`Slot::open`].
    pub fn open(slot: &Slot) -> Result<KeeperOf<G>, OpenError> {
        Play::open_as(slot, G::schema())
    }

    /// Looks at a slot of this game, whoever else plays it. Everything can be done with it, and nothing is ever written.
    ///
    /// # Errors
    /// As [`Slot::view`].
    pub fn view(slot: &Slot) -> Result<KeeperOf<G>, OpenError> {
        Play::view_as(slot, G::schema())
    }

    /// Progress of this game from bytes that the game keeps itself; `None` is a first run.
    ///
    /// # Errors
    /// As [`verify`](crate::verify::verify).
    pub fn from_bytes(bytes: Option<&[u8]>) -> Result<KeeperOf<G>, ReadError> {
        Keeper::from_bytes(G::schema(), bytes).map(Play::named_by)
    }

    /// A keeper that was opened in another way, for the game whose schema it was opened with.
    ///
    /// # Panics
    /// If it is of another game.
    #[must_use]
    pub fn of_keeper(keeper: Keeper) -> KeeperOf<G> {
        assert!(Arc::ptr_eq(keeper.schema(), G::schema()), "a keeper of another schema than this game's");
        keeper.named_by()
    }
}
