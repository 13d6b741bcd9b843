//! A declared field of the kind has no member in the struct: it would never be kept.

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
