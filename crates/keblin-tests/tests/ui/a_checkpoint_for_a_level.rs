keblin::schema!(otter, "otter.toml");
use otter::{Progress, checkpoints};

fn main() {
    let mut game = Progress::new();
    let _ = game.enter(checkpoints::brook::LOG);
}
