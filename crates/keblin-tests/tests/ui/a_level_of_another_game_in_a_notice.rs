keblin::schema!(otter, "otter.toml");
keblin::schema!(reef, "reef.toml");

fn main() {
    let mut game = otter::Progress::new();
    for notice in game.drain_notices() {
        if let otter::Notice::Opened { level: reef::levels::BROOK, .. } = notice {}
    }
}
