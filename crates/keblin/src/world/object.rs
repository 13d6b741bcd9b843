//! Ids of objects, and what a game's own struct says of itself.

use std::fmt;

use keblin_schema::{ObjectKind, Time};

use super::into::RowIn;
use super::out::RowOut;

/// The id of an object: the same whenever its area is loaded.
///
/// Objects that come with a level have a number of the level's author, up to 32 bits. Objects made in play get theirs
/// from [`Play::new_object`](crate::Play::new_object): it never equals a number of an author, nor another one that the
/// save has seen.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ObjectId(u64);

/// The bit of ids that were given in play.
const MADE: u64 = 1 << 63;

impl ObjectId {
    /// Returns the id of an object that comes with a level.
    #[must_use]
    pub const fn authored(number: u32) -> ObjectId {
        // Widening is not yet a constant function.
        ObjectId(number as u64)
    }

    /// Returns the id of the object that was made as the `number`th.
    pub(crate) fn made(number: u64) -> ObjectId {
        ObjectId(number | MADE)
    }

    /// Returns whether it was made in play.
    #[must_use]
    pub fn is_made(self) -> bool {
        self.0 & MADE != 0
    }

    pub(crate) fn number(self) -> u64 {
        self.0
    }

    pub(crate) fn of_number(number: u64) -> ObjectId {
        ObjectId(number)
    }
}

impl From<u32> for ObjectId {
    fn from(number: u32) -> ObjectId {
        ObjectId::authored(number)
    }
}

/// `9` for an object of the level's author, `made 3` for the third that was made in play.
impl fmt::Display for ObjectId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let number = self.0 & !MADE;
        f.pad(&if self.is_made() { format!("made {number}") } else { number.to_string() })
    }
}

impl fmt::Debug for ObjectId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ObjectId({self})")
    }
}

/// A game's own struct whose values are kept area by area. `#[derive(WorldObject)]` implements it.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not an object of this world",
    label = "put `#[derive(WorldObject)]` and `#[world(MODULE::kinds::KIND)]` above the struct"
)]
pub trait WorldObject<G>: Sized {
    /// Its kind.
    const KIND: ObjectKind<G>;

    /// Returns its id.
    fn object_id(&self) -> ObjectId;

    /// Writes its kept members.
    fn record(&self, row: &mut RowOut<'_>);

    /// Sets its kept members to what was written.
    fn put_back(&mut self, row: &RowIn<'_>);

    /// Returns an object that was made in play, or has come from another area.
    fn made_again(id: ObjectId, row: &RowIn<'_>) -> Self;

    /// Called after each recall with how much time in play has passed since the object was put by, if its kind asks for
    /// that with `time_away`: lets it do what it would have done meanwhile.
    fn time_away(&mut self, _away: Time) {}

    /// Called once after each recall, with all values in place: sets up what follows from them, such as a glow.
    fn rebuild(&mut self) {}
}
