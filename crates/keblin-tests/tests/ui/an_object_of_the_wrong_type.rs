//! A member has another type than its field.

use keblin::{ObjectId, WorldObject};

keblin::schema!(fen, "../../../../examples/open_world.toml");

#[derive(WorldObject)]
#[world(fen::kinds::gate)]
struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: String,
    speed: f64,
}

fn main() {}
