keblin::schema!(otter, "otter.toml");
keblin::schema!(reef, "reef.toml");

fn draw(_game: &otter::Progress) {}

fn main() {
    draw(&reef::Progress::new());
}
