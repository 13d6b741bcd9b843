//! The struct does not say which kind it is.

use keblin::{ObjectId, WorldObject};

keblin::schema!(fen, "../../../../examples/open_world.toml");

#[derive(WorldObject)]

struct Gate {
    #[world(id)]
    id: ObjectId,
    opened: f64,
    speed: f64,
}

fn main() {}
