//! A game's own names. The macro [`schema!`](crate::schema) reads a declaration at compile time and makes a constant
//! of every name in it, and a `Progress`, a `Keeper` and a `Play` of that game. These take no other names: a misspelt
//! name, a value of the wrong type, a missing place on an axis, or a name of another game does not compile.

/// Events and erasures with a game's names.
mod events;

/// A game's own struct, tied to fields.
pub mod carry;

/// A keeper that is reached from anywhere.
pub mod installed;

/// Items for code that `schema!` generates.
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
    /// Returns new progress of this game, not loaded from a save: every value is the default.
    #[must_use]
    #[expect(clippy::new_without_default, reason = "a first run should be asked for by name")]
    pub fn new() -> ProgressOf<G> {
        Play::of_engine(Engine::new(Arc::clone(G::schema())))
    }

    /// Returns progress of this game from a snapshot, at the title.
    ///
    /// # Panics
    /// If the snapshot belongs to another game.
    #[must_use]
    pub fn restored(snapshot: Snapshot) -> ProgressOf<G> {
        assert!(snapshot.schema().game == G::schema().game, "a snapshot of another game");
        Play::of_engine(Engine::restored(snapshot))
    }
}

impl<G: Game> Play<G, Saving> {
    /// Opens a slot of this game to be played. The keeper owns the slot until it is closed or dropped.
    ///
    /// # Errors
    /// As [`Slot::open`].
    pub fn open(slot: &Slot) -> Result<KeeperOf<G>, OpenError> {
        Play::open_as(slot, G::schema())
    }

    /// Opens a copy of a slot of this game for viewing, even while another program plays it. It can be changed in
    /// memory, but is never saved.
    ///
    /// # Errors
    /// As [`Slot::view`].
    pub fn view(slot: &Slot) -> Result<KeeperOf<G>, OpenError> {
        Play::view_as(slot, G::schema())
    }

    /// Returns progress of this game from bytes that the game keeps itself; `None` is a first run.
    ///
    /// # Errors
    /// As [`verify`](crate::verify::verify).
    pub fn from_bytes(bytes: Option<&[u8]>) -> Result<KeeperOf<G>, ReadError> {
        Keeper::from_bytes(G::schema(), bytes).map(Play::named_by)
    }

    /// Returns a keeper that was opened in another way, with this game's names.
    ///
    /// # Panics
    /// If it belongs to another game.
    #[must_use]
    pub fn of_keeper(keeper: Keeper) -> KeeperOf<G> {
        assert!(Arc::ptr_eq(keeper.schema(), G::schema()), "a keeper of another schema than this game's");
        keeper.named_by()
    }
}
