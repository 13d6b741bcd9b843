keblin::schema!(otter, "otter.toml");
keblin::schema!(reef, "reef.toml");

fn main() {
    let mut game = otter::Keeper::from_bytes(None).unwrap();
    game = reef::Progress::new();
}
