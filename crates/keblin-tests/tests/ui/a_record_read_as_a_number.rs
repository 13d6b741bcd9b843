keblin::schema!(otter, "otter.toml");
use otter::{Progress, fields};

fn main() {
    let mut game = Progress::new();
    let best: i64 = game.get(fields::BEST_CATCH);
}
