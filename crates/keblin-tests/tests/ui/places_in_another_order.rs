keblin::schema!(otter, "otter.toml");
use otter::{Progress, difficulties, fields, levels};

fn main() {
    let mut game = Progress::new();
    let _ = game.get(fields::BEST_TIME.at(difficulties::CALM, levels::BROOK));
}
