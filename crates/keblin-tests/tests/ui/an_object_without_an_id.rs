//! No member is the id.

use keblin::{ObjectId, WorldObject};

keblin::schema!(fen, "../../../../examples/open_world.toml");

#[derive(WorldObject)]
#[world(fen::kinds::gate)]
struct Gate {
    opened: f64,
    speed: f64,
}

fn main() {}
