//! The kind asks for the time away, and the struct does not take it.

use keblin::{ObjectId, Time, WorldObject};

keblin::schema!(reeds, "../../../../crates/keblin-tests/tests/promises/reeds.toml");

#[derive(WorldObject)]
#[world(reeds::kinds::bed)]
struct Bed {
    #[world(id)]
    id: ObjectId,
    height: Time,
}

fn main() {}
