//! The kind does not ask for the time away, and the struct would get it.

use keblin::{ObjectId, Time, WorldObject};

keblin::schema!(fen, "../../../../examples/open_world.toml");

#[derive(WorldObject)]
#[world(fen::kinds::reed_bed, time_away = Bed::grow)]
struct Bed {
    #[world(id)]
    id: ObjectId,
}

impl Bed {
    fn grow(&mut self, _away: Time) {}
}

fn main() {}
