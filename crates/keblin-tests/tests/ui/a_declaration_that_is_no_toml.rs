keblin::schema!(otter, "broken.toml");

fn main() {}
