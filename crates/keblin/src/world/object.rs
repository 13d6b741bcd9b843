//! What a game's own struct says of itself.

use keblin_model::{ObjectId, ObjectKind, Time};

use super::into::RowIn;
use super::out::ColumnsOut;

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

    /// Writes the kept members of all objects of an area, member by member.
    fn record(objects: &[&Self], columns: &mut ColumnsOut<'_>);

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
