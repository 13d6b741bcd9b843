keblin::schema!(otter, "otter.toml");
use otter::{Progress, fields};

fn main() {
    let mut game = Progress::new();
    let _ = game.get(fields::BEST_TIME);
}
