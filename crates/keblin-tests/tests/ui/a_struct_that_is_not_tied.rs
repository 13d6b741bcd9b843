keblin::schema!(otter, "otter.toml");

struct Otter;

fn main() {
    let game = otter::Progress::new();
    let _ = game.carry(Otter);
}
