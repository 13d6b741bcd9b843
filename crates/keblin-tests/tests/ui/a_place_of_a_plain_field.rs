keblin::schema!(otter, "otter.toml");
use otter::{Progress, fields, levels};

fn main() {
    let mut game = Progress::new();
    let _ = game.get(fields::OIL.at(levels::BROOK));
}
