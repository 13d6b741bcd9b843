keblin::schema!(otter, "otter.toml");

struct Otter;

fn main() {
    let mut game = otter::Progress::new();
    game.with(&mut Otter).die();
}
