keblin::schema!("otter.toml");

fn main() {}
