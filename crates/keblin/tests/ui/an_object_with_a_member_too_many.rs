//! A member has no field: it is neither kept nor marked as transient.

use keblin::{ObjectId, WorldObject};

keblin::schema!(fen, "../../../../examples/open_world.toml");

#[derive(WorldObject)]
#[world(fen::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    speed: f64,
    height: f64,
}

fn main() {}
