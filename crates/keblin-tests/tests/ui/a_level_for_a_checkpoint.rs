keblin::schema!(otter, "otter.toml");
use otter::{Progress, levels};

fn main() {
    let mut game = Progress::new();
    let _ = game.reach(levels::BROOK);
}
