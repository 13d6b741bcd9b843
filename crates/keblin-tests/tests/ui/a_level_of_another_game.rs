keblin::schema!(otter, "otter.toml");
keblin::schema!(reef, "reef.toml");

fn main() {
    let mut game = otter::Progress::new();
    let _ = game.enter(reef::levels::BROOK);
}
