//! A member for the declared field `speed` is missing from the struct.

use keblin::{ObjectId, WorldObject};

keblin::schema!(fen, "../../../../examples/open_world.toml");

#[derive(WorldObject)]
#[world(fen::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
}

fn main() {}
