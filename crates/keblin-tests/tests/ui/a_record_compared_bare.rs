keblin::schema!(otter, "otter.toml");
use otter::{Progress, fields};

fn main() {
    let game = Progress::new();
    if game.get(fields::BEST_CATCH) < Some(9) {}
}
