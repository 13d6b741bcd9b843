keblin::schema!(otter, "otter.toml");
keblin::schema!(reef, "reef.toml");

fn main() {
    let game = otter::Progress::new();
    let _ = game.get(reef::fields::OIL);
}
