keblin::schema!(otter, "otter.toml");
use otter::{Progress, fields, lists};

fn main() {
    let mut game = Progress::new();
    game.set(fields::LAMP, lists::Hats::Straw);
}
