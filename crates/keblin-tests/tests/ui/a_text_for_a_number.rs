keblin::schema!(otter, "otter.toml");
use otter::{Progress, fields};

fn main() {
    let mut game = Progress::new();
    game.set(fields::OIL, "sixty");
}
