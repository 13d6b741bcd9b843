keblin::schema!(otter, "faulty.toml");

fn main() {}
